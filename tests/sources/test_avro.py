"""Avro files, written by fastavro, give the figures of the same records."""

import datetime as dt
import decimal

import pytest

import nachsicht
from nachsicht.errors import SourceError

fastavro = pytest.importorskip("fastavro")

SCHEMA = {
    "type": "record",
    "name": "Check",
    "fields": [
        {"name": "hive", "type": "string"},
        {"name": "mites", "type": ["null", "int"]},
        {"name": "weight", "type": "double"},
        {"name": "queen", "type": "boolean"},
        {"name": "checked", "type": {"type": "int", "logicalType": "date"}},
        {"name": "moment", "type": {"type": "long", "logicalType": "timestamp-millis"}},
        {
            "name": "price",
            "type": {"type": "bytes", "logicalType": "decimal", "precision": 8, "scale": 2},
        },
        {"name": "temper", "type": {"type": "enum", "name": "Temper", "symbols": ["calm", "wild"]}},
        {"name": "again", "type": "Temper"},
        {"name": "note", "type": ["null", "string", "int"]},
        {"name": "frames", "type": {"type": "array", "items": "int"}},
        {"name": "tags", "type": {"type": "map", "values": "string"}},
        {
            "name": "place",
            "type": {
                "type": "record",
                "name": "Place",
                "fields": [{"name": "row", "type": "int"}],
            },
        },
    ],
}
RECORDS = [
    {
        "hive": f"h{i % 40}",
        "mites": None if i % 9 == 0 else i % 7,
        "weight": 30 + (i % 100) / 10,
        "queen": i % 3 > 0,
        "checked": dt.date(2024, 3, 1) + dt.timedelta(days=i % 60),
        "moment": dt.datetime(2024, 3, 1, 8, tzinfo=dt.UTC) + dt.timedelta(minutes=i),
        "price": decimal.Decimal(i % 500) / 100,
        "temper": "calm" if i % 4 else "wild",
        "again": "calm",
        "note": (None, "strong", 7)[i % 3],
        "frames": [i % 10, 2],
        "tags": {"a": "b"},
        "place": {"row": i % 5},
    }
    for i in range(3_000)
]


@pytest.fixture(scope="module", params=["null", "deflate"])
def path(tmp_path_factory, request):
    path = tmp_path_factory.mktemp("avro") / "checks.avro"
    with path.open("wb") as file:
        fastavro.writer(file, SCHEMA, RECORDS, codec=request.param, sync_interval=4_000)
    return path


@pytest.mark.parametrize("options", [{}, {"memory_bytes": 100_000}])
def test_the_figures_are_those_of_the_records(path, options):
    found = nachsicht.profile(path, **options).document
    plain = [
        {**r, "note": None if r["note"] is None else str(r["note"]), "price": float(r["price"])}
        for r in RECORDS
    ]
    expected = nachsicht.profile(plain).document
    assert found.names == expected.names
    for one, two in zip(found.columns, expected.columns, strict=True):
        assert (one.kind, one.missing) == (two.kind, two.missing), one.name
    assert found.column("weight").stats.mean == pytest.approx(expected.column("weight").stats.mean)
    assert found.column("mites").stats.maximum == 6
    assert found.column("checked").first_value == "2024-03-01"
    assert found.column("temper").distinct == 2


def test_a_damaged_file_is_told_of(path, tmp_path):
    cut = tmp_path / "cut.avro"
    cut.write_bytes(path.read_bytes()[:-700])
    with pytest.raises(SourceError, match="damaged"):
        _ = nachsicht.profile(cut).document


def test_rows_that_are_no_records_are_refused(tmp_path):
    path = tmp_path / "numbers.avro"
    with path.open("wb") as file:
        fastavro.writer(file, "int", [1, 2, 3])
    with pytest.raises(SourceError, match="no records"):
        nachsicht.profile(path)
