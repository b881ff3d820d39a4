"""The rules of rows, held by a validator of JSON Schema and by real databases."""

import json
import sqlite3

import jsonschema
import pandas as pd
import pytest

import nachsicht

ROWS = pd.DataFrame(
    {
        "check_id": [f"C-{i:04d}" for i in range(400)],
        "temper": ["calm", "lively", "don't know", None] * 100,
        "mites": [float(i % 9) if i % 7 else None for i in range(400)],
        "frames": [i % 11 for i in range(400)],
        "day": [f"2024-05-{i % 28 + 1:02d}" for i in range(400)],
        'odd "name"': ["x"] * 400,
    }
).astype({"frames": "int64"})
#: A row that keeps to the rules, and changes of it that do not.
GOOD = {
    "check_id": "C-9999",
    "temper": "calm",
    "mites": None,
    "frames": 3,
    "day": "2024-06-01",
    'odd "name"': "x",
}
BAD = [{"temper": "furious"}, {"frames": None}, {"check_id": None}]


@pytest.fixture(scope="module")
def profile(tmp_path_factory):
    path = tmp_path_factory.mktemp("rules") / "checks.csv"
    ROWS.to_csv(path, index=False)
    return nachsicht.profile(path)


def test_a_validator_takes_the_rows_and_refuses_others(profile, tmp_path):
    schema = json.loads(profile.write(tmp_path / "checks.jsonschema").read_text())
    validator = jsonschema.Draft202012Validator(schema)
    validator.check_schema(schema)
    plain = ROWS.astype(object).where(ROWS.notna(), None).to_dict("records")
    assert all(validator.is_valid(row) for row in [*plain, GOOD])
    for change in [*BAD, {"frames": "many"}, {"mites": "none"}]:
        assert not validator.is_valid(GOOD | change), change
    del plain[0]["check_id"]
    assert not validator.is_valid(plain[0])


def sqlite():
    return sqlite3.connect(":memory:")


def duckdb():
    return pytest.importorskip("duckdb").connect()


@pytest.mark.parametrize("connect", [sqlite, duckdb])
def test_a_database_takes_the_rows_and_refuses_others(profile, tmp_path, connect):
    database = connect()
    database.execute(profile.write(tmp_path / "checks.sql").read_text())
    places = ", ".join("?" * len(GOOD))
    insert = f'INSERT INTO "checks" VALUES ({places})'  # noqa: S608
    for row in ROWS.astype(object).where(ROWS.notna(), None).to_numpy().tolist():
        database.execute(insert, row)
    for change in [*BAD, {"check_id": "C-0000"}]:
        with pytest.raises(Exception, match=r"(?i)constraint"):
            database.execute(insert, [*(GOOD | change).values()])
    database.execute(insert, [*GOOD.values()])
    (count,) = database.execute('SELECT count(*) FROM "checks"').fetchall()[0]
    assert count == len(ROWS) + 1


def test_names_and_levels_break_out_of_no_statement():
    hostile = "x\"'; DROP TABLE hives; --"
    frame = pd.DataFrame({hostile: [hostile, "b", "c"] * 50})
    statement = nachsicht.profile(frame).to_sql(hostile)
    database = sqlite()
    database.executescript("CREATE TABLE hives (n INT);" + statement)
    names = [name for (name,) in database.execute("SELECT name FROM sqlite_master").fetchall()]
    assert names == ["hives", hostile]
