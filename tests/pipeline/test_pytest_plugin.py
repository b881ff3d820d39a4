"""The fixture for tests of data, in a pytest of its own."""

import subprocess
import sys

import pytest

TEST = """
import pandas as pd

ROWS = pd.DataFrame({"mites": [1, 2, 3, 4] * 60, "hive": ["a", "b", "c"] * 80})


def test_delivery(steady):
    steady(ROWS.assign(mites=ROWS.mites + BY), name="checks", stop_on="check")
"""


def run(folder, by, *options):
    (folder / "test_delivery.py").write_text(TEST.replace("BY", str(by)))
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *options]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "pytest.ini").write_text("[pytest]\n")
    return tmp_path


def test_data_is_compared_with_the_profile_that_was_kept(folder):
    lacking = run(folder, 0)
    assert lacking.returncode == 1
    assert "--nachsicht-baseline" in lacking.stdout
    assert run(folder, 0, "--nachsicht-baseline").returncode == 0
    assert [p.name for p in (folder / "baselines").iterdir()] == ["test_delivery-checks.json.gz"]
    assert run(folder, 0).returncode == 0
    changed = run(folder, 40)
    assert changed.returncode == 1
    assert "mites" in changed.stdout


def test_the_plugin_loads_nothing_of_its_own():
    code = (
        "import sys, nachsicht.pytest_plugin;"
        "print([m for m in ('numpy', 'pyarrow', 'msgspec') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
