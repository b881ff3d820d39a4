"""All rows that came, went or were rewritten, against what was done to them."""

import json
import subprocess
import sys

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import nachsicht
from nachsicht.errors import OutputError, SettingsError

ROWS = 3_000


@pytest.fixture(scope="module")
def old():
    rng = np.random.default_rng(3)
    return pd.DataFrame(
        {
            "check_id": [f"C-{i:05d}" for i in range(ROWS)],
            "hive": rng.choice([f"h{i}" for i in range(60)], ROWS),
            "weight": rng.normal(30, 4, ROWS).round(3),
            "note": rng.choice(["=1+1", "calm", None], ROWS),
        }
    )


@pytest.fixture(scope="module")
def new(old):
    made = old.drop(index=[4, 17, 900]).sample(frac=1, random_state=1)
    made.loc[[20, 21], "weight"] += 5
    more = pd.DataFrame({"check_id": ["C-90001"], "hive": ["h1"], "weight": [33.0]})
    made = pd.concat([made, more], ignore_index=True)
    made["mites"] = np.arange(len(made))
    return made


def checked(frame, old, new, names):
    """The ids by what is said of them; each row must stand where its number says."""
    for row in frame.to_dict("records"):
        if row["change"] in ("removed", "before"):
            own = old.iloc[int(row["old_row"]) - 1]
        else:
            own = new.iloc[int(row["new_row"]) - 1]
        assert all(row[name] == own[name] for name in names if pd.notna(own[name]))
    return {change: {*part["check_id"]} for change, part in frame.groupby("change")}


EXPECTED = {
    "removed": {"C-00004", "C-00017", "C-00900"},
    "added": {"C-90001"},
    "before": {"C-00020", "C-00021"},
    "after": {"C-00020", "C-00021"},
}


def test_rows_by_key_are_listed(old, new):
    changes = nachsicht.compare(old, new, key="check_id")
    frame = changes.rows.to_frame()
    assert list(frame)[:3] == ["change", "old_row", "new_row"]
    assert checked(frame, old, new, ["check_id", "hive", "weight"]) == EXPECTED
    told = changes.document.rows[0]
    assert (told.added, told.removed, told.changed) == (1, 3, 2)
    assert frame.loc[frame.change == "before", "mites"].isna().all()
    weights = frame[frame.change.isin(["before", "after"])].groupby("old_row")["weight"].agg(list)
    assert all(after == pytest.approx(before + 5) for before, after in weights)


def test_rows_without_a_key_are_listed(old, new):
    one, two = (frame.drop(columns="check_id") for frame in (old, new.drop(columns="mites")))
    changes = nachsicht.compare(one, two, engine="local")
    frame = changes.rows.to_frame("polars")
    assert isinstance(frame, pl.DataFrame)
    told = changes.document.rows[0]
    counts = dict(frame["change"].value_counts().iter_rows())
    assert counts.get("added", 0) == told.added
    assert counts.get("removed", 0) == told.removed
    assert counts.get("before", 0) == counts.get("after", 0) == told.changed


def test_the_command_writes_them(tmp_path, old, new):
    for name, frame in (("old", old), ("new", new)):
        frame.to_parquet(tmp_path / f"{name}.parquet")
    for suffix in (".parquet", ".csv"):
        target = tmp_path / f"rows{suffix}"
        command = [sys.executable, "-m", "nachsicht", "compare", "old.parquet", "new.parquet"]
        done = subprocess.run(
            [*command, "--key", "check_id", "--rows", target.name],
            cwd=tmp_path, capture_output=True, text=True, check=True,
        )  # fmt: skip
        assert target.name in done.stdout
    frame = pq.read_table(tmp_path / "rows.parquet").to_pandas()
    assert checked(frame, old, new, ["check_id", "note"]) == EXPECTED
    text = pd.read_csv(tmp_path / "rows.csv")
    assert checked(text, old, new, ["check_id", "weight"]) == EXPECTED
    # A spreadsheet must not take a text for a formula.
    assert {*text["note"].dropna()} <= {"'=1+1", "calm"}


def test_columns_that_have_no_type_in_common_are_listed_as_texts():
    old = pa.table({"id": range(50), "tags": [[i] for i in range(50)]})
    new = pa.table({"id": range(1, 51), "tags": [float(i) for i in range(1, 51)]})
    table = nachsicht.compare(old, new, key="id").rows.to_frame("arrow")
    assert table.column("change").to_pylist() == ["removed", "added"]
    assert table.column("tags").to_pylist() == ["[0]", "50.0"]


def test_where_rows_cannot_be_listed_it_says_so(tmp_path, old, new):
    changes = nachsicht.compare(old, new)
    with pytest.raises(OutputError, match="xlsx"):
        changes.rows.write(tmp_path / "rows.xlsx")
    with pytest.raises(SettingsError, match="safe to share"):
        _ = changes.share_safe().rows
    with pytest.raises(SettingsError, match="not compared"):
        _ = nachsicht.compare_groups(old, "note").rows
    changes.write(tmp_path / "kept.json")
    document = json.loads((tmp_path / "kept.json").read_text())
    assert document["rows"]
    with pytest.raises(SettingsError, match="in memory"):
        _ = nachsicht.read(tmp_path / "kept.json").rows
