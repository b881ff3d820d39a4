"""Sums in one pass against exact ones of Python, whatever the length and the numbers."""

import math
from fractions import Fraction
from itertools import product
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from nachsicht.arrow.codes import other_codes, rows_by_code
from nachsicht.kernels import plain, ranking, sums
from nachsicht.stats.gram import products_of_rows

pytestmark = pytest.mark.usefixtures("either_way")


@pytest.fixture(scope="module")
def kernels(either_way):
    """The functions of `sums` and `ranking`, called by themselves."""
    if either_way == "plain":
        return plain
    return SimpleNamespace(**{k: v for m in (ranking, sums) for k, v in vars(m).items()})


#: Lengths around those of a lane and of a piece, where the last ones are handled by themselves.
LENGTHS = st.sampled_from([0, 1, 7, 8, 9, 511, 512, 513, 1030]) | st.integers(0, 40)
NUMBERS = hnp.arrays(np.float64, LENGTHS, elements=st.floats(-1e6, 1e6))


def near(exact, sizes):
    """The sum to rounding; of no more digits than its largest parts have."""
    return pytest.approx(float(exact), rel=1e-12, abs=1e-13 * sum(map(abs, sizes)) + 1e-300)


@given(NUMBERS, st.floats(-1e6, 1e6))
def test_distances_from_a_number(kernels, values, middle):
    parts = [value - middle for value in values.tolist()]
    assert kernels.away_from(values, middle) == near(math.fsum(parts), parts)


@given(NUMBERS, st.sampled_from([1.0, 0.25, 2.0**-20]), st.floats(-10, 10))
def test_powers_and_products_with_scores(kernels, values, factor, middle):
    away = [value * factor - middle for value in values.tolist()]
    for power, found in enumerate(kernels.powers(values, factor, middle), start=1):
        parts = [z**power for z in away]
        assert found == near(math.fsum(parts), parts)
    scores = np.linspace(-3, 3, len(values))
    total, squares, products = kernels.with_scores(values, scores, factor, middle)
    both = [z * score for z, score in zip(away, scores.tolist(), strict=True)]
    assert total == near(math.fsum(away), away)
    assert squares == near(math.fsum(z * z for z in away), [z * z for z in away])
    assert products == near(math.fsum(both), both)


def test_small_numbers_are_not_lost_among_large_ones(kernels):
    values = np.concatenate(([1e16], np.ones(100_000), [-1e16]))
    assert kernels.away_from(values, 0.0) == pytest.approx(100_000, rel=0.01)


@given(
    hnp.arrays(np.int64, st.integers(1, 40))
    | hnp.arrays(np.uint64, st.integers(1, 40))
    | hnp.arrays(np.float64, st.integers(1, 40), elements=st.floats(-1e9, 1e9)),
    st.data(),
)
def test_numbers_less_their_mean(kernels, values, data):
    there = data.draw(hnp.arrays(np.bool_, len(values)))
    into = np.full(len(values), np.nan)
    held, mean, first, left, squares = kernels.centred(values, there.view(np.uint8), into)
    kept = [Fraction(value) for value, known in zip(values.tolist(), there, strict=True) if known]
    assert held == len(kept)
    assert (into[~there] == 0).all()
    if kept:
        exact = sum(kept) / len(kept)
        span = float(max(kept) - min(kept)) + 1e-300
        assert first == float(kept[0])
        assert mean == pytest.approx(float(exact - kept[0]), rel=1e-12, abs=1e-12 * span)
        expected = [float(value - exact) for value in kept]
        assert into[there] == pytest.approx(expected, rel=1e-9, abs=1e-12 * span)
        assert left == near(math.fsum(into), [span])
        assert squares == near(math.fsum(into**2), into**2)


@given(st.lists(st.tuples(st.integers(-1, 3), st.integers(-1, 2)), max_size=50))
def test_rows_are_counted_by_two_levels(kernels, rows):
    one, other = (np.array([row[i] for row in rows], np.int32) for i in (0, 1))
    found = np.zeros((4, 3), np.int64)
    kernels.pairs(one, other, found)
    assert found.tolist() == [[rows.count((i, j)) for j in range(3)] for i in range(4)]
    cells = np.zeros(len(rows), np.int32)
    for codes, size in ((one, 5), (other, 4)):
        kernels.into_cells(codes, size, cells)
    assert cells.tolist() == np.ravel_multi_index((one % 5, other % 4), (5, 4)).tolist()
    signs = np.sign(one).astype(np.int8), np.sign(other).astype(np.int8)
    assert kernels.agreeing(*signs) == int(signs[0].astype(int) @ signs[1].astype(int))


@given(hnp.arrays(np.int32, LENGTHS, elements=st.integers(-1, 6)))
def test_rows_by_code_are_those_of_numpy(codes):
    assert rows_by_code(codes, 7).tolist() == np.bincount(codes[codes >= 0], minlength=7).tolist()


def test_a_code_of_no_level_is_an_error():
    with pytest.raises(IndexError, match="row 2 has level 3 of 3"):
        rows_by_code(np.array([0, 2, 3], np.int64), 3)
    for wrong in (3, -1):
        with pytest.raises(IndexError, match=f"row 1 has level {wrong} of 3"):
            other_codes(np.array([2, wrong], np.int64), np.arange(3, dtype=np.int32))


