"""Groups and slices of a table that does not fit in memory: compared as if it did."""

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pyarrow import csv

import nachsicht
from nachsicht.testing import differences, sample_table

TABLE = sample_table(6_000)
#: Less than the table takes, and enough for each group; and so little that groups are streamed too.
SOME, LITTLE = 1_450_000, 60_000
WAYS = {
    "each with the rest": lambda data, **options: nachsicht.compare_groups(
        data, "temper", **options
    ),
    "two": lambda data, **options: nachsicht.compare_groups(
        data, "temper", groups=("calm", "lively"), **options
    ),
    "months": lambda data, **options: nachsicht.compare_groups(data, "checked_at", **options),
    "before and after": lambda data, **options: nachsicht.compare_groups(
        data, "checked_at", split_at="2024-05-01", **options
    ),
    "by numbers": lambda data, **options: nachsicht.compare_groups(
        data, "mites", split_at=(3, 6), **options
    ),
}


@pytest.fixture(params=["parquet", pytest.param("csv", marks=pytest.mark.slow)])
def path(request, tmp_path):
    name = tmp_path / f"checks.{request.param}"
    if request.param == "csv":
        csv.write_csv(TABLE, name)
    else:
        pq.write_table(TABLE, name, row_group_size=900)
    return name


def _without_versions(document):
    return msgspec.to_builtins(msgspec.structs.replace(document, versions=()))


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
def test_groups_that_fit_are_told_as_in_memory(way, path):
    expected = way(path, memory_bytes=1 << 33).document
    found = way(path, memory_bytes=SOME).document
    assert len(found.versions) > 1
    for one, other in zip(found.versions, expected.versions, strict=True):
        assert one.origin.settings != other.origin.settings
        assert [*differences(other, one, TABLE)] == []
    assert _without_versions(found) == _without_versions(expected)


@pytest.mark.parametrize("way", ["two", "months"])
def test_groups_that_do_not_fit_are_streamed_themselves(way, path):
    made = WAYS[way](path, memory_bytes=LITTLE)
    whole = WAYS[way](TABLE)
    for found, expected in zip(made.document.versions, whole.document.versions, strict=True):
        assert found.label == expected.label
        rows = _rows_of(found.label, way)
        assert found.rows == rows.num_rows
        assert [*differences(expected, found, rows)] == []


def _rows_of(label, way):
    if way == "two":
        chosen = np.asarray(TABLE["temper"].to_pylist()) == label
        return TABLE.filter(pa.array(chosen)).drop_columns("temper")
    months = np.asarray(TABLE["checked_at"]).astype("datetime64[M]").astype(str)
    return TABLE.filter(pa.array(months == label)).drop_columns("checked_at")
