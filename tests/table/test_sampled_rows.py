"""Rows that travel with a page: whatever a code says is what stands in the data."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nachsicht


def values_of(column):
    """The cells that the codes of a column stand for, None where missing."""
    codes = np.frombuffer(column.codes, np.uint8).astype(int)
    if column.bytes_per_code == 2:
        low, high = np.split(codes, 2)
        codes = low + 256 * high
    if column.levels:
        return [column.levels[code - 1] if code else None for code in codes]
    known = len(column.values)
    return [
        None if not c
        else column.values[c - 1] if c <= known
        else column.start + (c - 1 - known) * column.step
        for c in codes
    ]  # fmt: skip


def sampled(frame, **options):
    found = nachsicht.profile(frame, **options).document.sampled_rows
    return found, {column.name: values_of(column) for column in found.columns}


@settings(max_examples=60, deadline=None)
@given(
    st.integers(30, 900),
    st.sampled_from(["normal", "cauchy", "whole", "few"]),
    st.integers(0, 10**6),
)
def test_codes_say_what_numbers_and_gaps_there_are(rows, law, seed):
    rng = np.random.default_rng(seed)
    draw = {
        "normal": lambda: rng.normal(40, 9, rows),
        "cauchy": lambda: 1e4 * rng.standard_cauchy(rows),
        "whole": lambda: rng.integers(-(10**9), 10**9, rows).astype(float),
        "few": lambda: rng.integers(0, 9, rows) / 4,
    }
    weight = np.where(rng.random(rows) < 0.1, np.nan, draw[law]())
    frame = pd.DataFrame({"weight": weight, "hive": rng.choice(["log", "long", None], rows)})
    found, values = sampled(frame)
    assert found.rows == rows
    assert values["hive"] == [None if pd.isna(hive) else hive for hive in frame["hive"]]
    told = np.array(values["weight"], float)
    assert (np.isnan(told) == np.isnan(weight)).all()
    low, high = np.nanquantile(weight, (0.005, 0.995))
    off = np.abs(told - weight)[~np.isnan(weight)]
    exact = len(np.unique(weight[~np.isnan(weight)])) <= 254
    assert off.max() <= (0 if exact else (high - low) / 1000 * 0.5001)
    assert {np.nanmin(told), np.nanmax(told)} == {np.nanmin(weight), np.nanmax(weight)}


def test_datetimes_are_in_milliseconds_and_rows_are_the_same_however_they_are_read(tmp_path):
    rng = np.random.default_rng(7)
    days = pd.Timestamp("2025-03-01") + pd.to_timedelta(rng.integers(0, 90, 15_000), unit="D")
    frame = pd.DataFrame({"day": days, "mites": rng.poisson(3, 15_000)})
    frame.to_parquet(tmp_path / "checks.parquet", row_group_size=2_000)
    whole, values = sampled(tmp_path / "checks.parquet")
    pieces, _ = sampled(tmp_path / "checks.parquet", memory_bytes=400_000)
    assert whole.rows == 2_000
    assert whole == pieces
    assert set(pd.to_datetime(values["day"], unit="ms")) <= set(days)
    ours, theirs = pd.Series(values["mites"]), frame["mites"]
    assert abs(ours.mean() - theirs.mean()) < 4 * theirs.std() / 2_000**0.5


def test_of_a_wide_table_the_outcome_and_what_goes_together_are_kept():
    rng = np.random.default_rng(3)
    frame = pd.DataFrame(rng.normal(size=(300, 90)), columns=[f"q{i}" for i in range(90)])
    frame["q88"] = frame["q5"] + rng.normal(0, 0.1, 300)
    found, values = sampled(frame, outcome="q89")
    assert len(values) == 60
    assert {"q5", "q88", "q89"} <= set(values)
    assert set(found.left_out) == set(frame.columns) - set(values)


@pytest.mark.parametrize("rows", [0, 40])
def test_none_or_fewer_are_kept_where_this_is_asked(rows):
    frame = pd.DataFrame({"a": range(500), "b": ["x", "y"] * 250})
    found = nachsicht.profile(frame, explore_rows=rows).document.sampled_rows
    assert (found.rows if found else 0) == rows
