"""What breaks on the way is told; nothing is half written, and no figure is wrong."""

import signal
import subprocess
import sys
import time

import pyarrow.parquet as pq
import pytest

import nachsicht
from nachsicht.testing import sample_table


@pytest.fixture
def damaged(tmp_path):
    """Three parts, of which the second has a page that was overwritten."""
    folder = tmp_path / "parts"
    folder.mkdir()
    table = sample_table()
    for i in range(3):
        options = {"write_page_checksum": True, "compression": "zstd"}
        pq.write_table(table.slice(3000 * i, 3000), folder / f"part_{i}.parquet", **options)
    path = folder / "part_1.parquet"
    content = bytearray(path.read_bytes())
    content[2000:4000] = bytes(2000)
    path.write_bytes(content)
    return folder


@pytest.mark.parametrize("settings", [{}, {"memory_bytes": 100_000}, {"engine": "dask"}], ids=str)
def test_a_damaged_part_is_named(damaged, settings):
    with pytest.raises(nachsicht.SourceUnreadable, match=r"damaged.*part_1\.parquet"):
        nachsicht.profile(damaged, **settings).document  # noqa: B018


def test_an_interrupted_command_leaves_nothing_behind(tmp_path):
    table = sample_table(400_000)
    pq.write_table(table, tmp_path / "checks.parquet", row_group_size=20_000)
    command = [sys.executable, "-m", "nachsicht", "profile", "checks.parquet", "--memory", "1MB"]
    process = subprocess.Popen(
        [*command, "-o", "page.html"], cwd=tmp_path, stderr=subprocess.PIPE, text=True
    )
    time.sleep(2.5)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=60)
    assert process.returncode == 130
    assert told.strip().splitlines()[-1] == "nachsicht: stopped; nothing was written."
    assert [path.name for path in tmp_path.iterdir()] == ["checks.parquet"]