@given(hnp.arrays(np.int64, LENGTHS, elements=st.integers(0, 6)))
def test_other_codes_are_those_that_numpy_takes(codes):
    new = np.array([4, -1, 3, 3, 0, 6, 2], np.int32)
    assert other_codes(codes, new).tolist() == new[codes].tolist()


@given(hnp.arrays(np.int64, LENGTHS, elements=st.integers(-9, 9)), st.integers(1, 70))
def test_the_first_keys_are_those_of_a_stable_sort(kernels, keys, most):
    for falling in (False, True):
        chosen = np.empty(min(most, len(keys)), np.int64)
        kernels.first_of(keys, falling, chosen)
        expected = np.argsort(-keys if falling else keys, kind="stable")[:most]
        assert chosen.tolist() == expected.tolist()


@given(hnp.arrays(np.int64, LENGTHS, elements=st.integers(1, 4)))
def test_counts_are_told_as_they_are(kernels, counts):
    total, once, squares = kernels.count_statistics(counts)
    expected = (counts.sum(), (counts == 1).sum(), (counts.astype(float) ** 2).sum())
    assert (total, once, squares) == expected


@given(NUMBERS, st.sampled_from([1.0, 10.0, 1e3]))
def test_what_is_nearly_whole(kernels, values, times):
    steps = np.round(values[::2], 1)
    values = np.concatenate((values, steps))
    found = np.zeros(len(values), np.uint8)
    counted = kernels.near_whole(values, times, 1e-12, found)
    scaled = values * times
    near_enough = np.abs(scaled - np.rint(scaled)) <= 1e-12 * np.maximum(np.abs(scaled), 1)
    assert found.tolist() == near_enough.tolist()
    assert counted == near_enough.sum()


@given(st.integers(0, 36), st.sampled_from([0, 1, 7, 8, 9, 2047, 2048, 2049, 4100]))
def test_products_of_rows_are_those_of_matrices(k, n):
    rows = np.random.default_rng(37 * n + k).integers(-1000, 1000, (k, n)).astype(np.float64)
    # Whole numbers, so that no order of summing gives another figure.
    assert np.array_equal(products_of_rows(rows), rows @ rows.T)


@given(hnp.arrays(np.int64, LENGTHS), hnp.arrays(np.int64, st.integers(0, 5)).map(np.sort))
def test_limits_that_numbers_reach_are_counted(kernels, numbers, limits):
    into = np.empty(len(numbers), np.int32)
    kernels.reached(numbers, limits, into)
    assert np.array_equal(into, np.searchsorted(limits, numbers, "right"))


@given(
    hnp.arrays(np.float64, LENGTHS) | hnp.arrays(np.int64, LENGTHS),
    hnp.arrays(np.float64, st.integers(0, 9), elements=st.floats(allow_nan=False)).map(np.sort),
)
def test_bins_that_numbers_lie_in(kernels, numbers, upper):
    into = np.empty(len(numbers), np.int32)
    kernels.bin_places(numbers, upper, into)
    assert np.array_equal(into, np.searchsorted(upper, numbers.astype(float)))


@given(st.lists(st.integers(1, 5), min_size=1, max_size=5), st.data())
def test_sums_within_runs(kernels, sizes, data):
    shape = (data.draw(st.integers(0, 4)), sum(sizes))
    starts = np.cumsum([0, *sizes[:-1]])
    some = hnp.arrays(np.float64, shape, elements=st.floats(-1e6, 1e6))
    figures, found = data.draw(some), np.empty((shape[0], len(sizes)))
    kernels.in_runs(figures, starts, found)
    for row, sums_ in zip(figures.tolist(), found, strict=True):
        for start, size, figure in zip(starts.tolist(), sizes, sums_, strict=True):
            run = row[start : start + size]
            assert figure == near(math.fsum(run), run)


@given(st.lists(st.integers(1, 4), min_size=1, max_size=4), st.data())
def test_errors_of_shares_from_other_folds(kernels, sizes, data):
    bins, levels, starts = 4, sum(sizes), np.cumsum([0, *sizes[:-1]])
    some = hnp.arrays(np.int64, (bins, levels), elements=st.integers(0, 3))
    counts, others = data.draw(some), data.draw(some)
    column_of = np.array([0, 0, 1, 1])
    overall = np.arange(2 * levels, dtype=float).reshape(2, levels) / 8
    found = np.ones((bins, len(sizes)))
    of = (counts.astype(float), (counts + others).astype(float), overall)
    kernels.brier_errors(*of, column_of, starts, found)
    for i, run in product(range(bins), range(len(sizes))):
        place = slice(starts[run], starts[run] + sizes[run])
        here = others[i, place]
        shares = here / here.sum() if here.sum() else overall[column_of[i], place]
        wrong = sum(
            n * ((shares**2).sum() - 2 * p) for n, p in zip(counts[i, place], shares, strict=True)
        )
        assert found[i, run] == pytest.approx(1 + wrong, abs=1e-12)
