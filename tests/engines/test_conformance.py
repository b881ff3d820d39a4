"""Every source and every engine gives the figures of memory; those that estimate, within bounds."""

import gzip

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pyarrow import csv, feather

import nachsicht
from nachsicht.comparison.rows import partitions
from nachsicht.model.codec import encode
from nachsicht.testing import NotConforming, assert_conforms, differences, sample_table

of_spark = pytest.mark.filterwarnings("ignore::FutureWarning", "ignore::DeprecationWarning")
#: Little enough that every source streams, and that values of 60,000 rows are condensed.
LITTLE = 400_000


def parquet(table, folder):
    pq.write_table(table, folder / "checks.parquet", row_group_size=4_000)
    return folder / "checks.parquet"


def parts(table, folder):
    (folder / "parts").mkdir()
    for start in range(0, table.num_rows, 1_700):
        pq.write_table(table.slice(start, 1_700), folder / "parts" / f"part_{start:06d}.parquet")
    return folder / "parts"


def text(table, folder):
    csv.write_csv(table, folder / "checks.csv")
    return folder / "checks.csv"


def packed_text(table, folder):
    path = text(table, folder)
    (folder / "checks.csv.gz").write_bytes(gzip.compress(path.read_bytes()))
    return folder / "checks.csv.gz"


def arrow(table, folder):
    feather.write_feather(table, folder / "checks.arrow")
    return folder / "checks.arrow"


FILES = {"Parquet": parquet, "parts": parts, "CSV": text, "packed CSV": packed_text, "Arrow": arrow}
FRAMES = {"pandas": lambda t: t.to_pandas(types_mapper=pd.ArrowDtype), "Polars": pl.from_arrow}


@pytest.mark.parametrize("give", FILES.values(), ids=FILES)
@pytest.mark.parametrize("memory_bytes", [1 << 30, LITTLE], ids=["in memory", "streaming"])
def test_files(give, memory_bytes, tmp_path, monkeypatch):
    monkeypatch.setattr("nachsicht.engines.local._KEPT", 1000)  # streams keep all values
    assert_conforms(lambda table: give(table, tmp_path), memory_bytes=memory_bytes)


def test_a_column_may_be_missing_in_whole_pieces():
    table = sample_table()
    mites = table["mites"].to_pandas()
    mites[1_000:3_500] = None
    place = table.schema.get_field_index("mites")
    table = table.set_column(place, "mites", pa.array(mites, pa.int64(), from_pandas=True))
    empty = pa.array([None] * table.num_rows, pa.float64())
    table = table.append_column("never", empty)
    assert_conforms(lambda table: in_dask(table, 20), table=table)


@pytest.mark.parametrize("give", FRAMES.values(), ids=FRAMES)
def test_frames(give):
    assert_conforms(give)


@pytest.mark.parametrize("give", [parquet, parts, text], ids=["Parquet", "parts", "CSV"])
def test_estimates_of_streams_keep_their_bounds(give, tmp_path):
    table = sample_table(60_000)
    found = assert_conforms(lambda t: give(t, tmp_path), table=table, memory_bytes=LITTLE)
    assert any(column.error_bounds for column in found.columns)
    kept = tmp_path / "kept.json"
    kept.write_bytes(encode(found))
    assert nachsicht.read(kept).document == found


@pytest.mark.parametrize("give", [parquet, parts, text], ids=["Parquet", "parts", "CSV"])
def test_dask_computes_the_pieces_of_any_source(give, tmp_path, dask_client):
    assert_conforms(lambda table: give(table, tmp_path), engine="dask")


def test_dask_dataframes(dask_client):
    from dask import dataframe

    def give(table):
        return dataframe.from_pandas(table.to_pandas(types_mapper=pd.ArrowDtype), npartitions=11)

    assert_conforms(give)
    table = sample_table(60_000)
    found = assert_conforms(give, table=table, memory_bytes=LITTLE)
    assert any(column.error_bounds for column in found.columns)


@pytest.mark.parametrize("settings", [{"engine": "dask"}, {"memory_bytes": 3_000_000}])
def test_few_different_rows_are_drawn_as_in_memory(settings, tmp_path, dask_client, monkeypatch):
    monkeypatch.setattr("nachsicht.engines.local._KEPT", 1000)
    table = pa.concat_tables([sample_table(200)] * 150)
    give = lambda rows: parts(rows, tmp_path)  # noqa: E731
    found = assert_conforms(give, table=table, **settings)
    assert found.relations.sampled_rows == 10_000
    assert len(found.excerpt.sampled) == 10
    expected = nachsicht.profile(table, outcome="temper").document.outcome
    assert nachsicht.profile(tmp_path / "parts", outcome="temper", **settings).document.outcome == (
        expected
    )


def test_dask_without_a_cluster(tmp_path):
    assert_conforms(lambda table: parts(table, tmp_path), engine="dask")


@of_spark
def test_spark_dataframes(spark, tmp_path):
    spark.conf.set("spark.sql.files.maxPartitionBytes", "60000")

    def give(table):
        path = tmp_path / f"{table.num_rows}.parquet"
        pq.write_table(table, path, row_group_size=500)
        return spark.read.parquet(str(path))

    assert give(sample_table()).rdd.getNumPartitions() > 8
    assert_conforms(give)
    table = sample_table(60_000)
    found = assert_conforms(give, table=table, memory_bytes=LITTLE)
    assert any(column.error_bounds for column in found.columns)


