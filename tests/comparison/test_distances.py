"""Distances, and how often chance gives as much, against SciPy and by their laws."""

import numpy as np
import pyarrow as pa
import pytest
import scipy.stats
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.spatial.distance import jensenshannon

import nachsicht
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.comparison.distances import distance_between, psi, quantity_measures
from nachsicht.config.settings import Settings
from nachsicht.stats.ecdf import Curve, largest_difference, wasserstein
from nachsicht.stats.hypothesis_tests import (
    bound_over_all,
    chi_square_tail,
    ks_p_value,
    levels_p_value,
    shares_p_value,
)

RNG = np.random.default_rng(11)


def column_of(values):
    return finish_column(observe_column(pa.array(values)), "value", 0, Settings())


def measures_of(measured):
    return {measure.name: measure for measure in measured.measures}


values = st.lists(st.integers(-3, 40).map(lambda n: n / 4) | st.just(0.0), min_size=4, max_size=80)


@given(values, values)
def test_distances_of_few_values_are_exactly_those_of_scipy(old, new):
    a, b = column_of(old), column_of(new)
    assume(a.kind is b.kind is nachsicht.Kind.QUANTITY)
    found = measures_of(distance_between(a, b))
    assert found["ks"].error_bound == 0
    expected = scipy.stats.ks_2samp(old, new, method="asymp")
    assert found["ks"].value == pytest.approx(expected.statistic, abs=1e-12)
    if "wasserstein" in found:
        apart = wasserstein(Curve.of_knots(a.stats.ecdf), Curve.of_knots(b.stats.ecdf))
        assert apart == pytest.approx(scipy.stats.wasserstein_distance(old, new), abs=1e-12)


@pytest.mark.parametrize("shift", [0, 0.05, 0.3, 2])
def test_distances_of_data_at_hand_are_exact_and_those_of_profiles_within_their_bounds(shift):
    old = np.concatenate([RNG.normal(0, 1, 20_000), np.zeros(4_000)])
    new = np.concatenate([RNG.normal(shift, 1.2, 15_000), np.full(5_000, 3.0)])
    data = {name: pa.table({"w": side}) for name, side in (("old", old), ("new", new))}
    exact = nachsicht.compare(*data.values()).document.columns[0].transitions[0]
    rough = distance_between(column_of(old), column_of(new))
    statistic = scipy.stats.ks_2samp(old, new, method="asymp").statistic
    assert exact.distance == pytest.approx(statistic, abs=1e-12)
    assert measures_of(exact)["ks"].error_bound == 0
    assert 0 < measures_of(rough)["ks"].error_bound < 0.01
    assert abs(rough.distance - statistic) <= measures_of(rough)["ks"].error_bound
    quartiles = [np.subtract(*np.quantile(side, [0.75, 0.25])) for side in (old, new)]
    pooled = np.average(quartiles, weights=[len(old), len(new)])
    expected = scipy.stats.wasserstein_distance(old, new) / pooled
    assert measures_of(exact)["wasserstein"].value == pytest.approx(expected, rel=2e-3)
    apart = measures_of(rough)["wasserstein"]
    assert abs(apart.value - expected) <= apart.error_bound + 2e-3 * expected


@given(values, values, st.floats(-3, 3).filter(lambda f: abs(f) > 0.1), st.floats(-5, 5))
def test_a_map_of_both_columns_leaves_their_distance(old, new, factor, offset):
    a, b = Curve.of_values(np.sort(old)), Curve.of_values(np.sort(new))
    mapped = largest_difference(a.mapped(factor, offset), b.mapped(factor, offset), 1e-9)
    assert mapped == pytest.approx(largest_difference(a, b, 1e-9 / abs(factor)), abs=1e-9)


@given(values)
def test_taking_out_a_value_leaves_the_curve_of_the_others(sample):
    value = sample[0]
    rest = np.sort([v for v in sample if v != value])
    assume(len(rest))
    without = Curve.of_values(np.sort(sample)).without(value)
    expected = Curve.of_values(rest)
    assert without.values.tolist() == expected.values.tolist()
    assert without.at_most.tolist() == expected.at_most.tolist()
    assert without.below.tolist() == expected.below.tolist()


