"""Of several things that may have happened to a column, that is told which leaves over least."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.comparison.causes.affine import AffineMap
from nachsicht.comparison.causes.explanations import best_of, by_map
from nachsicht.stats.ecdf import Curve

N = 3000


def weights(seed):
    return np.random.default_rng(seed).gamma(6, 7, N).round(2)


def counts(seed):
    return np.random.default_rng(seed).negative_binomial(2, 0.2, N) + 1.0


def some(share):
    return np.random.default_rng(3).random(N) < share


#: The older values, what was done to newer ones, and the first thing to be told about it.
DONE = {
    "rounded to tens, on which some values are frequent": (
        weights,
        lambda w: (w / 10).round() * 10,
        "rounded",
    ),
    "zero in place of others, though zero is a multiple of all": (
        counts,
        lambda w: np.where(some(0.3), 0, w),
        "sentinel_value_new",
    ),
    "held at a value that many rows have now": (weights, lambda w: np.minimum(w, 50), "clipped"),
    "held at a value, at the lower end": (weights, lambda w: np.maximum(w, 20), "clipped"),
    "multiplied, which makes multiples": (counts, lambda w: w * 12, "rescaled"),
    "one usual value in place of others": (
        weights,
        lambda w: np.where(some(0.2), 40.0, w),
        "value_spike",
    ),
    "some multiplied": (weights, lambda w: np.where(some(0.3), w * 2.54, w), "rescaled"),
    "spread about the centre": (weights, lambda w: 42 + (w - 42) * 1.6, "rescaled"),
}


@pytest.mark.parametrize("done", DONE)
def test_what_was_done_is_told_first(done):
    make, change, code = DONE[done]
    old, new = (pd.DataFrame({"w": values}) for values in (make(1), change(make(2))))
    found = nachsicht.compare(old, new).findings
    assert found[0].code == code, [(f.code, f.title) for f in found]


def test_a_factor_is_told_beside_a_value_that_stands_in_place_of_others():
    new = np.where(some(0.1), -1.0, weights(2) * 2.54)
    found = nachsicht.compare(pd.DataFrame({"w": weights(1)}), pd.DataFrame({"w": new})).findings
    assert {f.code for f in found} >= {"sentinel_value_new", "rescaled"}


@given(st.floats(0, 1), st.integers(20, 5000), st.booleans())
def test_a_free_number_that_explains_nothing_is_not_paid_for(left, rows, last):
    curve = Curve.of_values(np.arange(float(rows)))
    known = AffineMap(2.54, 0.0, "2.54", left)
    guessed = AffineMap(2.5, 0.1, None, left)
    assert (known.free, guessed.free) == (0, 2)
    stages = [(0, lambda: by_map(known)), (2, lambda: by_map(guessed))]
    found = best_of(stages[::-1] if last else stages, curve, curve)
    assert found == known


@given(st.lists(st.integers(-9, 9), min_size=1, max_size=40), st.integers(-9, 9), st.booleans())
def test_a_capped_distribution_is_that_of_capped_values(values, end, upper):
    numbers = np.sort(np.array(values, float))
    cut = Curve.of_values(numbers).capped(float(end), upper=upper)
    expected = Curve.of_values((np.minimum if upper else np.maximum)(numbers, end))
    places = np.arange(-10.0, 11.0)
    np.testing.assert_array_equal(cut.shares(places), expected.shares(places))