def two_versions():
    """The sample with rows that came, went and were rewritten."""
    old = sample_table().slice(0, 8_970)
    new = pa.concat_tables([old.slice(40), old.slice(0, 40)]).slice(0, 8_900)
    mites = np.asarray(new["mites"]).copy()
    mites[:900] += 2
    place = new.schema.get_field_index("mites")
    return old, new.set_column(place, "mites", pa.array(mites))


@pytest.fixture
def by_workers(monkeypatch):
    """Rows are matched by those who hold them, not by this process."""

    def refuse(*_):
        raise AssertionError("the records came to this process")

    monkeypatch.setattr(partitions, "read_again", refuse)


def assert_same_rows(old, new):
    (expected,) = nachsicht.compare(*two_versions(), key="check_id").document.rows
    (found,) = nachsicht.compare(old, new, key="check_id").document.rows
    assert (expected.removed, expected.changed) == (70, 900)
    assert expected.changed_cells[0].rewrite.rule == "shifted"
    assert found == expected


def in_dask(table, pieces=11):
    from dask import dataframe

    return dataframe.from_pandas(table.to_pandas(types_mapper=pd.ArrowDtype), npartitions=pieces)


@pytest.fixture
def in_spark(spark, tmp_path):
    def frame(table):
        path = tmp_path / f"{len([*tmp_path.iterdir()])}.parquet"
        pq.write_table(table, path, row_group_size=500)
        return spark.read.parquet(str(path))

    spark.conf.set("spark.sql.files.maxPartitionBytes", "60000")
    return frame


def test_rows_are_matched_by_dasks_workers(dask_client, by_workers):
    assert_same_rows(*map(in_dask, two_versions()))


def test_rows_of_a_cluster_are_matched_with_those_at_hand(dask_client):
    old, new = two_versions()
    assert_same_rows(old, in_dask(new))


@of_spark
@pytest.mark.parametrize("give", FILES.values(), ids=FILES)
def test_spark_reads_the_pieces_of_any_source(spark, give, tmp_path):
    found = assert_conforms(lambda table: give(table, tmp_path), engine="spark")
    assert found.rows == sample_table().num_rows


@of_spark
def test_rows_are_matched_by_spark(in_spark, by_workers):
    assert_same_rows(*map(in_spark, two_versions()))


def skewed():
    """Two versions of which most rows share a key, and some have none."""
    versions = []
    for table in two_versions():
        ids = table["check_id"].to_pylist()
        ids = [None if i % 97 == 0 else "C-7" if i % 4 else n for i, n in enumerate(ids)]
        place = table.schema.get_field_index("check_id")
        versions.append(table.set_column(place, "check_id", pa.array(ids)))
    return versions


def assert_same_skewed(give):
    versions = skewed()
    (expected,) = nachsicht.compare(*versions, key="check_id").document.rows
    (found,) = nachsicht.compare(*map(give, versions), key="check_id").document.rows
    assert min(expected.duplicate_keys) > 6000
    assert found == expected


def test_most_rows_may_share_a_key_in_dask(dask_client, by_workers):
    assert_same_skewed(in_dask)


@of_spark
def test_most_rows_may_share_a_key_in_spark(in_spark, by_workers):
    assert_same_skewed(in_spark)


def without_a_key(give, **settings):
    versions = [table.drop_columns(["check_id"]) for table in two_versions()]
    (found,) = nachsicht.compare(*map(give, versions), **settings).document.rows
    return found


def test_whole_rows_are_matched_by_dasks_workers(dask_client, by_workers):
    assert without_a_key(in_dask) == without_a_key(lambda table: table)


@of_spark
def test_whole_rows_are_matched_by_spark(in_spark, by_workers):
    assert without_a_key(in_spark) == without_a_key(lambda table: table)


def assert_same_groups(given, by, **settings):
    """Groups of rows on a cluster are told of as those of the same rows in memory."""
    expected = nachsicht.compare_groups(sample_table(), by, **settings).document
    found = nachsicht.compare_groups(given, by, **settings).document
    assert [v.title for v in found.versions] == [v.title for v in expected.versions]
    for one, two in zip(expected.versions, found.versions, strict=True):
        assert not [*differences(one, two, sample_table().drop_columns([by]))]
    assert [f.code for f in found.findings] == [f.code for f in expected.findings]
    assert found.verdict == expected.verdict


#: By all levels, by two of them, and by month.
DIVIDED = [("temper", {}), ("temper", {"groups": ["calm", "lively"]}), ("checked_at", {})]


@pytest.mark.parametrize(("by", "settings"), DIVIDED, ids=str)
def test_groups_are_computed_by_dasks_workers(dask_client, by, settings):
    assert_same_groups(in_dask(sample_table()), by, **settings)


@of_spark
@pytest.mark.parametrize(("by", "settings"), DIVIDED, ids=str)
def test_groups_are_computed_by_spark(in_spark, by, settings):
    assert_same_groups(in_spark(sample_table()), by, **settings)


def test_groups_of_a_cluster_need_a_column_of_few_values(dask_client):
    with pytest.raises(nachsicht.SettingsError, match="check_id"):
        nachsicht.compare_groups(in_dask(sample_table()), "check_id")
    with pytest.raises(nachsicht.SettingsError, match="no_such"):
        nachsicht.compare_groups(in_dask(sample_table()), "no_such")


def test_other_figures_do_not_conform():
    def give(table):
        return table.set_column(5, "mites", pa.array([n + 1 for n in table["mites"].to_pylist()]))

    with pytest.raises(NotConforming, match=r"mites|columns\[5\]"):
        assert_conforms(give)
