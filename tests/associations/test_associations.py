"""Relations of all pairs against SciPy, pandas, statsmodels and scikit-learn, on real data too."""

from functools import reduce
from itertools import combinations, product

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.cluster.hierarchy
import scipy.spatial.distance
import scipy.stats
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from sklearn.datasets import load_breast_cancer, load_wine
from sklearn.linear_model import LinearRegression
from sklearn.metrics import r2_score
from sklearn.model_selection import PredefinedSplit, cross_val_predict
from sklearn.preprocessing import OneHotEncoder

import nachsicht
from nachsicht.associations.categorical import cramers_vs, etas
from nachsicht.associations.clustering import average_linkage
from nachsicht.associations.encode import CodedVector, NumericVector
from nachsicht.associations.explained_share import FOLDS, explanations
from nachsicht.associations.kendall import kendall
from nachsicht.associations.pearson import observe_comoments
from nachsicht.associations.spearman import rank_correlations, spearman
from nachsicht.stats.hypothesis_tests import relations_p_value

RNG = np.random.default_rng(31)


def quantity(values):
    values = np.asarray(values, float)
    return NumericVector("q", values, np.isfinite(values))


def levels(codes):
    codes = np.asarray(codes, np.int32)
    return CodedVector("c", codes, tuple(map(str, range(codes.max() + 1))), 0)


def real_tables():
    wine = load_wine(as_frame=True).frame
    gappy = wine.mask(RNG.random(wine.shape) < 0.15)
    births = sm.datasets.fair.load_pandas().data.iloc[:1500]
    return [wine, gappy, load_breast_cancer(as_frame=True).frame.iloc[:, :12], births]


@pytest.mark.parametrize("frame", real_tables(), ids=["wine", "gaps", "cells", "survey"])
def test_all_three_correlations_are_those_of_pandas(frame):
    relations = nachsicht.profile(frame).document.relations
    expected = {name: frame.corr(name) for name in ("pearson", "spearman", "kendall")}
    pairs = [pair for pair in relations.pairs if pair.measure == "spearman"]
    assert len(pairs) >= 10
    for pair in pairs:
        at = (pair.x, pair.y)
        assert pair.value == pytest.approx(expected["spearman"].loc[at], abs=1e-10)
        assert pair.pearson == pytest.approx(expected["pearson"].loc[at], abs=1e-10)
        assert pair.kendall == pytest.approx(expected["kendall"].loc[at], abs=1e-10)
        assert pair.kendall_error_bound == 0
        assert pair.rows == len(frame[[*at]].dropna())


@pytest.mark.parametrize("rows", [2_000, 20_000])  # few and many go different ways
def test_levels_among_each_other_are_corrected_chi_squares_of_scipy(rows):
    one, third = RNG.integers(0, 12, rows), RNG.integers(0, 7, rows)
    other = np.where(RNG.random(rows) < 0.4, one % 9, RNG.integers(0, 9, rows))
    third[::9] = -1  # missing
    columns = [one, other, third]
    found = cramers_vs([levels(codes) for codes in columns])
    for i, j in combinations(range(3), 2):
        both = (columns[i] >= 0) & (columns[j] >= 0)
        table = pd.crosstab(columns[i][both], columns[j][both]).to_numpy()
        n, (r, k) = table.sum(), table.shape
        phi = scipy.stats.chi2_contingency(table, correction=False).statistic / n
        corrected = max(0, phi - (r - 1) * (k - 1) / (n - 1))
        least = min(r - (r - 1) ** 2 / (n - 1), k - (k - 1) ** 2 / (n - 1)) - 1
        assert found.values[i, j] == pytest.approx(np.sqrt(corrected / least), abs=1e-10)
        assert found.rows[i, j] == found.rows[j, i] == n


@pytest.mark.parametrize("rows", [800, 20_000])  # few and many go different ways
def test_eta_is_the_adjusted_share_of_a_regression_on_the_levels(rows):
    columns = RNG.integers(0, [[5], [2], [24]], (3, rows))
    columns[0, ::7] = -1
    numbers = columns[0] + RNG.gamma(2, 3, (2, rows))
    numbers[0, ::11] = np.nan
    sides = [levels(codes) for codes in columns], [quantity(values) for values in numbers]
    found = etas(*sides, np.arange(min(rows, 10_000)), map)
    for (i, codes), (j, values) in product(enumerate(columns), enumerate(numbers)):
        ranked = scipy.stats.rankdata(values, nan_policy="omit")
        both = (codes >= 0) & np.isfinite(values)
        fit = sm.OLS(ranked[both], np.eye(24)[codes[both], : codes.max() + 1]).fit()
        share = max(fit.rsquared_adj, 0)
        assert found.values[i, j] ** 2 == pytest.approx(share, abs=1e-10)
        assert found.rows[i, j] == both.sum()


