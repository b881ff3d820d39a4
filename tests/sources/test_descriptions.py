"""Descriptions in open formats, from files that are found, named, damaged, and written by us."""

import json
import subprocess
import sys
from contextlib import closing

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import nachsicht

CODES = ("schema_violation", "schema_missing_columns", "undocumented_columns")
FIELDS = [
    {"name": "hive", "type": "integer", "constraints": {"unique": True}, "title": "The hive"},
    {"name": "kg", "type": "number", "unit": "kg", "constraints": {"minimum": 0, "maximum": 90}},
    {"name": "temper", "constraints": {"enum": ["calm", "lively"], "required": True}},
    {"name": "site", "type": "string", "description": "Where it stands."},
]
SCHEMA = {"fields": FIELDS, "missingValues": ["", "-9"], "primaryKey": ["hive"]}
CSVW = {
    "@context": "http://www.w3.org/ns/csvw",
    "url": "checks.csv",
    "dc:title": "Hive checks",
    "tableSchema": {
        "null": "-9",
        "columns": [
            {"name": "h", "titles": "hive", "datatype": "integer", "dc:title": {"en": "The hive"}},
            {
                "titles": {"en": ["kg"]},
                "datatype": {"base": "decimal", "minimum": 0, "maxInclusive": 90},
                "schema:unitText": "kg",
            },
            {"titles": "temper", "required": True, "datatype": {"format": "calm|lively"}},
            {
                "titles": "site",
                "dc:description": [{"@value": "Where it stands.", "@language": "en"}],
            },
        ],
        "primaryKey": "h",
    },
}
ROWS = pd.DataFrame(
    {
        "hive": [1, 2, 3, 3],
        "kg": [35.5, -9, 95, -1],
        "temper": ["calm", "lively", "Calm", None],
        "site": [10115, 80331, 10115, 1067],
    }
)


@pytest.fixture
def data(tmp_path):
    path = tmp_path / "checks.csv"
    ROWS.to_csv(path, index=False)
    return path


def broken(profile):
    """Rows that break each rule of each column."""
    return {
        (finding.columns[0], finding.evidence["rule"]): finding.evidence["rows"]
        for finding in profile.findings
        if finding.code == "schema_violation"
    }


