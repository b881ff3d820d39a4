"""The examples run, and say what they should."""

import subprocess
import sys
from pathlib import Path

import pytest

EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.py"))


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_an_example_runs(path):
    done = subprocess.run(
        [sys.executable, "-W", "error", path], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, "")
    assert "Four things need action before 2025 can replace 2024." in done.stdout


def test_the_docstrings_tell_the_truth():
    import doctest

    from nachsicht import face

    failures, tried = doctest.testmod(face)
    assert tried >= 4
    assert failures == 0
