"""What ends, fills or breaks the command leaves nothing half written, and says so in one line."""

import os
import signal
import stat
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from nachsicht._util.atomic_write import write_atomically

pytestmark = pytest.mark.slow

WRITES_FOR_EVER = """
import sys
from pathlib import Path
from nachsicht._util.atomic_write import write_atomically
print("ready", flush=True)
for n in range(10**9):
    write_atomically(Path(sys.argv[1]), bytes([65 + n % 26]) * 3_000_000)
"""


def run(*words, **options):
    command = [sys.executable, "-m", "nachsicht", *map(str, words)]
    return subprocess.run(command, stderr=subprocess.PIPE, text=True, check=False, **options)


@pytest.fixture
def data(tmp_path):
    path = tmp_path / "checks.csv"
    path.write_text("hive,kg,temper\n" + "".join(f"H-{i},{i % 40},cälm\n" for i in range(300)))
    return path


def test_killed_a_hundred_times_nothing_is_half_written_and_nothing_left(tmp_path):
    target = tmp_path / "page.html"
    write_atomically(target, b"A" * 3_000_000)
    rng = np.random.default_rng(5)
    left = 0
    for _ in range(100):
        process = subprocess.Popen(
            [sys.executable, "-c", WRITES_FOR_EVER, target], stdout=subprocess.PIPE
        )
        process.stdout.readline()
        time.sleep(rng.random() / 40)
        process.send_signal(signal.SIGKILL)
        process.communicate()
        content = target.read_bytes()
        assert len(content) == 3_000_000
        assert len(set(content)) == 1
        left += len(list(tmp_path.iterdir())) > 1
    assert left  # else it was never killed while it wrote
    write_atomically(target, b"whole")
    assert list(tmp_path.iterdir()) == [target]


def test_a_file_that_is_being_written_is_left_alone_by_others(tmp_path):
    target = tmp_path / "page.html"
    process = subprocess.Popen(
        [sys.executable, "-c", WRITES_FOR_EVER, target], stdout=subprocess.PIPE
    )
    process.stdout.readline()
    for _ in range(60):
        write_atomically(target, b"B" * 3_000_000)
        assert process.poll() is None
    process.kill()
    process.communicate()
    assert len(target.read_bytes()) == 3_000_000


def test_a_file_keeps_its_mode_and_a_link_stays_one(data, tmp_path):
    page, link = tmp_path / "kept.html", tmp_path / "link.html"
    page.write_text("old")
    page.chmod(0o640)
    link.symlink_to(page)
    assert run("profile", data, "-o", link, "-q").returncode == 0
    assert link.is_symlink()
    assert stat.S_IMODE(page.stat().st_mode) == 0o640
    assert page.read_text().startswith("<!doctype html>")
    new = tmp_path / "new.html"
    assert run("profile", data, "-o", new, "-q", umask=0o027).returncode == 0
    assert stat.S_IMODE(new.stat().st_mode) == 0o640


def test_a_pipe_is_written_to(data, tmp_path):
    pipe = tmp_path / "page.md"
    os.mkfifo(pipe)
    with subprocess.Popen(["cat", pipe], stdout=subprocess.PIPE, text=True) as reader:
        assert run("profile", data, "-o", pipe, "-q").returncode == 0
        assert reader.communicate()[0].startswith("## ")


def test_a_full_output_is_an_error_in_one_line(data):
    with Path("/dev/full").open("w") as full:
        done = run("profile", data, stdout=full)
    assert done.returncode == 2
    assert done.stderr == (
        "nachsicht: the output cannot be written: there is no room on the device.\n"
    )


def test_an_output_that_nobody_reads_ends_the_command_quietly(data):
    read, write = os.pipe()
    os.close(read)
    with os.fdopen(write, "w") as nobody:
        done = run("profile", data, stdout=nobody)
    assert (done.returncode, done.stderr) == (141, "")


@pytest.mark.parametrize("encoding", ["ascii", "latin-1", "cp1252"])
def test_an_output_of_another_encoding_gets_what_it_can_hold(data, encoding):
    own = os.environ | {"PYTHONIOENCODING": encoding}
    done = run("profile", data, stdout=subprocess.PIPE, env=own, encoding=encoding)
    assert (done.returncode, done.stderr) == (0, "")
    assert "300 rows" in done.stdout


def test_the_unexpected_is_one_line_that_says_where_to_report_it(data, tmp_path):
    (tmp_path / "sitecustomize.py").write_text(
        "import nachsicht\n"
        "def fail(*_, **__):\n    raise ZeroDivisionError('ho\\x1b[31mney')\n"
        "nachsicht.profile = fail\n"
    )
    own = os.environ | {"PYTHONPATH": str(tmp_path)}
    done = run("profile", data, env=own, stdout=subprocess.PIPE)
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)
    assert "ZeroDivisionError" in done.stderr
    assert "Reporting a problem" in done.stderr
    assert "\x1b" not in done.stderr
    assert "ney" not in done.stderr  # it may quote what nobody should see
    done = run("profile", data, "--verbose", env=own, stdout=subprocess.PIPE)
    assert done.returncode == 2
    assert done.stderr.startswith("Traceback")


@pytest.mark.parametrize("language", ["en", "de"])
@pytest.mark.parametrize(
    ("words", "names"),
    [
        (("--colour",), "--colour"),
        (("profil",), "profil"),
        (("compare",), "SOURCES"),
        (("compare", "a", "b", "--labl", "x"), "--label"),
        (("compare", "a", "b", "--label"), "--label"),
        (("compare", "a", "b", "--stop-on", "never"), "act, check"),
        (("profile", "a", "--memory", "much"), "much"),
    ],
)
def test_a_wrong_call_is_told_in_one_line_of_the_language(words, names, language):
    done = run(*words, env=os.environ | {"NACHSICHT_LANGUAGE": language})
    assert done.returncode == 2
    (line,) = done.stderr.splitlines()
    assert names in line
    sees = {"en": "See: nachsicht", "de": "Siehe: nachsicht"}
    assert sees[language] in line
    english = {"No", "Missing", "Invalid", "is", "Did", "requires", "See"}
    assert language == "en" or not english & set(line.replace(":", " ").split())
