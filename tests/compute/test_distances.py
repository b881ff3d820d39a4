"""Distances, and how often chance gives as much, against SciPy and by their laws."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.stats
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.spatial.distance import jensenshannon

import nachsicht
from nachsicht.compute.changes.chance import (
    bound_over_all,
    ks_chance,
    levels_chance,
    relations_chance,
    shares_chance,
)
from nachsicht.compute.changes.curves import Curve, largest_difference, wasserstein
from nachsicht.compute.changes.distances import distance_between, psi, quantity_measures
from nachsicht.compute.columns import finish_column, observe_column
from nachsicht.compute.relations.strengths import cramers_v, eta, spearman
from nachsicht.settings import Settings

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
    assert found["ks"].off == 0
    expected = scipy.stats.ks_2samp(old, new, method="asymp")
    assert found["ks"].value == pytest.approx(expected.statistic, abs=1e-12)
    if "wasserstein" in found:
        apart = wasserstein(Curve.of_knots(a.detail.knots), Curve.of_knots(b.detail.knots))
        assert apart == pytest.approx(scipy.stats.wasserstein_distance(old, new), abs=1e-12)


@pytest.mark.parametrize("shift", [0, 0.05, 0.3, 2])
def test_distances_of_data_at_hand_are_exact_and_those_of_profiles_within_their_bounds(shift):
    old = np.concatenate([RNG.normal(0, 1, 20_000), np.zeros(4_000)])
    new = np.concatenate([RNG.normal(shift, 1.2, 15_000), np.full(5_000, 3.0)])
    data = {name: pa.table({"w": side}) for name, side in (("old", old), ("new", new))}
    exact = nachsicht.compare(*data.values()).document.columns[0].steps[0]
    rough = distance_between(column_of(old), column_of(new))
    statistic = scipy.stats.ks_2samp(old, new, method="asymp").statistic
    assert exact.distance == pytest.approx(statistic, abs=1e-12)
    assert measures_of(exact)["ks"].off == 0
    assert 0 < measures_of(rough)["ks"].off < 0.01
    assert abs(rough.distance - statistic) <= measures_of(rough)["ks"].off
    quartiles = [np.subtract(*np.quantile(side, [0.75, 0.25])) for side in (old, new)]
    pooled = np.average(quartiles, weights=[len(old), len(new)])
    expected = scipy.stats.wasserstein_distance(old, new) / pooled
    assert measures_of(exact)["wasserstein"].value == pytest.approx(expected, rel=2e-3)
    apart = measures_of(rough)["wasserstein"]
    assert abs(apart.value - expected) <= apart.off + 2e-3 * expected


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
    assert ks_chance(distance, n, m) == pytest.approx(exact, rel=0.1, abs=1e-4)


def test_levels_agree_with_scipy():
    old, new = {"a": 40, "b": 60, "c": 20}, {"a": 55, "b": 50, "c": 5}
    table = [list(old.values()), list(new.values())]
    expected = scipy.stats.chi2_contingency(table, correction=False).pvalue
    assert levels_chance(old, new) == pytest.approx(expected, rel=1e-10)
    rows = [[name for name, n in side.items() for _ in range(n)] for side in (old, new)]
    found = measures_of(distance_between(column_of(rows[0]), column_of(rows[1])))
    shares = [np.array(side) / sum(side) for side in table]
    assert found["total_variation"].value == pytest.approx(np.abs(shares[0] - shares[1]).sum() / 2)
    assert found["jensen_shannon"].value == pytest.approx(jensenshannon(*shares, base=2), rel=1e-10)
    assert found["psi"].value == pytest.approx(
        scipy.stats.entropy(shares[1], shares[0]) + scipy.stats.entropy(shares[0], shares[1])
    )


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
    assert shares_chance(30, 1000, 60, 1000) == pytest.approx(pooled, rel=1e-10)


@pytest.mark.parametrize(("old", "new"), [(0, 6), (1, 9), (3, 0)])
def test_few_counts_are_judged_by_fishers_tail(old, new):
    table = [[old, 2000 - old], [new, 2500 - new]]
    tail = min(scipy.stats.fisher_exact(table, side).pvalue for side in ("less", "greater"))
    assert shares_chance(old, 2000, new, 2500) == pytest.approx(min(1, 2 * tail), rel=1e-9)


def test_a_bound_over_all_is_that_of_benjamini_and_hochberg():
    chances = [0.0004, 0.009, 0.012, 0.2, 0.6]
    kept = scipy.stats.false_discovery_control(chances) <= 0.05
    assert bound_over_all(chances, 0.05) == max(np.array(chances)[kept])
    assert bound_over_all([], 0.05) == 0


def test_relations_of_halves_differ_no_more_than_chance_says():
    x = RNG.normal(size=(200, 2, 400))
    y = 0.5 * x + RNG.normal(size=x.shape)
    found = [[spearman(x[i, k], y[i, k]) for k in (0, 1)] for i in range(len(x))]
    chances = [relations_chance(a.value, a.error, b.value, b.error) for a, b in found]
    assert 0.01 < np.mean(np.array(chances) < 0.05) < 0.12


def test_strengths_agree_with_scipy_and_pandas():
    a, b = RNG.integers(0, 9, 500).astype(float), RNG.normal(size=500)
    b += a / 3
    assert spearman(a, b).value == pytest.approx(scipy.stats.spearmanr(a, b).statistic, rel=1e-12)
    one, other = RNG.integers(0, 4, 900), RNG.integers(0, 3, 900)
    other = np.where(RNG.random(900) < 0.4, one % 3, other)
    table = pd.crosstab(one, other).to_numpy()
    n, (r, k) = table.sum(), table.shape
    phi = scipy.stats.chi2_contingency(table, correction=False).statistic / n
    corrected = max(0, phi - (r - 1) * (k - 1) / (n - 1))
    least = min(r - (r - 1) ** 2 / (n - 1), k - (k - 1) ** 2 / (n - 1)) - 1
    assert cramers_v(one, other).value == pytest.approx(np.sqrt(corrected / least), rel=1e-12)
    groups = [b[a == level] for level in np.unique(a)]
    f = scipy.stats.f_oneway(*groups).statistic
    k, n = len(groups), len(b)
    share = 1 - (n - 1) / (n - k) / (1 + f * (k - 1) / (n - k))
    assert eta(a.astype(int), b).value == pytest.approx(np.sqrt(share), rel=1e-10)


@pytest.mark.parametrize("measure", ["spearman", "cramers_v", "eta"])
def test_the_error_of_a_strength_is_that_of_a_bootstrap(measure):
    n = 1500
    levels = RNG.integers(0, 4, n)
    values = levels * 0.5 + RNG.gamma(2, 1, n)
    others = np.where(RNG.random(n) < 0.5, levels, RNG.integers(0, 4, n))
    pair = {
        "spearman": (spearman, np.round(values), values + RNG.normal(0, 3, n)),
        "cramers_v": (cramers_v, levels, others),
        "eta": (eta, levels, values),
    }[measure]
    strength = pair[0](*pair[1:])
    drawn = [RNG.integers(0, n, n) for _ in range(300)]
    spread = np.std([pair[0](pair[1][rows], pair[2][rows]).value for rows in drawn])
    assert spread * 0.8 < strength.error < spread * 1.6


def test_columns_that_move_together_are_grouped_and_the_lonely_told():
    base, other = RNG.normal(size=(2, 2000))
    kind = RNG.choice(["a", "b"], 2000)
    table = pa.table(
        {
            "one": base,
            "kind": kind,
            "lonely": RNG.normal(size=2000),
            "two": base + RNG.normal(0, 0.4, 2000),
            "far": other,
            "three": -base + RNG.normal(0, 0.4, 2000),
            "near": np.where(kind == "a", 3, 0) + RNG.normal(size=2000),
            "tag": [f"K{i:05d}" for i in range(2000)],
        }
    )
    relations = nachsicht.profile(table).document.relations
    assert relations.groups == (("kind", "near"), ("one", "two", "three"))
    assert set(relations.alone) == {"lonely", "far"}
    assert sorted(relations.order) == sorted(set(table.schema.names) - {"tag"})
    places = sorted(relations.order.index(name) for name in ("one", "two", "three"))
    assert places[2] - places[0] == 2
    assert relations.left_out == {"tag": "identifier"}
    frame = table.to_pandas()
    for pair in relations.pairs:
        if pair.measure == "spearman":
            expected = frame[pair.one].corr(frame[pair.other], "spearman")
            assert pair.strength == pytest.approx(expected, abs=1e-10)


def test_relations_leave_rows_out_where_either_is_missing():
    frame = pd.DataFrame({"a": RNG.normal(size=900), "b": RNG.normal(size=900)})
    frame["b"] += frame["a"]
    frame = frame.mask(RNG.random(frame.shape) < 0.2)
    (pair,) = nachsicht.profile(frame).document.relations.pairs
    assert pair.rows == len(frame.dropna())
    assert pair.strength == pytest.approx(frame["a"].corr(frame["b"], "spearman"), abs=1e-10)