@pytest.mark.parametrize(
    ("name", "content", "levels"),
    [
        ("checks.schema.json", SCHEMA, "levels"),
        ("checks.csv-metadata.json", CSVW, "pattern"),
        ("csv-metadata.json", {"tables": [{"url": "other.csv"}, CSVW]}, "pattern"),
        (
            "datapackage.json",
            {"resources": [{"path": "x.csv"}, {"path": "checks.csv", "schema": SCHEMA}]},
            "levels",
        ),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
@pytest.mark.parametrize("memory", [0, 1])
def test_what_lies_beside_the_data_is_read_and_held_against_it(data, name, content, levels, memory):
    (data.parent / name).write_text(json.dumps(content))
    made = nachsicht.profile(data, memory_bytes=memory)
    assert broken(made) == {
        ("hive", "unique"): 1,
        ("kg", "minimum"): 1,  # -9 stands for missing
        ("kg", "maximum"): 1,
        ("temper", levels): 1,
        ("temper", "required"): 1,
    }
    columns = {column.name: column for column in made.document.columns}
    assert columns["kg"].missing == 1
    assert columns["kg"].unit == "kg"
    codes = "identifier" if memory else "category"  # beyond memory numbers keep no levels
    assert (columns["hive"].kind, columns["site"].kind) == ("identifier", codes)
    assert columns["site"].kind_reason == "described"
    assert made.document.description.column("hive").title == "The hive"
    assert made.document.description.source == name
    again = nachsicht.profile(data, reading={"description": ""})
    assert again.document.description is None
    assert not broken(again)


def test_columns_that_lack_and_those_that_are_not_described(data):
    fields = [*FIELDS[:3], {"name": "queen", "constraints": {"required": True}}]
    described = data.parent / "any.json"
    described.write_text(json.dumps({"fields": fields}))
    made = nachsicht.profile(data, reading={"description": str(described)})
    told = {finding.code: finding for finding in made.findings if finding.code in CODES[1:]}
    assert told["schema_missing_columns"].evidence["columns"] == ("queen",)
    assert told["schema_missing_columns"].severity == "act"
    assert told["undocumented_columns"].columns == ("site",)
    rows = [f.example_rows[0] for f in made.findings if f.evidence.get("rule") == "levels"]
    assert [row.row for row in rows[0].rows] == [3]
    calm = nachsicht.profile(data, reading={"description": str(described)}, omit=["queen*"])
    assert "schema_missing_columns" not in {finding.code for finding in calm.findings}


def test_a_comparison_tells_what_the_newest_breaks_and_nothing_twice(tmp_path):
    rng = np.random.default_rng(3)
    old = pd.DataFrame({"id": np.arange(500), "kg": rng.normal(40, 5, 500), "t": ["a", "b"] * 250})
    new = old.assign(kg=old["kg"].where(old.index != 7, -1), t=["a", "c"] * 250)
    fields = [
        {"name": "id", "type": "integer"},
        {"name": "kg", "type": "number", "constraints": {"minimum": 0}},
        {"name": "t", "constraints": {"enum": ["a", "b"]}},
        {"name": "gone"},
    ]
    path = tmp_path / "d.json"
    path.write_text(json.dumps({"fields": fields, "primaryKey": "id"}))
    made = nachsicht.compare(old, new, reading={"description": str(path)})
    told = [(f.code, f.columns) for f in made.findings]
    assert ("schema_violation", ("kg",)) in told
    assert ("schema_violation", ("t",)) not in told  # the new level is told as a change
    assert ("schema_missing_columns", ()) in told
    assert made.document.rows[0].key == ("id",)
    # Of two versions of which both lack a column, the removal is no change.
    removed = nachsicht.compare(old.assign(gone=1), new, reading={"description": str(path)})
    codes = [f.code for f in removed.findings]
    assert "removed" in codes
    assert "schema_missing_columns" not in codes


@pytest.mark.parametrize(
    ("content", "told"),
    [
        ("{", "cannot be read"),
        ('{"fields": [{"type": "string"}]}', "cannot be understood"),
        ('{"resources": [{"path": "checks.csv", "schema": "lost.json"}]}', "cannot be understood"),
        ('{"fields": 5, "what": 1}', "describes no table"),
        ("[]", "describes no table"),
    ],
)
def test_what_is_no_description_is_said(data, content, told):
    path = data.parent / "named.json"
    path.write_text(content)
    with pytest.raises(nachsicht.SourceError, match=told) as failed:
        nachsicht.profile(data, reading={"description": str(path)})
    assert str(path) in str(failed.value)
    with pytest.raises(nachsicht.SourceError, match="no such description"):
        nachsicht.profile(data, reading={"description": str(data.parent / "none.json")})


def test_a_description_is_no_part_of_a_folder_and_serves_all_of_it(tmp_path):
    for part in ("a", "b"):
        ROWS.to_csv(tmp_path / f"{part}.csv", index=False)
    package = {"resources": [{"path": ["a.csv", "b.csv"], "schema": SCHEMA}]}
    (tmp_path / "datapackage.json").write_text(json.dumps(package))
    made = nachsicht.profile(tmp_path)
    assert made.document.rows == 8
    assert broken(made)["kg", "maximum"] == 2


@pytest.mark.parametrize(
    ("datatype", "rows"),
    [
        ({"base": "positiveInteger"}, 2),
        ({"base": "positiveInteger", "minimum": 3}, 3),
        ({"base": "positiveInteger", "minExclusive": 3}, 4),
        ("nonNegativeInteger", 1),
    ],
    ids=str,
)
def test_bounds_that_a_datatype_of_csvw_implies(tmp_path, datatype, rows):
    described = {"tableSchema": {"columns": [{"titles": "n", "datatype": datatype}]}}
    (tmp_path / "d.json").write_text(json.dumps(described))
    table = pa.table({"n": [-1, 0, 2, 3, 4]})
    made = nachsicht.profile(table, reading={"description": str(tmp_path / "d.json")})
    assert broken(made) == {("n", "minimum"): rows}


FRAMES = st.fixed_dictionaries(
    {
        "n": st.lists(st.none() | st.integers(-5, 5), min_size=6, max_size=6),
        "x": st.lists(st.floats(allow_nan=True, width=32), min_size=6, max_size=6),
        "t": st.lists(st.none() | st.text(max_size=4), min_size=6, max_size=6),
        "w": st.lists(st.none() | st.sampled_from(["7", "0.5", "-3"]), min_size=6, max_size=6),
        "f": st.lists(st.none() | st.sampled_from(["yes", "no"]), min_size=6, max_size=6),
        "b": st.lists(st.none() | st.booleans(), min_size=6, max_size=6),
        "d": st.lists(st.none() | st.dates(), min_size=6, max_size=6),
    }
)


@pytest.mark.slow
@settings(deadline=None, max_examples=40, suppress_health_check=list(HealthCheck))
@given(FRAMES, st.sampled_from(["d.schema.json", "d-metadata.json"]))
def test_what_is_written_of_any_table_is_kept_by_it(tmp_path, columns, name):
    table = pa.table({name: pa.array(values) for name, values in columns.items()})
    nachsicht.profile(table).write(tmp_path / name)
    again = nachsicht.profile(table, reading={"description": str(tmp_path / name)})
    assert [f.sentence for f in again.findings if f.code in CODES] == []
    kinds = [column.kind for column in nachsicht.profile(table).document.columns]
    assert [column.kind for column in again.document.columns] == kinds


def test_what_is_written_of_the_demo_is_kept_by_it_and_broken_by_the_next(demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    written = tmp_path / "checks.schema.json"
    command = [sys.executable, "-m", "nachsicht", "profile", str(files[0]), "-q"]
    subprocess.run([*command, "-o", str(written)], check=True)
    reading = {"description": str(written)}
    kept, next_one = (nachsicht.profile(path, reading=reading) for path in files)
    assert not {f.code for f in kept.findings} & {*CODES}
    assert broken(next_one) == {("temper", "levels"): 1048}
    handed_on = next_one.to_description()
    assert json.loads(handed_on)["fields"][0]["name"] == "check_id"


def test_arrow_types_are_written_as_what_they_are(tmp_path):
    table = pa.table(
        {
            "when": pa.array([0, 1], pa.timestamp("us")),
            "day": pa.array([0, 1], pa.date32()),
            "long": pa.array([0, 1], pa.duration("s")),
            "list": [[1], [2, 3]],
            "word": pa.array(["a", "b"]).dictionary_encode(),
        }
    )
    pq.write_table(table, tmp_path / "t.parquet")
    written = json.loads(nachsicht.profile(tmp_path / "t.parquet").to_description())
    types = [field["type"] for field in written["fields"]]
    assert types == ["datetime", "date", "duration", "any", "string"]


def test_a_database_tells_of_its_own_columns(tmp_path):
    import sqlite3

    with closing(sqlite3.connect(tmp_path / "a.db")) as connection, connection:
        connection.execute("create table checks (hive integer primary key, kg real not null)")
        connection.executemany("insert into checks values (?, ?)", [(i, i / 2) for i in range(50)])
    made = nachsicht.profile(f"sqlite:///{tmp_path}/a.db", reading={"table": "checks"})
    assert made.document.description.key == ("hive",)
    assert made.document.description.column("kg").required
    assert not {f.code for f in made.findings} & {*CODES}
