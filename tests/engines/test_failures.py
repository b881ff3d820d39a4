"""What breaks on the way is retried or told; nothing is half written, and no figure is wrong."""

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pandas as pd
import pyarrow.parquet as pq
import pytest

import nachsicht
from nachsicht.comparison.rows import partitions
from nachsicht.testing import assert_conforms, sample_table


def test_the_parts_of_a_dask_worker_that_is_killed_are_computed_again(dask_client):
    from dask import dataframe

    def slowly(start, rows):
        time.sleep(0.4)  # so that there is time to break something
        return sample_table().slice(start, rows).to_pandas(types_mapper=pd.ArrowDtype)

    killed = []

    def kill():
        time.sleep(2)
        killed.append(next(iter(dask_client.run(os.getpid).values())))
        os.kill(killed[0], signal.SIGKILL)

    starts = list(range(0, sample_table().num_rows, 500))
    frame = dataframe.from_map(slowly, starts, rows=500, meta=slowly(0, 0))
    killer = threading.Thread(target=kill)
    killer.start()
    assert_conforms(lambda _: frame)
    killer.join()
    dask_client.wait_for_workers(2, timeout=60)
    assert killed[0] not in dask_client.run(os.getpid).values()


def test_rows_are_matched_though_a_worker_is_killed_meanwhile(dask_client, tmp_path, monkeypatch):
    from dask import dataframe

    match, lost = partitions._match, tmp_path / "lost"

    def dying(partition, old, new):
        if partition == 5 and not lost.exists():
            lost.touch()
            os.kill(os.getpid(), signal.SIGKILL)
        return match(partition, old, new)

    monkeypatch.setattr(partitions, "_match", dying)
    old, new = sample_table().slice(0, 8_900), sample_table().slice(60)
    frames = [
        dataframe.from_pandas(table.to_pandas(types_mapper=pd.ArrowDtype), npartitions=9)
        for table in (old, new)
    ]
    (found,) = nachsicht.compare(*frames, key="check_id").document.rows
    assert lost.exists()
    monkeypatch.undo()
    (expected,) = nachsicht.compare(old, new, key="check_id").document.rows
    assert (found, expected.removed) == (expected, 60)
    dask_client.wait_for_workers(2, timeout=60)


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
    with pytest.raises(nachsicht.UnreadableSourceError, match=r"damaged.*part_1\.parquet"):
        nachsicht.profile(damaged, **settings).document  # noqa: B018


@pytest.mark.filterwarnings("ignore::FutureWarning", "ignore::DeprecationWarning")
def test_a_part_that_spark_cannot_read_is_told_in_our_words(damaged, spark):
    frame = spark.read.parquet(str(damaged))
    with pytest.raises(
        nachsicht.UnreadableSourceError, match=r"Spark could not read .*part_1\.parquet"
    ):
        nachsicht.profile(frame).document  # noqa: B018


BARE_WORKERS = """
from pyspark.sql import SparkSession
import nachsicht
builder = SparkSession.builder.master("local[1]").config("spark.ui.enabled", "false")
session = builder.getOrCreate()
session.sparkContext.setLogLevel("OFF")
try:
    nachsicht.profile(session.range(100)).document
except nachsicht.SettingsError as error:
    print(error)
"""


def test_spark_workers_without_the_package_are_told_of(spark, tmp_path):
    bare = tmp_path / "python"
    bare.write_text(f'#!/bin/sh\nexec "{os.path.realpath(sys.executable)}" -S "$@"\n')
    bare.chmod(0o755)
    environment = {**os.environ, "PYSPARK_PYTHON": str(bare)}
    command = [sys.executable, "-W", "ignore", "-c", BARE_WORKERS]
    told = subprocess.run(
        command, check=True, env=environment, capture_output=True, text=True, timeout=120
    )
    assert told.stdout.startswith(
        "Spark's workers have no package nachsicht: engine spark. Install"
    )


def _reads(process, file):
    """Whether a process has a file open, as far as the system tells."""
    open_files = Path(f"/proc/{process.pid}/fd")
    with contextlib.suppress(OSError):
        return any(link.exists() and link.samefile(file) for link in open_files.iterdir())
    return False


def test_an_interrupted_command_leaves_nothing_behind(tmp_path):
    data = tmp_path / "checks.parquet"
    pq.write_table(sample_table(800_000), data, row_group_size=20_000)
    command = [sys.executable, "-m", "nachsicht", "profile", "checks.parquet", "--memory", "1MB"]
    process = subprocess.Popen(
        [*command, "-o", "page.html"], cwd=tmp_path, stderr=subprocess.PIPE, text=True
    )
    while not _reads(process, data):
        assert process.poll() is None
        time.sleep(0.02)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=60)
    assert process.returncode == 130
    assert told.strip().splitlines()[-1] == "nachsicht: stopped; nothing was written."
    assert [path.name for path in tmp_path.iterdir()] == ["checks.parquet"]
