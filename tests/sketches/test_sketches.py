"""Parts of bounded size keep to their stated errors, however the rows are split."""

from collections import Counter

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nachsicht
from nachsicht.arrow.buffers import arrow_of
from nachsicht.arrow.hashing import hash_values
from nachsicht.sketches.distinct import SIZE as KEYS
from nachsicht.sketches.distinct import KeySample
from nachsicht.sketches.heavy_hitters import SIZE as COUNTERS
from nachsicht.sketches.heavy_hitters import HeavyNumbers, HeavyTexts
from nachsicht.sketches.quantiles import QuantileSketch
from nachsicht.stats.moments import moments_of
from nachsicht.stats.value_counts import ValueCounts, observe_texts

RNG = np.random.default_rng(3)
cuts = st.lists(st.integers(0, 200_000), max_size=6)


def pieces_of(values, places):
    return np.split(values, sorted(min(place, len(values)) for place in places))


finite = st.floats(-1e9, 1e9).map(lambda x: round(x, 3))


@given(st.lists(finite, min_size=2, max_size=60), st.lists(st.integers(0, 60), max_size=4))
def test_moments_of_pieces_are_those_of_the_whole(values, places):
    values = np.array(values)
    parts = [moments_of(piece) for piece in pieces_of(values, places)]
    merged = parts[0]
    for part in parts[1:]:
        merged = merged.merge(part)
    whole = moments_of(values)
    size = np.abs(values).max() + 1
    assert merged.n == whole.n
    assert merged.mean == pytest.approx(whole.mean, rel=1e-12, abs=1e-12 * size)
    assert merged.variance() == pytest.approx(whole.variance(), rel=1e-12, abs=1e-13 * size**2)
    if whole.n > 3 and whole.m2 * whole.scale**2 > 1e-6 * size**2:
        assert merged.skewness() == pytest.approx(whole.skewness(), rel=1e-9, abs=1e-9)
        assert merged.kurtosis() == pytest.approx(whole.kurtosis(), rel=1e-9, abs=1e-9)


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 2**32), cuts, st.integers(1, 40))
def test_ranks_are_within_the_bound_that_adds_up(seed, places, more):
    rng = np.random.default_rng(seed)
    values = np.concatenate([rng.lognormal(0, 2, 150_000), np.sort(rng.normal(size=50_000))])
    sketch = QuantileSketch()
    places = [*places, *np.linspace(0, len(values), more, endpoint=False, dtype=int)]
    for piece in pieces_of(values, places):
        sketch = sketch.merge(QuantileSketch.of_sorted(np.sort(piece)))
    kept, weights = sketch.weighted()
    assert weights.sum() == len(values)
    assert sketch.error < 0.005 * len(values)
    ranks = np.searchsorted(np.sort(values), kept, "right")
    assert np.abs(np.cumsum(weights) - ranks).max() <= sketch.error + weights.max()


@settings(max_examples=15, deadline=None)
@given(cuts)
def test_the_sample_of_keys_is_the_same_for_any_split(places):
    values = np.concatenate([np.arange(60_000), np.arange(30_000), np.arange(500)])
    hashes = hash_values(arrow_of(values))
    whole = KeySample().add(hashes)
    merged = KeySample()
    for piece in reversed(pieces_of(hashes, places)):
        merged = merged.merge(KeySample().add(piece))
    assert (merged.hashes == whole.hashes).all()
    assert (merged.counts == whole.counts).all()


