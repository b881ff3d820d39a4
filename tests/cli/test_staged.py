"""Data files against their last commit, as a hook before the next one sees them."""

import subprocess

import pandas as pd
import pytest
from tests.cli.test_command import run

ROWS = pd.DataFrame(
    {"check": [f"C-{i:04}" for i in range(300)], "weight": [20 + i % 37 for i in range(300)]}
)


@pytest.fixture
def repository(tmp_path):
    def git(*words):
        own = ("-c", "user.name=a", "-c", "user.email=a@union.example")
        subprocess.run(["git", *own, *words], cwd=tmp_path, check=True, capture_output=True)

    git("init", "-q")
    (tmp_path / "data").mkdir()
    ROWS.to_csv(tmp_path / "data" / "checks.csv", index=False)
    ROWS.to_csv(tmp_path / "steady.csv", index=False)
    git("add", ".")
    git("commit", "-qm", "first")
    return tmp_path


def test_a_commit_is_stopped_by_what_needs_action(repository):
    ROWS.drop(columns="weight").to_csv(repository / "data" / "checks.csv", index=False)
    ROWS.to_csv(repository / "new.csv", index=False)
    done = run("staged", "data/checks.csv", "steady.csv", "new.csv", cwd=repository)
    assert done.returncode == 1
    first, grave, steady, new = done.stdout.splitlines()
    assert first.startswith("data/checks.csv: One thing needs action")
    assert grave.strip().startswith("act: ")
    assert "weight" in grave
    assert "nothing that matters has changed" in steady
    assert new == "new.csv: a new file"
    assert run("staged", "steady.csv", "new.csv", cwd=repository).returncode == 0


def test_before_the_first_commit_all_files_are_new(tmp_path):
    subprocess.run(["git", "init", "-q"], cwd=tmp_path, check=True)
    ROWS.to_csv(tmp_path / "checks.csv", index=False)
    done = run("staged", "checks.csv", cwd=tmp_path)
    assert (done.returncode, done.stdout) == (0, "checks.csv: a new file\n")
    lacking = run("staged", "lacking.csv", cwd=tmp_path)
    assert (lacking.returncode, lacking.stderr.count("\n")) == (2, 1)


def test_outside_of_git_it_is_an_error(tmp_path):
    ROWS.to_csv(tmp_path / "checks.csv", index=False)
    done = run("staged", "checks.csv", cwd=tmp_path)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
