"""Files at revisions of a real git repository, and tables on standard input."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pandas as pd
import pytest

import nachsicht

pytestmark = pytest.mark.slow


@pytest.fixture
def repository(tmp_path):
    """Three versions of a file, the first tagged; then a change that is not committed."""
    folder = tmp_path / "apiary" / "data"
    folder.mkdir(parents=True)
    path = folder / "checks.csv"
    frame = pd.DataFrame({"hive": [f"H-{i:03d}" for i in range(60)], "mites": [2, 3, 4] * 20})
    for step, (name, column) in enumerate([("v1.2", 0), ("second", 5), ("third", 40)]):
        frame.assign(mites=frame["mites"] + column).to_csv(path, index=False)
        when = f"2025-0{step + 1}-15T12:00:00"
        environment = {**os.environ, "GIT_AUTHOR_DATE": when, "GIT_COMMITTER_DATE": when}
        git = [
            "git",
            "-C",
            tmp_path,
            "-c",
            "user.name=A. Keeper",
            "-c",
            "user.email=a@union.example",
        ]
        if step == 0:
            subprocess.run(["git", "init", "-q", tmp_path], check=True)
        subprocess.run([*git, "add", "."], check=True)
        subprocess.run([*git, "commit", "-q", "-m", name], check=True, env=environment)
        if step == 0:
            subprocess.run([*git, "tag", "v1.2"], check=True)
    frame.assign(mites=0).to_csv(path, index=False)
    return path


def largest(version):
    return version.document.column("mites").stats.maximum


def test_a_file_is_read_as_it_was_at_tags_commits_and_branches(repository):
    for revision, expected, label in (
        ("v1.2", 4, "v1.2"),
        ("HEAD~1", 9, "2025-02-15"),
        ("HEAD", 44, "2025-03-15"),
    ):
        made = nachsicht.profile(f"{repository}@{revision}")
        assert largest(made) == expected
        assert made.label == label
        assert made.document.origin.source == f"checks.csv@{revision}"
        assert any(note.startswith("git ") for note in map(str, made.document.origin.notes))
    assert largest(nachsicht.profile(repository)) == 0
    streamed = nachsicht.profile(f"{repository}@v1.2", memory_bytes=1000)
    assert largest(streamed) == 4
    compared = nachsicht.compare(f"{repository}@v1.2", f"{repository}@HEAD", repository)
    assert [v.label for v in compared.document.versions[:2]] == ["v1.2", "2025-03-15"]
    repository.unlink()
    assert largest(nachsicht.profile(f"{repository}@HEAD")) == 44


def test_every_commit_since_a_revision_is_a_version(repository):
    command = [sys.executable, "-m", "nachsicht", "compare", repository, "--since", "v1.2"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    for label in ("v1.2", "2025-02-15", "2025-03-15"):
        assert label in done.stdout


def test_what_git_does_not_have_is_said_and_nothing_is_left_behind(repository, tmp_path):
    before = set(Path(tempfile.gettempdir()).glob("nachsicht-*"))
    with pytest.raises(nachsicht.SourceNotFoundError, match="no revision v9"):
        nachsicht.profile(f"{repository}@v9")
    with pytest.raises(nachsicht.SourceNotFoundError, match="no revision --help"):
        nachsicht.profile(f"{repository}@--help")
    with pytest.raises(nachsicht.SourceNotFoundError, match=r"no such file at v1\.2"):
        nachsicht.profile(repository.with_name("others.csv@v1.2"))
    outside = tmp_path.parent / f"{tmp_path.name}-outside"
    outside.mkdir()
    with pytest.raises(nachsicht.SourceNotFoundError, match="no git repository"):
        nachsicht.profile(outside / "checks.csv@v1.2")
    plain = repository.with_name("mails@union.csv")
    plain.write_text("a,b\n1,2\n3,4\n")
    assert nachsicht.profile(plain).document.rows == 2
    assert nachsicht.profile(f"{repository}@HEAD").document.rows == 60
    assert set(Path(tempfile.gettempdir()).glob("nachsicht-*")) <= before


def test_standard_input_is_a_source(repository):
    command = [
        sys.executable,
        "-m",
        "nachsicht",
        "profile",
        "-",
        "-o",
        repository.with_name("p.json"),
    ]
    with repository.open("rb") as given:
        done = subprocess.run(command, stdin=given, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    made = nachsicht.read(repository.with_name("p.json"))
    assert (made.document.rows, made.document.origin.source) == (60, "standard input")


def test_a_tag_is_of_the_moment_of_its_commit(repository, tmp_path):
    history = nachsicht.History(tmp_path / "history")
    version = history.record(f"{repository}@v1.2")
    assert (version.label, version.moment[:10]) == ("v1.2", "2025-01-15")
    assert version.moment_source == "source"
