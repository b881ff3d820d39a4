"""Series of which the truth is known: what is told of them, where, and how often nothing is."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.stats.series_kit import NOISE, SIZES, made, told, trouble

from nachsicht.stats.change_point import FEWEST, course_of, hinge
from nachsicht.stats.moments import biweight_variance

pytestmark = pytest.mark.slow


@pytest.mark.parametrize("n", [24, 60, 365])
@pytest.mark.parametrize("form", SIZES)
def test_one_thing_is_named(form, n):
    seeds = range(2000, 2040)
    blatant, moderate = SIZES[form]
    # A season that goes up and down every few versions looks like noise where there are few.
    assert told(form, n, blatant, seeds)[0] >= (0.85 if (form, n) == ("season", 24) else 0.95)
    if n > 24 or form == "jump":
        assert told(form, n, moderate, seeds)[0] >= 0.85


@pytest.mark.parametrize("n", [24, 60, 365])
@pytest.mark.parametrize("form", ["jump", "spike"])
def test_it_is_placed_where_it_was(form, n):
    assert told(form, n, SIZES[form][0], range(3000, 3040))[1] >= 0.95


@pytest.mark.parametrize("n", [8, 24, 60, 365])
@pytest.mark.parametrize("errors", [True, False])
def test_of_a_steady_series_nothing_is_told(n, errors):
    events = 0
    for seed in range(400):
        values, _ = made("steady", n, 0, seed)
        events += bool(course_of(values, np.full(n, NOISE) if errors else None).events)
    assert events <= 4


@pytest.mark.parametrize("n", [60, 365])
@pytest.mark.parametrize("form", ["season", "weekdays"])
def test_a_season_is_no_trouble(form, n):
    assert trouble(form, n, SIZES[form][1], range(100)) <= 0.02


def test_a_jump_within_a_season_and_a_bad_week_before_it_are_all_told():
    values, _ = made("weekdays", 120, 9, 1)
    values[30] += 20 * NOISE
    values[80:] -= 8 * NOISE
    events = {event.form: event for event in course_of(values).events}
    assert {*events} == {"season", "jump", "spike"}
    assert events["season"].period == 7
    assert (events["jump"].first, events["jump"].last) == (80, 119)
    assert (events["spike"].first, events["spike"].last) == (30, 30)
    assert events["jump"].size == pytest.approx(-8 * NOISE, abs=NOISE)


def test_a_jump_at_the_end_of_a_drift_is_not_told_as_two_drifts():
    rng = np.random.default_rng(8)
    values = NOISE * rng.normal(size=61) - 0.2 * np.maximum(np.arange(61) - 12, 0)
    values[60] -= 8
    events = {event.form: event for event in course_of(values, np.full(61, NOISE)).events}
    assert {*events} == {"drift", "jump"}
    assert abs(events["drift"].first - 12) <= 1
    assert events["drift"].size == pytest.approx(-0.2, rel=0.05)
    assert events["jump"].first == 60
    assert events["jump"].size == pytest.approx(-8, abs=3 * NOISE)


def test_the_size_of_a_drift_is_that_of_one_place():
    values, at = made("drift", 60, 30, 4)
    (event,) = course_of(values).events
    assert abs(event.size) == pytest.approx(NOISE * 30 / (60 - at), rel=0.1)


@settings(deadline=None)
@given(
    st.integers(0, 50),
    st.sampled_from(sorted(SIZES)),
    st.floats(-1e4, 1e4),
    st.floats(1e-3, 1e3),
)
def test_the_unit_of_the_values_makes_no_difference(seed, form, offset, factor):
    values, _ = made(form, 40, SIZES[form][0], seed)
    one, other = course_of(values), course_of(values * factor + offset)
    places = [[(e.form, e.first, e.last) for e in course.events] for course in (one, other)]
    assert places[0] == places[1]
    for before, after in zip(one.events, other.events, strict=True):
        assert after.size == pytest.approx(before.size * factor, rel=1e-3)


def test_versions_without_a_value_are_passed_over():
    values, _ = made("jump", 60, 9, 3)
    holed = values.copy()
    holed[[3, 17, 50]] = np.nan
    (whole,), (event,) = course_of(values).events, course_of(holed).events
    assert abs(event.first - whole.first) <= 1
    assert np.isnan(course_of(holed).fitted).sum() == 3
    assert not course_of(values[: FEWEST - 1]).events
    assert not course_of(np.full(30, 4.0)).events


@pytest.mark.parametrize("n", [7, 60, 2000])
def test_the_noise_is_that_of_most_numbers_whatever_a_few_are(n):
    rng = np.random.default_rng(n)
    clean = [biweight_variance(rng.normal(0, 3, n)) for _ in range(400)]
    assert np.mean(clean) == pytest.approx(9, rel=0.1)
    spoilt = rng.normal(0, 3, (400, n))
    spoilt[:, : n // 7] = 1e6
    assert np.median([biweight_variance(row) for row in spoilt]) == pytest.approx(9, rel=0.35)
    assert biweight_variance(np.array([0.0, 0.0, 5.0])) == 0


@given(st.integers(0, 18), st.floats(-5, 5), st.floats(0.1, 9))
def test_a_line_begins_where_it_does(first, level, slope):
    values = level + slope * np.maximum(np.arange(24.0) - first, 0)
    found = hinge(values)
    assert found[0] == first
    assert found[1:] == pytest.approx((values[0], values[-1]), abs=1e-6)
