"""Partition trees, here and on object storage, hold what those who wrote them put in."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import nachsicht
from nachsicht.config.settings import ReadOptions
from nachsicht.sources import source_of
from nachsicht.testing import differences, sample_table


def checks():
    """Hive checks with a year, a region with odd names, and rows without a region."""
    frame = sample_table(600).to_pandas()
    frame["year"] = 2020 + np.arange(600) % 3
    frame["region"] = pd.array(["north", "a/b = c", "süd", None] * 150, "str")
    return frame


def written(frame, folder, **options):
    frame.to_parquet(folder, partition_cols=["year", "region"], index=False, **options)
    (folder / "_SUCCESS").touch()
    (folder / "year=2020" / ".part.crc").write_bytes(b"crc")
    return folder


def assert_all_there(found, frame):
    assert found.document.rows == len(frame)
    by_name = {column.name: column for column in found.document.columns}
    assert {*by_name} == {*frame.columns}
    year, region = by_name["year"], by_name["region"]
    assert (year.dtype, year.missing, year.distinct) == ("int64", 0, 3)
    assert (region.missing, region.distinct) == (150, 3)
    assert {level.value: level.count for level in region.stats.levels} == dict.fromkeys(
        ["north", "a/b = c", "süd"], 150
    )
    assert by_name["mites"].stats.mean == pytest.approx(frame["mites"].mean())


@pytest.mark.parametrize(
    "settings",
    [{}, {"memory_bytes": 100_000}, pytest.param({"engine": "dask"}, marks=pytest.mark.slow)],
    ids=str,
)
def test_folders_of_partitions_are_columns(tmp_path, settings):
    frame = checks()
    found = nachsicht.profile(written(frame, tmp_path / "checks"), **settings)
    assert_all_there(found, frame)


def test_a_column_of_the_file_is_not_replaced_by_its_folder(tmp_path):
    for year in (2020, 2021):
        folder = tmp_path / f"year={year}"
        folder.mkdir()
        pq.write_table(pa.table({"year": [year + 0.5] * 30, "n": range(30)}), folder / "0.parquet")
    year = nachsicht.profile(tmp_path).document.column("year")
    assert (year.stats.minimum, year.stats.maximum) == (2020.5, 2021.5)


def test_text_files_have_partitions_too(tmp_path):
    for month in ("01", "12"):
        folder = tmp_path / f"month={month}"
        folder.mkdir()
        (folder / "checks.csv").write_text(
            "hive,mites\n" + "".join(f"h{i},{i}\n" for i in range(30))
        )
    month = nachsicht.profile(tmp_path).document.column("month")
    assert (month.distinct, month.rows, month.dtype) == (2, 60, "int64")


def test_other_folders_below_are_not_looked_into(tmp_path):
    (tmp_path / "old").mkdir()
    pq.write_table(pa.table({"n": [1]}), tmp_path / "old" / "0.parquet")
    with pytest.raises(nachsicht.SourceNotFoundError, match="old"):
        nachsicht.profile(tmp_path)


def test_folders_at_addresses(tmp_path):
    import fsspec

    frame = checks()
    store = fsspec.filesystem("memory")
    store.put(str(written(frame, tmp_path / "checks")), "/union/checks", recursive=True)
    found = nachsicht.profile("memory://union/checks")
    assert_all_there(found, frame)
    assert found.label == "checks"
    half = nachsicht.profile("memory://union/checks/year=2020/*/*.parquet")
    assert half.document.rows == 200
    store.pipe("/union/text/year=2020/a.csv", b"n,m\n1,2\n3,4\n")
    store.pipe("/union/text/year=2021/b.csv", b"n,m\n5,6\n")
    text = nachsicht.profile("memory://union/text").document
    assert (text.rows, text.names) == (3, ("n", "m", "year"))
    with pytest.raises(nachsicht.SourceNotFoundError, match="memory://union/none"):
        nachsicht.profile("memory://union/none/*.parquet")


@pytest.fixture
def object_storage(monkeypatch):
    """A stand-in for object storage on this machine, which asks for credentials."""
    server = pytest.importorskip("moto.server")
    pytest.importorskip("s3fs")
    running = server.ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    running.start()
    host, port = running.get_host_and_port()
    monkeypatch.setenv("AWS_ENDPOINT_URL", f"http://{host}:{port}")
    monkeypatch.setenv("AWS_ACCESS_KEY_ID", "keeper")
    monkeypatch.setenv("AWS_SECRET_ACCESS_KEY", "geheim")
    monkeypatch.setenv("AWS_DEFAULT_REGION", "us-east-1")
    yield
    running.stop()


@pytest.mark.slow
def test_workers_read_object_storage_themselves(object_storage, tmp_path):
    import s3fs
    from distributed import Client, LocalCluster

    frame = checks()
    store = s3fs.S3FileSystem(skip_instance_cache=True)
    store.mkdir("union")
    store.put(str(written(frame, tmp_path / "checks")), "union/checks", recursive=True)
    here = nachsicht.profile("s3://union/checks").document
    assert_all_there(nachsicht.profile("s3://union/checks"), frame)
    with (
        LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster,
        Client(cluster),
    ):
        found = nachsicht.profile("s3://union/checks", engine="dask").document
    assert found.fingerprint == here.fingerprint
    assert not [*differences(here, found, None)]
    assert "geheim" not in repr(found)


def test_parts_that_are_open_hold_no_rows(tmp_path):
    rng = np.random.default_rng(4)
    for part in range(8):
        columns = {f"n{i}": rng.normal(size=50_000) for i in range(4)}
        pq.write_table(pa.table(columns), tmp_path / f"{part}.parquet")
    before = pa.total_allocated_bytes()
    opened = source_of(tmp_path, ReadOptions()).open()
    assert pa.total_allocated_bytes() - before < 1_000_000  # of 13 MB
    assert opened.memory_bytes > 10_000_000
