"""Which columns go missing together and where, and the rows that are shown; against pandas."""

from datetime import datetime, timedelta

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.columns.levels import levels_in
from nachsicht.table.missing.patterns import MOST_BLOCKS, observe_patterns
from nachsicht.table.preview import DRAWN, SHOWN, observe_ends

RNG = np.random.default_rng(41)

cell = st.none() | st.integers(0, 3)
tables = st.lists(st.tuples(cell, cell, cell), min_size=1, max_size=300)


def table_of(rows):
    return pa.table(
        {n: pa.array(c, pa.int64()) for n, c in zip("abc", zip(*rows, strict=True), strict=True)}
    )


@given(tables, st.integers(0, 300))
def test_patterns_are_those_of_pandas_for_any_split(rows, cut):
    table = table_of(rows)
    parts = table.slice(0, cut), table.slice(cut)
    merged = observe_patterns(parts[0]).merge(observe_patterns(parts[1], parts[0].num_rows))
    found = merged.finish(table.schema.names)
    assert found == observe_patterns(table).finish(table.schema.names)
    missing = pd.DataFrame(rows, columns=list("abc")).isna()
    assert found.complete_rows == (~missing.any(axis=1)).sum()
    for pattern in found.patterns:
        same = (missing[list("abc")] == [name in pattern.columns for name in "abc"]).all(axis=1)
        assert pattern.rows == same.sum() > 0
    assert sum(p.rows for p in found.patterns) + found.complete_rows == len(rows)
    for pair in found.pairs:
        both = (missing[pair.x] & missing[pair.y]).sum()
        assert pair.rows == both
        assert pair.jaccard == pytest.approx(both / (missing[pair.x] | missing[pair.y]).sum())
    for places in found.counts_by_block:
        blocks = np.arange(len(rows)) // places.block_rows
        assert list(places.missing) == missing[places.column].groupby(blocks).sum().tolist()


def test_blocks_grow_so_that_there_are_never_too_many():
    gaps = pa.table({"w": pa.array(np.arange(50_000.0), mask=RNG.random(50_000) < 0.2)})
    pieces = [gaps.slice(start, 3333) for start in range(0, 50_000, 3333)]
    part = observe_patterns(pieces[0])
    for i, piece in enumerate(pieces[1:], start=1):
        part = part.merge(observe_patterns(piece, i * 3333))
    (places,) = part.finish(gaps.schema.names).counts_by_block
    assert MOST_BLOCKS / 2 < len(places.missing) <= MOST_BLOCKS
    missing = gaps.column(0).is_null().to_numpy()
    sums = np.add.reduceat(missing.astype(int), np.arange(0, 50_000, places.block_rows))
    assert list(places.missing) == sums.tolist()


def test_columns_that_go_missing_together_are_one_finding():
    n = 3000
    off = RNG.random(n) < 0.1
    weak = off ^ (RNG.random(n) < 0.004)
    alone = RNG.random(n) < 0.1
    columns = {"a": off, "b": off, "c": weak, "d": alone}
    table = pa.table({k: pa.array(RNG.normal(size=n), mask=m) for k, m in columns.items()})
    page = nachsicht.profile(table)
    told = [f for f in page.findings if f.code == "missing_together"]
    assert [f.columns for f in told] == [("a", "b", "c")]
    assert page.document.missing_patterns.sole_missing["d"] == (alone & ~off & ~weak).sum()


@given(st.integers(1, 40), st.integers(0, 40))
def test_the_rows_shown_are_the_first_and_last_for_any_split(n, cut):
    table = pa.table({"i": range(n), "t": [None if i % 3 == 0 else f"t{i}" for i in range(n)]})
    parts = [observe_ends(part) for part in (table.slice(0, cut), table.slice(cut))]
    found = parts[0].merge(parts[1]).finish(None, ())
    shown = [int(row[0]) for row in found.first + found.last]
    expected = list(range(n))
    assert shown == (expected if n <= 2 * SHOWN else expected[:SHOWN] + expected[-SHOWN:])
    assert all(row[1] == (None if int(row[0]) % 3 == 0 else f"t{row[0]}") for row in found.first)


def test_rows_drawn_are_the_same_each_time_and_from_everywhere():
    table = pa.table({"i": range(4000)})
    drawn = [nachsicht.profile(table).document.excerpt.sampled for _ in range(2)]
    assert drawn[0] == drawn[1]
    places = [int(row[0]) for row in drawn[0]]
    assert places == sorted(places)
    assert len(set(places)) == DRAWN
    assert max(places) - min(places) > 400


def test_patterns_of_very_many_columns_are_counted_too():
    missing = pd.DataFrame(RNG.random((400, 80)) < 0.009)
    table = pa.table(
        {f"c{i}": pa.array(np.ones(400), mask=missing[i].to_numpy()) for i in range(80)}
    )
    found = observe_patterns(table).finish(table.schema.names)
    assert len(found.counts_by_block) > 62
    assert found.complete_rows == (~missing.any(axis=1)).sum()
    expected = missing.loc[missing.any(axis=1)].apply(
        lambda row: tuple(f"c{i}" for i in row.index[row]), axis=1
    )
    counts = expected.value_counts()
    assert {p.columns: p.rows for p in found.patterns}.items() <= counts.to_dict().items()
    assert found.other_patterns == max(len(counts) - len(found.patterns), 0)


FAR = [datetime(9999, 12, 31)]


@pytest.mark.parametrize("unit", ["month", "year"])
@pytest.mark.parametrize(
    ("stored", "far"),
    [
        *((pa.timestamp(unit), far) for unit in ("s", "ms", "us") for far in ([], FAR)),
        *((stored, far) for stored in (pa.date32(), pa.date64()) for far in ([], FAR)),
        (pa.timestamp("us", "Asia/Tokyo"), FAR),
        (pa.timestamp("ns"), []),  # in which there is no moment so far away
    ],
    ids=str,
)
def test_levels_by_calendar_unit_are_those_of_pandas(unit, stored, far):
    held = [datetime(2019, 11, 30, 23, 59, 59), datetime(2019, 12, 1), None, datetime(2021, 1, 1)]
    moments = [*held, *far]
    names, codes = levels_in(pa.array(moments, pa.timestamp("us")).cast(stored, safe=False), unit)
    letter, away = "M" if unit == "month" else "Y", timedelta(hours=9 * ("tz=" in str(stored)))
    wanted = [str(pd.Period(m + away, letter)) if m else None for m in moments]
    assert [[*names, None][code] for code in codes] == wanted


def test_columns_that_go_missing_together_are_told_however_many_others_do():
    frame = pd.DataFrame(np.arange(200 * 14.0).reshape(200, 14), columns=list("abcdefghijklmn"))
    frame.loc[:19, list("abcdefghijkl")] = np.nan  # 66 pairs, more than are kept
    frame.loc[50:59, ["m", "n"]], frame.loc[60, "n"] = np.nan, np.nan
    told = nachsicht.profile(frame).findings
    together = {f.columns: f.evidence["rows"] for f in told if f.code == "missing_together"}
    assert together == {tuple("abcdefghijkl"): 20, ("m", "n"): 10}