few = st.lists(st.integers(0, 6), min_size=2, max_size=200)


@given(few, st.randoms())
def test_kendall_is_that_of_scipy_for_any_ties(values, random):
    other = [value if random.random() < 0.5 else random.randint(-3, 9) for value in values]
    expected = scipy.stats.kendalltau(values, other).statistic
    found = kendall(np.array(values), np.array(other))
    assert found is None if np.isnan(expected) else found == pytest.approx(expected, abs=1e-10)


def test_kendall_of_many_rows_is_drawn_and_its_bound_holds():
    n = 30_000
    x = RNG.normal(size=n)
    frame = pd.DataFrame({"x": x, "y": x + RNG.normal(size=n)})
    (pair,) = nachsicht.profile(frame).document.relations.pairs
    truth = scipy.stats.kendalltau(frame["x"], frame["y"]).statistic
    assert 0 < abs(pair.kendall - truth) < 3 * pair.kendall_error_bound < 0.04
    assert pair.value == pytest.approx(frame["x"].corr(frame["y"], "spearman"), abs=1e-10)


@pytest.mark.parametrize("level", [0.0, 0.1, 1e9 / 3])
@pytest.mark.parametrize("cut", [None, 1, 3])
def test_a_column_that_varies_only_where_the_other_is_missing_is_not_correlated(level, cut):
    x = pa.array([None, None, 0.5, 0.25, 1.0, 7.0])
    y = pa.array([level, level + 7.3, *[level] * 4])
    parts = [[x[:cut], y[:cut]], [x[cut:], y[cut:]]] if cut else [[x, y]]
    found = reduce(lambda a, b: a.merge(b), map(observe_comoments, parts)).correlations()
    assert np.isnan(found[0, 1])
    assert np.isnan(found[1, 0])


def test_small_steps_far_from_zero_are_correlated_with_what_goes_along():
    steps = RNG.integers(0, 3, 500)
    other = steps + RNG.integers(0, 2, 500)
    columns = [pa.array(10**15 + steps), pa.array(other)]
    found = observe_comoments(columns).correlations()
    assert found[0, 1] == pytest.approx(np.corrcoef(steps, other)[0, 1], abs=1e-10)


@given(
    st.lists(st.tuples(st.integers(-50, 50) | st.none(), st.integers(0, 9)), min_size=3),
    st.data(),
)
def test_pearson_is_the_same_for_any_split_of_the_rows(rows, data):
    cut = data.draw(st.integers(0, len(rows)))
    columns = [pa.array([row[i] for row in rows], pa.float64()) for i in (0, 1)]
    whole = observe_comoments(columns)
    parts = [[column[:cut] for column in columns], [column[cut:] for column in columns]]
    merged = observe_comoments(parts[0]).merge(observe_comoments(parts[1]))
    np.testing.assert_allclose(merged.correlations(), whole.correlations(), atol=1e-11)
    np.testing.assert_array_equal(merged.rows, whole.rows)


def test_a_stream_merges_pearson_and_draws_the_rest(tmp_path):
    n = 60_000
    x = RNG.normal(size=n)
    frame = pd.DataFrame({"x": x, "y": 0.4 * x + RNG.normal(size=n), "when": np.arange(n) + 1e15})
    path = tmp_path / "rows.parquet"
    frame.to_parquet(path, row_group_size=7_000)
    relations = nachsicht.profile(path, memory_bytes=1_000_000).document.relations
    assert (relations.rows, relations.sampled_rows) == (n, 10_000)
    for pair in relations.pairs:
        truth = frame[pair.x].corr(frame[pair.y])
        assert pair.pearson == pytest.approx(truth, abs=1e-10)
        ranked = frame[pair.x].corr(frame[pair.y], "spearman")
        assert abs(pair.value - ranked) < 4 * pair.std_error
        assert pair.rows == 10_000


