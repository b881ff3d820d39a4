"""The command, as a process."""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

import nachsicht

COMMAND = [sys.executable, "-m", "nachsicht"]


def run(
    *words: object, cwd: Path | None = None, **variables: str
) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONWARNINGS": "error", "COLUMNS": "100", **variables}
    return subprocess.run(
        [*COMMAND, *map(str, words)],
        capture_output=True,
        text=True,
        cwd=cwd,
        env=environment,
        check=False,
        timeout=120,
    )


def test_compare_writes_page_and_document_and_tells_the_verdict(demo_files, tmp_path):
    old, new = demo_files["hive_checks_2024.csv"], demo_files["hive_checks_2025.csv"]
    done = run("compare", old, new, "-o", tmp_path / "c.html", "--out", tmp_path / "c.json")
    assert (done.returncode, done.stderr) == (0, "")
    assert "Four things need action before 2025 can replace 2024." in done.stdout
    assert "Looks rescaled ×2.2046" in done.stdout
    assert max(map(len, done.stdout.split("Wrote")[0].splitlines())) <= 80
    assert (tmp_path / "c.html").read_text().startswith("<!doctype html>")
    assert '"type":"comparison"' in (tmp_path / "c.json").read_text()
    assert sorted(path.name for path in tmp_path.iterdir()) == ["c.html", "c.json"]


def test_three_versions_and_labels(demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2023, 2024, 2025)]
    labels = [word for label in ("first", "second", "third") for word in ("--label", label)]
    done = run("compare", *files, *labels, "--title", "Three seasons")
    assert done.returncode == 0
    assert "Three seasons" in done.stdout
    assert "before third can replace second" in done.stdout
    assert "first → second" in done.stdout


def test_profile_is_quiet_when_asked(demo_files, tmp_path):
    file = demo_files["hive_checks_2024.csv"]
    done = run("profile", file, "--label", "season", "-o", tmp_path / "p.html", "--quiet")
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert "<title>Season</title>" in (tmp_path / "p.html").read_text()


def test_demo_does_the_main_job(tmp_path):
    done = run("demo", tmp_path / "out")
    assert done.returncode == 0
    wrote = re.findall(r"Wrote (\S+)", done.stdout)
    assert {Path(path).name for path in wrote} == {
        "hive_checks_2023.csv", "hive_checks_2024.csv", "hive_checks_2025.csv", "planted.json",
        "comparison_2024_2025.html", "profile_2024.html", "profile_2025.html", "history.html",
    }  # fmt: skip
    assert all(Path(path).stat().st_size > 1000 for path in wrote)
    assert run("demo", tmp_path / "out", "--quiet").returncode == 0  # also where it has been


@pytest.mark.parametrize("command", ["", "profile", "compare", "demo"])
def test_help_teaches_by_example(command):
    done = run(*command.split(), "--help")
    assert done.returncode == 0
    assert re.search(r"^\s*(Try it|nachsicht \w+|Examples:)", done.stdout, re.MULTILINE)


def test_version_loads_nothing_heavy():
    code = (
        "import sys, nachsicht.cli.commands as c\n"
        "try: c.main(['--version'])\n"
        "except SystemExit: pass\n"
        "heavy = {'numpy', 'pyarrow', 'scipy', 'pandas', 'rich', 'minijinja', 'msgspec'}\n"
        "print(sorted(heavy & set(sys.modules)))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"


BAD = {
    "a path that is not there": (["profile", "nowhere.csv"], "nowhere.csv"),
    "an empty file": (["profile", "empty.csv"], "empty"),
    "a file that is no table": (["compare", "good.csv", "picture.csv"], "picture.csv"),
    "an output folder that is not there": (["profile", "good.csv", "-o", "no/x.html"], "no"),
    "an unknown suffix": (["profile", "good.csv", "-o", "x.doc"], ".doc"),
    "labels that repeat": (
        ["compare", "good.csv", "good.csv", "--label", "a", "--label", "a", "-o", "x.html"],
        "used twice",
    ),
    "a document of another kind": (["compare", "other.json", "good.csv"], "other.json"),
    "an object that holds nothing": (["compare", "nothing.json", "good.csv"], "nothing.json"),
}


@pytest.mark.parametrize("case", BAD)
def test_bad_input_is_one_line_and_exit_2_and_nothing_half_written(case, tmp_path):
    (tmp_path / "good.csv").write_text("a,b\n1,2\n3,4\n")
    (tmp_path / "empty.csv").touch()
    (tmp_path / "picture.csv").write_bytes(b"\x89PNG\r\n\x1a\n\0\0\0")
    (tmp_path / "other.json").write_text('{"type": "comparison", "format_version": 2}')
    (tmp_path / "nothing.json").write_text("{}")
    before = sorted(tmp_path.iterdir())
    words, said = BAD[case]
    done = run(*words, cwd=tmp_path)
    assert done.returncode == 2
    assert done.stdout == ""
    assert len(done.stderr.strip().splitlines()) == 1
    assert said in done.stderr
    assert sorted(tmp_path.iterdir()) == before


def test_verbose_shows_the_traceback(tmp_path):
    done = run("profile", tmp_path / "nowhere.csv", "--verbose")
    assert done.returncode != 0
    assert "Traceback" in done.stderr
    assert "SourceNotFoundError" in done.stderr


def test_there_is_no_progress_bar_where_nobody_looks(demo_files):
    done = run("profile", demo_files["hive_checks_2024.csv"])
    assert done.stderr == ""


def test_a_progress_bar_shows_in_a_terminal_after_a_second(capfd, monkeypatch):
    from nachsicht._util import progress

    monkeypatch.setattr(progress, "PATIENCE_SECONDS", 0)
    monkeypatch.setattr("sys.stderr.isatty", lambda: True, raising=False)
    with progress.ProgressBar(quiet=False) as bar:
        bar(progress.Progress("columns", 1, 4))
    assert "1/4" in capfd.readouterr().err


@pytest.mark.slow
def test_remedies_mend_the_demo(demo_files, tmp_path):
    """The script is written, run, and what it mends is found no longer."""
    old, new = (demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025))
    for library in ("pandas", "polars"):
        script, mended = tmp_path / f"mend_{library}.py", tmp_path / f"mended_{library}.csv"
        done = run("remedies", old, new, f"--{library}", "-o", script)
        assert done.returncode == 0, done.stderr
        command = [sys.executable, script, new, mended]
        subprocess.run(command, check=True, capture_output=True)
        before = {f.code: f for f in nachsicht.compare(old, new).findings}
        after = {f.code for f in nachsicht.compare(old, mended).findings}
        gone = set(before) - after
        assert gone == {"rescaled", "renamed", "respelled", "new_duplicate_rows"}
        assert after <= set(before)
    printed = run("remedies", new)
    assert "ON = {" in printed.stdout
    compile(printed.stdout, "mend.py", "exec")