def test_a_tolerance_forgives_rounding_and_no_more():
    exact = np.sort(RNG.normal(0, 5, 4000))
    rounded = Curve.of_values(np.sort(np.rint(exact)))
    assert largest_difference(Curve.of_values(exact), rounded, 0.5) == 0
    assert largest_difference(Curve.of_values(exact), rounded, 0.2) > 0.01


@pytest.mark.parametrize("distance", [0.02, 0.05, 0.1])
def test_chance_of_a_distance_is_near_that_of_scipy(distance):
    n, m = 900, 700
    exact = scipy.stats.kstwo.sf(distance, round(n * m / (n + m)))
    assert ks_p_value(distance, n, m) == pytest.approx(exact, rel=0.1, abs=1e-4)


def test_levels_agree_with_scipy():
    old, new = {"a": 40, "b": 60, "c": 20}, {"a": 55, "b": 50, "c": 5}
    table = [list(old.values()), list(new.values())]
    expected = scipy.stats.chi2_contingency(table, correction=False).pvalue
    assert levels_p_value(old, new) == pytest.approx(expected, rel=1e-10)
    rows = [[name for name, n in side.items() for _ in range(n)] for side in (old, new)]
    found = measures_of(distance_between(column_of(rows[0]), column_of(rows[1])))
    shares = [np.array(side) / sum(side) for side in table]
    assert found["total_variation"].value == pytest.approx(np.abs(shares[0] - shares[1]).sum() / 2)
    assert found["jensen_shannon"].value == pytest.approx(jensenshannon(*shares, base=2), rel=1e-10)
    assert found["psi"].value == pytest.approx(
        scipy.stats.entropy(shares[1], shares[0]) + scipy.stats.entropy(shares[0], shares[1])
    )


@given(st.integers(1, 300), st.floats(0, 2000))
def test_chances_of_a_chi_square_are_those_of_scipy(freedom, statistic):
    expected = scipy.stats.chi2.sf(statistic, freedom)
    assert chi_square_tail(freedom, statistic) == pytest.approx(expected, rel=1e-9, abs=1e-300)


def test_the_stability_index_counts_an_empty_bin_as_half_a_row():
    p, q = np.array([50, 50]) / 100, np.array([0.5, 100]) / 100
    assert psi([50, 50], [0, 100]) == pytest.approx(((q - p) * np.log(q / p)).sum())


@given(values)
def test_quantiles_of_a_whole_curve_are_those_of_numpy(sample):
    shares = np.array([0.0, 0.25, 0.5, 0.9, 1.0])
    found = Curve.of_values(np.sort(sample)).exact_quantiles(shares)
    assert found == pytest.approx(np.quantile(sample, shares), abs=1e-12)


def test_the_stability_index_of_a_quantity_is_over_tenths_of_the_old_version():
    old, new = np.sort(RNG.normal(0, 1, 5000)), np.sort(RNG.normal(0.4, 1, 4000))
    edges = np.quantile(old, np.arange(1, 10) / 10)
    counts = [np.histogram(side, [-np.inf, *edges, np.inf])[0] for side in (old, new)]
    found = measures_of(quantity_measures(Curve.of_values(old), Curve.of_values(new)))
    assert found["psi"].value == pytest.approx(psi(*map(list, counts)), rel=2e-2)


def test_shares_agree_with_the_test_of_two_proportions():
    pooled = scipy.stats.chi2_contingency([[30, 970], [60, 940]], correction=False).pvalue
    assert shares_p_value(30, 1000, 60, 1000) == pytest.approx(pooled, rel=1e-10)


@pytest.mark.parametrize(("old", "new"), [(0, 6), (1, 9), (3, 0)])
def test_few_counts_are_judged_by_fishers_tail(old, new):
    table = [[old, 2000 - old], [new, 2500 - new]]
    tail = min(scipy.stats.fisher_exact(table, side).pvalue for side in ("less", "greater"))
    assert shares_p_value(old, 2000, new, 2500) == pytest.approx(min(1, 2 * tail), rel=1e-9)


def test_a_bound_over_all_is_that_of_benjamini_and_hochberg():
    p_values = [0.0004, 0.009, 0.012, 0.2, 0.6]
    kept = scipy.stats.false_discovery_control(p_values) <= 0.05
    assert bound_over_all(p_values, 0.05) == max(np.array(p_values)[kept])
    assert bound_over_all([], 0.05) == 0