def held_out(target, design):
    """Predictions of a linear model on the levels, each row by the other four folds."""
    model = LinearRegression(fit_intercept=False)
    folds = PredefinedSplit(np.arange(len(target)) % FOLDS)
    return cross_val_predict(model, design, target, cv=folds)


def baseline(target):
    return held_out(target, np.ones((len(target), 1)))


def test_explanations_are_those_of_a_cross_validated_model():
    n = 1_000
    kind, temper = RNG.integers(0, 4, n), RNG.integers(0, 3, n)
    temper = np.where(RNG.random(n) < 0.5, kind % 3, temper)
    weight = kind * 2.0 + RNG.normal(size=n)
    mites = RNG.poisson(temper + 1.0)
    found = explanations([levels(kind), levels(temper), quantity(weight), quantity(mites)])()
    design = OneHotEncoder(sparse_output=False).fit_transform(kind[:, None])

    def share(target, design):
        wrong = ((target - held_out(target, design)) ** 2).sum()
        return 1 - wrong / ((target - baseline(target)) ** 2).sum()

    assert found[0, 2] == pytest.approx(share(weight, design), abs=1e-10)
    assert found[0, 1] == pytest.approx(share(np.eye(3)[temper], design), abs=1e-10)
    tenths = np.searchsorted(np.quantile(weight, np.arange(1, 10) / 10), weight)
    assert found[2, 1] == pytest.approx(share(np.eye(3)[temper], np.eye(10)[tenths]), abs=1e-10)
    assert found[2, 3] == pytest.approx(share(mites.astype(float), np.eye(10)[tenths]), abs=1e-10)
    assert abs(r2_score(weight, held_out(weight, design)) - found[0, 2]) < 0.01


def test_one_column_gives_another_away_but_not_the_reverse():
    apiary = RNG.integers(0, 12, 3_000)
    frame = pd.DataFrame({"apiary": np.char.add("A", apiary.astype(str))})
    frame["region"] = np.where(apiary < 6, "north", "south")
    (pair,) = nachsicht.profile(frame).document.relations.pairs
    forth, back = (
        (pair.x_predicts_y, pair.y_predicts_x)
        if pair.x == "apiary"
        else (pair.y_predicts_x, pair.x_predicts_y)
    )
    assert forth == pytest.approx(1)
    assert back < 0.2


def test_zero_one_columns_by_the_hundred_are_related_in_pairs():
    table = RNG.integers(0, 2, (600, 150))
    table[:, 1] = table[:, 0] ^ (RNG.random(600) < 0.1)
    frame = pd.DataFrame(table, columns=[f"c{i}" for i in range(150)])
    relations = nachsicht.profile(frame).document.relations
    assert relations.total_pairs == 150 * 149 // 2
    assert len(relations.pairs) == 5_000
    assert min(abs(pair.value) for pair in relations.pairs) >= relations.weakest
    strongest = max(relations.pairs, key=lambda pair: pair.value)
    assert {strongest.x, strongest.y} == {"c0", "c1"}


def test_levels_beyond_the_most_frequent_count_as_one_and_that_is_told():
    names = np.array([f"village {i:02d}" for i in range(40)])
    frame = pd.DataFrame({"village": RNG.choice(names, 6_000), "yes": RNG.random(6_000) < 0.5})
    assert nachsicht.profile(frame).document.relations.merged_levels == {"village": 17}


def test_pairs_of_too_few_common_rows_are_told():
    values = RNG.normal(size=(200, 3))
    values[30:, 0], values[:19, 1] = np.nan, np.nan
    found = nachsicht.profile(pd.DataFrame(values, columns=["fat", "protein", "ash"])).document
    assert [(p.x, p.y) for p in found.relations.pairs] == [("fat", "ash"), ("protein", "ash")]
    assert [(p.x, p.y, p.rows) for p in found.relations.too_few] == [("fat", "protein", 11)]
    assert found.relations.total_too_few == 1


def test_gaps_in_very_many_rows_are_ranked_in_drawn_ones():
    n = 250_000
    base = RNG.normal(size=n)
    frame = pd.DataFrame({f"q{i}": base + RNG.normal(size=n) for i in range(14)})
    frame.iloc[::3, :10] = np.nan
    relations = nachsicht.profile(frame).document.relations
    for pair in relations.pairs:
        truth = 6 / np.pi * np.arcsin(0.5 / 2)
        assert abs(pair.value - truth) < 5 * pair.std_error
        whole = min(int(name[1:]) for name in (pair.x, pair.y)) >= 10
        assert pair.rows == n if whole else 5_000 < pair.rows < 10_000


