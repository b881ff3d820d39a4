"""Strengths from contingency tables against those of all rows, within their bounds."""

from itertools import pairwise

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.stats
from hypothesis import given, settings
from hypothesis import strategies as st

import nachsicht
from nachsicht.associations.contingency import plan_contingency
from nachsicht.associations.encode import encode_columns
from nachsicht.associations.from_counts import counted_pairs

ROWS = 40_000


def made(seed, rows=ROWS, drift=0.0, ties=0):
    """Columns that depend on each other, with gaps, ties, many levels, and what drifts."""
    rng = np.random.default_rng(seed)
    along = drift * np.arange(rows) / rows
    a = rng.normal(size=rows) + along
    b = rng.normal() * a + rng.lognormal(size=rows)
    if ties:
        b = np.round(b * ties)
    gaps = np.where(rng.random(rows) < 0.3 * (a > 0), np.nan, a * rng.normal() + b)
    few = np.clip((a + rng.normal(size=rows)).round(), -2, 3).astype(int).astype(str)
    many = np.minimum(rng.geometric(0.1, rows), 90).astype(str)
    return pa.table(
        {
            "a": a,
            "b": b,
            "gaps": pa.array(gaps, from_pandas=True),
            "few": np.char.add("t", few),
            "many": pa.array(np.char.add("n", many)),
            "flag": rng.random(rows) < 0.3 + 0.1 * (a > along),
        }
    )


def counted(table, first, pieces):
    """Strengths as they are counted in pieces, with cells that the first rows decide."""
    columns = nachsicht.profile(table).document.columns
    few = table.slice(0, first)
    encoded, _ = encode_columns(nachsicht.profile(few).document.columns, few)
    plan = plan_contingency(encoded, few, 1 << 30)
    cuts = np.linspace(0, table.num_rows, pieces + 1).astype(int)
    counts = 0
    for start, stop in pairwise(cuts):
        piece = table.slice(start, stop - start).combine_chunks()
        codes = {c.position: c.codes(piece.column(c.position)) for c in plan.columns}
        counts = counts + plan.count(codes)
    return counted_pairs(plan, counts, columns)


@settings(max_examples=12, deadline=None)
@given(
    st.integers(0, 2**32),
    st.sampled_from([0.0, 0.3, 5.0]),
    st.sampled_from([0, 1, 30]),
    st.integers(1, 5),
)
def test_rank_correlations_of_all_rows_lie_within_their_bounds(seed, drift, ties, pieces):
    table = made(seed, drift=drift, ties=ties)
    found = counted(table, 8_000, pieces).strengths
    frame = table.select(["a", "b", "gaps"]).to_pandas()
    for one, other in [("a", "b"), ("a", "gaps"), ("b", "gaps")]:
        if (one, other) not in found:
            assert drift == 5.0  # the first rows told too little
            continue
        known = found[one, other]
        both = frame[[one, other]].dropna()
        expected = scipy.stats.spearmanr(both[one], both[other]).statistic
        assert abs(known.value - expected) <= known.bound + 1e-12
        assert known.bound <= 0.02
        assert known.rows == len(both)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 5))
def test_levels_are_counted_exactly_and_their_ranks_within_bounds(seed, pieces):
    table = made(seed)
    found = counted(table, 8_000, pieces)
    in_memory = nachsicht.profile(table).document.relations
    levels = {"few", "many", "flag"}
    pairs = [pair for pair in in_memory.pairs if {pair.x, pair.y} & levels]
    assert len(pairs) == 12
    for pair in pairs:
        known = found.strengths[tuple(sorted((pair.x, pair.y)))]
        assert abs(known.value - pair.value) <= known.bound + 1e-12
        assert known.rows == pair.rows
        if pair.measure == "cramers_v":
            assert known.bound == 0
            assert known.error == pytest.approx(pair.std_error, abs=1e-9)
        elif pair.value > 5 * pair.std_error:  # of weaker ones no error is known well
            assert known.error == pytest.approx(pair.std_error, rel=0.2)
    assert found.merged_levels == in_memory.merged_levels


def test_bounds_hold_where_the_first_rows_are_unlike_the_others():
    rng = np.random.default_rng(8)
    values = np.sort(rng.normal(size=ROWS))
    table = pa.table({"rising": values, "other": rng.permutation(values) + values / 50})
    assert not counted(table, 1_000, 3).strengths  # it would be off by more than drawn rows are
    late = np.where(np.arange(ROWS) < 30_000, "early", rng.choice(["x", "y"], ROWS))
    table = pa.table({"level": late, "flag": rng.random(ROWS) < 0.5})
    assert not counted(table, 1_000, 3).strengths


def test_columns_that_turn_out_otherwise_are_left_to_the_drawn_rows():
    rng = np.random.default_rng(10)
    table = pa.table({"a": rng.normal(size=ROWS), "b": rng.normal(size=ROWS)})
    few = pa.table({"a": table["a"], "b": np.char.add("t", rng.integers(0, 5, ROWS).astype(str))})
    encoded, _ = encode_columns(nachsicht.profile(table).document.columns, table)
    plan = plan_contingency(encoded, table, 1 << 30)
    counts = plan.count({c.position: c.codes(table.column(c.position)) for c in plan.columns})
    assert counted_pairs(plan, counts, nachsicht.profile(table).document.columns).strengths
    assert not counted_pairs(plan, counts, nachsicht.profile(few).document.columns).strengths
    same = table.rename_columns(["a", "a"])
    encoded, _ = encode_columns(nachsicht.profile(same).document.columns, same)
    assert not plan_contingency(encoded, same, 1 << 30).columns


def test_values_that_are_frequent_have_a_bin_of_their_own():
    rng = np.random.default_rng(9)
    zeros = np.where(rng.random(ROWS) < 0.8, 0, rng.lognormal(size=ROWS))
    table = pa.table({"zeros": zeros, "ages": rng.integers(18, 90, ROWS) + (zeros > 0)})
    known = counted(table, 5_000, 2).strengths["ages", "zeros"]
    expected = scipy.stats.spearmanr(table["zeros"], table["ages"]).statistic
    assert abs(known.value - expected) <= known.bound
    assert known.bound < 0.002  # whole numbers are exact, and a fifth of the others is in bins


def test_relations_of_all_rows_are_told_where_they_do_not_fit(tmp_path, monkeypatch):
    monkeypatch.setattr("nachsicht.table.accumulate._FOR_PAIRS", 100)  # room for few rows too
    frame = pd.concat([made(3, 60_000).to_pandas()] * 4, ignore_index=True)
    path = tmp_path / "hives.parquet"
    frame.to_parquet(path)
    in_pieces = nachsicht.profile(path, memory_bytes=1_000_000).document
    expected = {(p.x, p.y): p for p in nachsicht.profile(frame).document.relations.pairs}
    told = [pair for pair in in_pieces.relations.pairs if pair.error_bound]
    assert in_pieces.relations.sampled_rows < in_pieces.rows
    assert len(told) >= 5
    for pair in told:
        assert pair.rows > in_pieces.relations.sampled_rows
        other = frame[[pair.x, pair.y]].dropna()
        assert pair.rows == len(other)
        if pair.measure == "spearman":
            exact = scipy.stats.spearmanr(other[pair.x], other[pair.y]).statistic
        else:
            exact = expected[pair.x, pair.y].value
        assert abs(pair.value - exact) <= pair.error_bound