@pytest.mark.parametrize("distinct", [10, KEYS - 1, 50_000, 400_000])
def test_different_values_are_counted_within_the_stated_error(distinct):
    twice = np.arange(distinct - distinct // 4)
    values = RNG.permutation(np.concatenate([np.arange(distinct), twice]) * 7)
    sample = KeySample().add(hash_values(arrow_of(values)))
    assert sample.exact == (distinct < KEYS)
    error = sample.relative_error * 1.5  # three standard errors
    assert sample.distinct == pytest.approx(distinct, rel=error, abs=0)
    assert sample.once == pytest.approx(distinct // 4, rel=max(error * 4, 0.01), abs=1)


def test_repeats_are_estimated_without_bias():
    found = []
    for seed in range(20):
        rng = np.random.default_rng(seed)
        values = np.concatenate([rng.permutation(300_000), rng.choice(300_000, 9_000, False)])
        values = values + seed * 10**7
        found.append(KeySample().add(hash_values(arrow_of(values))).repeated_rows)
    assert np.mean(found) == pytest.approx(9_000, rel=0.04)


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 2**32), cuts)
def test_frequent_values_are_kept_and_their_counts_too_low_by_no_more_than_stated(seed, places):
    values = np.random.default_rng(seed).zipf(1.2, 60_000).clip(max=10**7)
    heavy = HeavyNumbers(values[:0], np.empty(0, np.int64))
    texts = HeavyTexts(ValueCounts.of(pa.array([], pa.large_string()), np.empty(0, np.int64)))
    for piece in pieces_of(values, places):
        heavy = heavy.add(*np.unique(piece, return_counts=True))
        texts = texts.add(observe_texts(arrow_of(piece).cast(pa.large_string())).counted())
    truth = Counter(values.tolist())
    numbers = dict(zip(heavy.values.tolist(), heavy.counts.tolist(), strict=True))
    words = dict(zip(map(int, texts.tally.values.to_pylist()), texts.tally.counts, strict=True))
    for kept, error in ((numbers, heavy.error), (words, texts.error)):
        assert len(kept) <= 2 * COUNTERS
        assert error <= len(values) / COUNTERS
        for value, count in kept.items():
            assert truth[value] - error <= count <= truth[value]
        assert all(value in kept for value, count in truth.items() if count > error)


def mixed(rows):
    rng = np.random.default_rng(8)
    return pa.table(
        {
            "weight": rng.gamma(9, 4, rows),
            "mites": rng.poisson(4, rows),
            "check_id": [f"C-{i:07d}" for i in range(rows)],
            "note": [f"frame {a} and box {b} are well" for a, b in rng.integers(0, 900, (rows, 2))],
            "hive": pa.array(rng.choice(["oak", "pine"], rows), mask=rng.random(rows) < 0.1),
            "at": np.datetime64("2025-01-01") + rng.integers(0, 10**7, rows).astype("m8[s]"),
        }
    )


def test_streaming_within_a_memory_gives_the_same_figures_or_says_how_far_off():
    table = mixed(300_000)
    exact = nachsicht.profile(table).document
    rough = nachsicht.profile(table, memory_bytes=6_000_000).document
    assert [c.kind for c in rough.columns] == [c.kind for c in exact.columns]
    for a, b in zip(exact.columns, rough.columns, strict=True):
        assert a.error_bounds is None
        assert (a.rows, a.missing, a.first_value, a.last_value) == (
            b.rows, b.missing, b.first_value, b.last_value,
        )  # fmt: skip
        allowed = 2 * b.error_bounds.distinct_rel if b.error_bounds else 0
        assert b.distinct == pytest.approx(a.distinct, rel=allowed, abs=0)
    sorted_weights = np.sort(table["weight"].to_numpy())
    a, b = (document.column("weight") for document in (exact, rough))
    assert b.error_bounds is not None
    for name in ("minimum", "maximum", "mean", "std", "skewness", "kurtosis", "sum"):
        assert getattr(b.stats, name) == pytest.approx(getattr(a.stats, name), rel=1e-11), name
    assert (a.stats.lowest, a.stats.highest) == (b.stats.lowest, b.stats.highest)
    for point in b.stats.quantiles:
        rank = np.searchsorted(sorted_weights, point.value) / len(sorted_weights)
        assert abs(rank - point.share) <= b.error_bounds.rank
    assert sum(b.stats.histogram.counts) + b.stats.histogram.overflow == 300_000
    note = rough.column("note").stats
    assert note.char_count == exact.column("note").stats.char_count
    assert note.frequent_words[0].count == 300_000
    assert rough.duplicates.duplicate_rows <= rough.duplicates.uncertainty
    at = [document.column("at").stats for document in (exact, rough)]
    assert (at[0].minimum, at[0].maximum) == (at[1].minimum, at[1].maximum)


def test_a_stream_of_csv_that_changes_its_type_late_begins_anew(tmp_path):
    lines = [f"{i},{i % 7}" for i in range(900_000)] + ["900000,many"]
    (tmp_path / "late.csv").write_text("\n".join(["a,b", *lines]))
    exact, stream = (
        nachsicht.profile(tmp_path / "late.csv", memory_bytes=m).document for m in (0, 4_000_000)
    )
    assert stream.rows == exact.rows == 900_001
    assert stream.columns[1] == exact.columns[1] or stream.columns[1].distinct == 8
    assert stream.columns[0].error_bounds is not None
