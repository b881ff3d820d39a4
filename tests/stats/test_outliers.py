"""Skewness by the medcouple, and fences that mind it, against statsmodels and plain counting."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.stattools import medcouple as oracle

import nachsicht
from nachsicht.stats.outliers import medcouple

RNG = np.random.default_rng(5)
SAMPLES = {
    "normal": RNG.normal(size=3000),
    "lognormal": RNG.lognormal(size=3000),
    "to the left": -RNG.gamma(1, 1, 900),
    "many at the median": np.r_[np.zeros(300), RNG.gamma(1, 1, 250)],
    "few": RNG.gamma(2, 1, 21),
    "large": RNG.gamma(2, 1, 400) * 1e300,
}


@pytest.mark.parametrize("name", SAMPLES)
def test_the_medcouple_is_that_of_statsmodels(name):
    values = np.sort(SAMPLES[name])
    expected = float(oracle(values / np.abs(values).max()))
    assert medcouple(values) == pytest.approx(expected, abs=1e-9 if len(values) < 100 else 0.03)


@given(st.lists(st.floats(-1e300, 1e300), min_size=1, max_size=80))
def test_mirrored_values_have_the_opposite_medcouple(values):
    values = np.sort(values)
    found = medcouple(values)
    assert -1 <= found <= 1
    assert medcouple(-values[::-1]) == pytest.approx(-found, abs=1e-9)


@pytest.mark.parametrize("name", ["normal", "lognormal", "to the left"])
def test_values_beyond_the_adjusted_fences_are_counted(name):
    values = SAMPLES[name]
    frame = pd.DataFrame({"w": values})
    outliers = nachsicht.profile(frame).document.column("w").stats.outliers
    fences = outliers.adjusted
    assert fences.below == (values < fences.low_fence).sum()
    assert fences.above == (values > fences.high_fence).sum()
    low, high = np.quantile(values, [0.25, 0.75])
    reach = 1.5 * (high - low) * np.exp(3 * abs(fences.medcouple))
    wide = high + reach if fences.medcouple > 0 else low - reach
    assert wide == pytest.approx(fences.high_fence if fences.medcouple > 0 else fences.low_fence)
    assert fences.low_fence <= outliers.low_fence
    assert fences.high_fence >= outliers.high_fence


def told(values):
    found = nachsicht.profile(pd.DataFrame({"w": values})).findings
    return [(f.form, f.evidence["rows"]) for f in found if f.code == "outliers"]


def test_a_long_tail_alone_is_not_told():
    assert told(RNG.lognormal(0, 0.7, 3000)) == []
    assert told(RNG.normal(40, 6, 3000)) == []


def test_values_behind_a_gap_are_told_and_so_are_many():
    values = RNG.normal(40, 6, 3000)
    assert told(np.r_[values, 400, 410]) == [("isolated", 2)]
    assert told(np.r_[values, -300]) == [("isolated", 1)]
    ((form, rows),) = told(np.r_[values, RNG.uniform(60, 120, 300)])
    assert form == ""
    assert rows > 200