def test_durations_and_moments_take_part_as_quantities():
    days = RNG.integers(0, 900, 500)
    frame = pd.DataFrame({"gap": pd.to_timedelta(days, "D")})
    frame["seen"] = pd.Timestamp("2024-01-01") + frame["gap"] * 2
    (pair,) = nachsicht.profile(frame).document.relations.pairs
    assert (pair.measure, pair.value) == ("spearman", pytest.approx(1))


def test_relations_of_halves_differ_no_more_than_chance_says():
    x = RNG.normal(size=(200, 2, 400))
    y = 0.5 * x + RNG.normal(size=x.shape)
    found = [[spearman(x[i, k], y[i, k]) for k in (0, 1)] for i in range(len(x))]
    p_values = [relations_p_value(a.value, a.error, b.value, b.error) for a, b in found]
    assert 0.01 < np.mean(np.array(p_values) < 0.05) < 0.12


@pytest.mark.parametrize("measure", ["spearman", "cramers_v", "eta"])
def test_the_error_of_a_strength_is_that_of_a_bootstrap(measure):
    n = 1500
    kinds = RNG.integers(0, 4, n)
    values = kinds * 0.5 + RNG.gamma(2, 1, n)
    others = np.where(RNG.random(n) < 0.5, kinds, RNG.integers(0, 4, n))

    def found(rows):
        a, b = kinds[rows], values[rows]
        if measure == "spearman":
            pair = [quantity(np.round(b)), quantity(noisy[rows])]
            return rank_correlations(pair, np.arange(n)), (0, 1)
        if measure == "cramers_v":
            return cramers_vs([levels(a), levels(others[rows])]), (0, 1)
        return etas([levels(a)], [quantity(b)], np.arange(len(a)), map), (0, 0)

    noisy = values + RNG.normal(0, 3, n)
    strengths, at = found(np.arange(n))
    drawn = [found(RNG.integers(0, n, n))[0].values[at] for _ in range(300)]
    # Those of levels are never told as less than that of no association.
    expected = max(np.std(drawn), 0 if measure == "spearman" else 1 / np.sqrt(n))
    assert strengths.errors[at] == pytest.approx(expected, rel=0.2)


def test_the_error_in_many_rows_is_known_from_drawn_ones():
    base = RNG.gamma(2, 3, 40_000)
    sides = [quantity(base), quantity(base + RNG.gamma(1, 5, 40_000).round())]
    found = rank_correlations(sides, RNG.permutation(40_000)[:10_000])
    of_all = spearman(sides[0].values, sides[1].values)
    assert found.values[0, 1] == pytest.approx(of_all.value, abs=1e-12)
    assert found.errors[0, 1] == pytest.approx(of_all.error, rel=0.05)


@given(
    st.integers(2, 40).flatmap(
        lambda n: st.lists(
            st.sampled_from([0.1, 0.25, 0.5, 0.75, 1.0]) | st.floats(0, 1),
            min_size=n * (n - 1) // 2,
            max_size=n * (n - 1) // 2,
        )
    )
)
def test_clusters_are_merged_as_scipy_merges_them(distances):
    found = average_linkage(scipy.spatial.distance.squareform(distances))
    expected = scipy.cluster.hierarchy.linkage(distances, "average")
    assert [merge[2] for merge in found] == pytest.approx(expected[:, 2], abs=1e-12)
    # Where two distances are the same to rounding, either merge may come first.
    steps = np.diff(expected[:, 2])
    if not len(steps) or steps.min() > 1e-9:
        assert [merge[:2] for merge in found] == [tuple(row) for row in expected[:, :2]]


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
    assert set(relations.unrelated) == {"lonely", "far"}
    assert sorted(relations.order) == sorted(set(table.schema.names) - {"tag"})
    places = sorted(relations.order.index(name) for name in ("one", "two", "three"))
    assert places[2] - places[0] == 2
    assert relations.excluded == {"tag": "identifier"}
    frame = table.to_pandas()
    for pair in relations.pairs:
        if pair.measure == "spearman":
            expected = frame[pair.x].corr(frame[pair.y], "spearman")
            assert pair.value == pytest.approx(expected, abs=1e-10)
