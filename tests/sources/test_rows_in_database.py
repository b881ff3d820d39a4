"""Rows of two tables of one database, matched there, against the same rows in memory."""

import numpy as np
import pandas as pd
import pytest
import sqlalchemy as sql

import nachsicht
from nachsicht.testing import sample_table

READING = [{"table": "before"}, {"table": "after"}]


def two_versions(rows=9_000):
    """Rows that came, went, were rewritten by a rule, and whose texts and flags changed."""
    frame = sample_table(rows).to_pandas().drop_duplicates("check_id")
    frame["checked_at"] = frame["checked_at"].astype("datetime64[us]")
    frame["n"] = np.arange(len(frame))
    old, new = frame.iloc[:-40].copy(), frame.iloc[60:].copy()
    new.loc[new["apiary"] == new["apiary"].iloc[0], "mites"] += 2
    new.loc[new.index[:30], "note"] = "seen again"
    new.loc[new.index[100:120], "queen_seen"] = ~new.loc[new.index[100:120], "queen_seen"].fillna(
        value=False
    ).astype(bool)
    new.loc[new.index[200:210], "weight"] = None
    return old, new


@pytest.fixture(
    params=[
        "sqlite",
        pytest.param("postgresql", marks=pytest.mark.slow),
        pytest.param("duckdb", marks=pytest.mark.slow),
    ],
)
def address(request, tmp_path):
    if request.param == "postgresql":
        return request.getfixturevalue("postgresql")
    return f"{request.param}:///{tmp_path}/union.db"


def put(address, old, new):
    engine = sql.create_engine(address)
    for name, frame in (("before", old), ("after", new)):
        frame.to_sql(name, engine, index=False, if_exists="replace", chunksize=5_000)
    engine.dispose()


def in_database(address, **settings):
    return nachsicht.compare(
        address, address, reading_by_version=READING, engine="sql", **settings
    ).document


def told(document):
    (rows,) = document.rows
    return rows


COUNTED = (
    "key", "key_detected", "added", "removed", "changed", "unchanged", "duplicate_keys",
    "not_compared",
)  # fmt: skip


@pytest.mark.parametrize("key", [("check_id",), ("apiary", "n"), ()], ids=str)
def test_rows_are_told_of_as_in_memory(address, key):
    old, new = two_versions()
    put(address, old, new)
    found, expected = (
        told(in_database(address, key=key)),
        told(nachsicht.compare(old, new, key=key).document),
    )
    for name in COUNTED:
        assert getattr(found, name) == getattr(expected, name), name
    assert (found.added, found.removed) == (40, 60)
    cells = {cell.column: cell for cell in expected.changed_cells}
    assert {cell.column: cell.rows for cell in found.changed_cells} == {
        name: cell.rows for name, cell in cells.items()
    }
    mites = next(cell for cell in found.changed_cells if cell.column == "mites")
    assert (mites.rewrite.rule, mites.rewrite.rows) == ("shifted", cells["mites"].rows)
    assert [c.by for c in mites.where] == [c.by for c in cells["mites"].where] == ["apiary"]
    assert set(found.added_keys) <= {tuple(map(str, row)) for row in keys(new, found.key)}
    assert len(found.added_keys) == 5
    for cell in found.changed_cells:  # a table has no order
        assert not cell.row_numbers
        assert all(condition.by for condition in cell.where)


def keys(frame, names):
    return frame[list(names)].astype(str).itertuples(index=False, name=None)


def test_more_rows_differ_than_are_read(address, monkeypatch):
    monkeypatch.setattr("nachsicht.engines.sql_rows.MOST_CHANGED", 500)
    old, new = two_versions()
    put(address, old, new)
    found, expected = told(in_database(address)), told(nachsicht.compare(old, new).document)
    assert found.changed == expected.changed > 600
    mites = found.changed_cells[0]
    assert (mites.column, mites.rows, mites.rewrite.rule) == (
        "mites", expected.changed_cells[0].rows, "shifted"
    )  # fmt: skip


def test_keys_that_repeat_are_counted(address):
    old, new = two_versions()
    new = pd.concat([new, new.iloc[:25], new.iloc[-5:]])  # of which five are of added rows
    put(address, old, new)
    found = told(in_database(address, key=["check_id"]))
    expected = told(nachsicht.compare(old, new, key=["check_id"]).document)
    for name in COUNTED:
        assert getattr(found, name) == getattr(expected, name), name
    assert found.duplicate_keys == (0, 60)


def test_rows_without_a_key_are_one_anothers(address):
    old, new = two_versions()
    new.loc[new.index[0], "check_id"] = None
    put(address, old, new)
    found = told(in_database(address, key=["check_id"]))
    expected = told(nachsicht.compare(old, new, key=["check_id"]).document)
    assert (found.added, found.removed) == (expected.added, expected.removed) == (41, 61)


def test_masked_values_are_not_shown(address):
    old, new = two_versions()
    put(address, old, new)
    document = in_database(address, key=["check_id"], mask=["check_id", "note"])
    assert told(document).added == 40
    assert "seen again" not in repr(document)
    assert str(new["check_id"].iloc[-1]) not in repr(document)


def test_tables_of_two_databases_are_compared_by_their_figures(tmp_path):
    old, new = two_versions()
    addresses = [f"sqlite:///{tmp_path}/{name}.db" for name in ("old", "new")]
    for address in addresses:
        put(address, old, new)
    found = nachsicht.compare(*addresses, reading_by_version=READING, engine="sql").document
    assert found.rows == ()
    assert [version.rows for version in found.versions] == [len(old), len(new)]
