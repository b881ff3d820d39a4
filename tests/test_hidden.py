"""What is masked or omitted is nowhere to be read, and what cannot be hidden is refused."""

import json
import os
import re
import signal
import subprocess
import sys
import time

import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.table.masking import pseudonyms

SECRETS = ("Ada Wachholder", "Bo Lindqvist", "Ida Marenholtz")


@pytest.fixture
def folder(tmp_path):
    for year, shift in ((2024, 0), (2025, 1)):
        lines = ["inspector;hive;kg"]
        lines += [f"{SECRETS[i % 3]};H-{i:04d};{i % 17 + shift}" for i in range(200)]
        lines.insert(90, f"{SECRETS[0]};H-9999;3;too;many")
        (tmp_path / f"{year}.csv").write_text("\n".join(lines) + "\n")
    schema = {
        "fields": [
            {"name": "inspector", "type": "string", "constraints": {"enum": list(SECRETS)}},
            {"name": "hive", "type": "string"},
            {"name": "kg", "type": "integer", "missingValues": ["", "Ida Marenholtz"]},
        ]
    }
    (tmp_path / "schema.json").write_text(json.dumps(schema))
    return tmp_path


def run(folder, *words, **environment):
    own = {k: v for k, v in os.environ.items() if k != "NACHSICHT_MASK_SECRET"} | environment
    command = [sys.executable, "-m", "nachsicht", *words]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, env=own, check=False)


HIDE = {"mask": ("--mask", "inspector"), "omit": ("--omit", "inspector")}


@pytest.mark.parametrize("hide", HIDE.values(), ids=HIDE)
def test_no_value_is_quoted_anywhere(folder, hide):
    done = run(
        folder,
        *("profile", "2024.csv", "--description", "schema.json", "--na-value", SECRETS[1]),
        *(*hide, "-o", "p.json", "-o", "p.html", "-o", "p.md", "--verbose"),
    )
    assert done.returncode == 0, done.stderr
    document = (folder / "p.json").read_text()
    assert "unread_line" in document
    page = nachsicht.read(folder / "p.json")
    everything = document + done.stdout + done.stderr + (folder / "p.md").read_text()
    everything += page.to_html() + page.remedies() + page.to_description().decode()
    for secret in SECRETS:
        assert secret not in everything
        assert secret.split()[1] not in everything


@pytest.mark.slow
@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--mask", "Inspector"), "Did you mean inspector?"),
        (("--mask", "inspektor"), "Did you mean inspector?"),
        (("--mask", "insp_*"), "there is no column insp_*"),
        (("--omit", "INSPECTOR"), "Did you mean inspector?"),
    ],
)
def test_a_name_that_is_not_there_is_an_error_in_every_version(folder, words, told):
    renamed = (folder / "2025.csv").read_text().replace("inspector;", "controller;", 1)
    (folder / "renamed.csv").write_text(renamed)
    for sources in (("profile", "2024.csv"), ("compare", "2024.csv", "2025.csv")):
        done = run(folder, *sources, *words, "-o", "p.html")
        assert (done.returncode, done.stdout) == (2, "")
        assert told in done.stderr
        assert not (folder / "p.html").exists()
    done = run(folder, "compare", "2024.csv", "renamed.csv", "--mask", "inspector")
    assert done.returncode == 2
    assert "there is no column inspector" in done.stderr


@pytest.mark.slow
def test_documents_must_hide_the_same(folder):
    assert run(folder, "profile", "2024.csv", "-o", "clear.json").returncode == 0
    hidden = run(folder, "profile", "2024.csv", "--mask", "inspector", "-o", "hidden.json")
    assert hidden.returncode == 0
    for words, told in (
        (("clear.json", "2025.csv", "--mask", "inspector"), "shows the column inspector"),
        (("clear.json", "2025.csv", "--omit", "inspector"), "holds the column inspector"),
        (("hidden.json", "2025.csv"), "is masked in"),
        (("hidden.json", "2025.csv", "--mask", "inspector"), "NACHSICHT_MASK_SECRET"),
    ):
        done = run(folder, "compare", *words)
        assert done.returncode == 2, words
        assert told in done.stderr, words
    own = {"NACHSICHT_MASK_SECRET": "honey"}
    assert run(folder, *("profile", "2024.csv", "--mask", "inspector", "-o", "h.json"), **own)
    done = run(folder, *("compare", "h.json", "2025.csv", "--mask", "inspector"), **own)
    assert done.returncode == 0, done.stderr
    assert "new_levels" not in done.stdout


def test_equal_values_have_one_pseudonym_and_others_another():
    whole, floats = pseudonyms(pa.array([1, 2, None])), pseudonyms(pa.array([1.0, 2.0, None]))
    assert whole.to_pylist() == floats.to_pylist()
    nested = pa.array([{"a": [1, 2]}, {"a": [3]}, None, {"a": [1, 2]}])
    one, two, none, again = pseudonyms(nested).to_pylist()
    assert (one == again, none, one == two) == (True, None, False)
    many = pseudonyms(pa.array(range(300_000))).to_pylist()
    assert len(set(many)) == 300_000
    assert re.fullmatch(r"masked-[0-9a-f]{24}", many[0])
    frame = pd.DataFrame({"at": [{"x": 1}, {"x": 2}] * 40, "n": range(80)})
    column = nachsicht.profile(frame, mask="at").document.column("at")
    assert column.distinct == 2


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_copies_are_removed_when_the_command_is_ended(tmp_path, number):
    command = [sys.executable, "-m", "nachsicht", "profile", "-"]
    own = os.environ | {"TMPDIR": str(tmp_path)}
    process = subprocess.Popen(
        command, stdin=subprocess.PIPE, stderr=subprocess.PIPE, env=own, text=True
    )
    process.stdin.write("inspector,kg\n" + "Ada,3\n" * 10_000)
    process.stdin.flush()
    for _ in range(200):
        if any(tmp_path.iterdir()):
            break
        time.sleep(0.1)
    assert any(tmp_path.iterdir())
    process.send_signal(number)
    _, told = process.communicate(timeout=30)
    assert process.returncode == 128 + number
    assert told == "nachsicht: stopped; nothing was written.\n"
    assert not any(tmp_path.iterdir())
