"""A damaged file of any format becomes a page or an error of our own, and ends nothing."""

import subprocess
import sys

import pytest

pytestmark = pytest.mark.slow

#: Seconds that a file may take, most of all a workbook, which has a process of its own.
SECONDS_EACH = 5


def check(first, beyond, folder):
    """Profile damaged files by their seeds, in processes of their own; one may be ended by them."""
    failed = []
    while first < beyond:
        command = [sys.executable, "-W", "ignore", "-m", "tests.fuzz.broken_files", str(folder)]
        try:
            done = subprocess.run(
                [*command, str(first), str(beyond)],
                capture_output=True,
                text=True,
                timeout=SECONDS_EACH * (beyond - first) + 30,
                check=False,
            )
            lines = done.stdout.splitlines()
        except subprocess.TimeoutExpired as late:
            lines = (late.stdout or b"").decode().splitlines()
        failed += [line for line in lines if line.startswith("wrong")]
        if lines and lines[-1] == "done":
            break
        seeds = [int(line) for line in lines if line.isdigit()]
        ended_by = seeds[-1] if seeds else first
        failed.append(f"ended by {ended_by}")
        first = ended_by + 1
    assert not failed


def test_damaged_files_are_profiled_or_refused(tmp_path):
    check(0, 60, tmp_path)


def test_many_damaged_files_are_profiled_or_refused(tmp_path):
    check(1_000, 2_000, tmp_path)
