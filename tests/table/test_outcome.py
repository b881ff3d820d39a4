"""The outcome by every column, against pandas, statsmodels' formulas by hand, and scikit-learn."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.stats
from sklearn.linear_model import LinearRegression
from sklearn.model_selection import PredefinedSplit, cross_val_predict
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import OneHotEncoder

import nachsicht
from nachsicht.table.outcome import FOLDS, explained_by, wilson

RNG = np.random.default_rng(51)
N = 3000
KIND = RNG.choice(["log", "long", "stacked"], N, p=[0.2, 0.3, 0.5])
MITES = RNG.poisson(3, N)
LIVED = RNG.random(N) < 1 / (1 + np.exp(MITES - 4))
FRAME = pd.DataFrame(
    {
        "tag": [f"H{i:05d}" for i in range(N)],
        "kind": KIND,
        "mites": MITES,
        "weight": np.round(RNG.normal(30, 6, N) + 4 * (KIND == "log"), 1),
        "lived": np.where(LIVED, "yes", "no"),
        "form": "B2",
    }
)


@pytest.fixture(scope="module")
def shares():
    return nachsicht.profile(FRAME, outcome="lived").document.outcome


def test_shares_by_level_are_those_of_pandas_with_wilsons_interval(shares):
    assert (shares.column, shares.level, shares.rows) == ("lived", "yes", N)
    assert shares.overall == pytest.approx(LIVED.mean())
    (view,) = [view for view in shares.views if view.column == "kind"]
    expected = pd.Series(LIVED).groupby(KIND).agg(["mean", "size"])
    for entry in view.bins:
        row = expected.loc[entry.level]
        assert (entry.value, entry.rows) == (pytest.approx(row["mean"]), row["size"])
        successes = round(row["mean"] * row["size"])
        interval = scipy.stats.binomtest(successes, int(row["size"])).proportion_ci(method="wilson")
        assert (entry.low, entry.high) == pytest.approx((interval.low, interval.high), rel=1e-10)


def test_what_explains_most_comes_first_and_what_cannot_be_looked_at_is_told(shares):
    assert shares.views[0].column == "mites"
    assert shares.excluded == {"tag": "identifier", "form": "never_varies"}
    assert shares.views[0].explained_share > 0.2 > abs(shares.views[-1].explained_share)


def test_means_by_bin_are_those_of_pandas(shares):
    outcome = nachsicht.profile(FRAME, outcome="weight").document.outcome
    assert outcome.level is None
    (view,) = [view for view in outcome.views if view.column == "mites"]
    expected = FRAME.groupby("mites")["weight"].agg(["mean", "size", "sem"])
    for entry in view.bins:
        row = expected.loc[int(entry.level)]
        assert (entry.value, entry.rows) == (pytest.approx(row["mean"]), row["size"])
        if entry.rows > 1:
            half = scipy.stats.t.ppf(0.975, row["size"] - 1) * row["sem"]
            assert (entry.low, entry.high) == pytest.approx(
                (row["mean"] - half, row["mean"] + half)
            )


@pytest.mark.parametrize("noise", [0.1, 2, 50])
def test_explained_is_that_of_a_cross_validation_in_scikit_learn(noise):
    codes = RNG.integers(0, 6, 800)
    values = codes * 0.7 + RNG.normal(0, noise, 800)
    folds = PredefinedSplit(np.arange(800) % FOLDS)
    model = make_pipeline(
        OneHotEncoder(handle_unknown="ignore", sparse_output=False),
        LinearRegression(fit_intercept=False),
    )
    predicted = cross_val_predict(model, codes.reshape(-1, 1), values, cv=folds)
    base = np.empty(800)
    for train, test in folds.split():
        base[test] = values[train].mean()
    expected = 1 - ((values - predicted) ** 2).sum() / ((values - base) ** 2).sum()
    assert explained_by(codes, values) == pytest.approx(expected, abs=1e-10)


def test_missing_values_are_a_bin_of_their_own_and_quantities_have_tenths():
    weight = FRAME["weight"].mask(RNG.random(N) < 0.1)
    outcome = nachsicht.profile(FRAME.assign(weight=weight), outcome="lived").document.outcome
    (view,) = [view for view in outcome.views if view.column == "weight"]
    assert view.bins[-1].type == "missing"
    assert view.bins[-1].rows == weight.isna().sum()
    assert len(view.bins) == 11
    sizes = [entry.rows for entry in view.bins[:-1]]
    assert max(sizes) < 1.4 * min(sizes)
    assert sum(sizes) == weight.notna().sum()


def test_an_interval_of_nothing_and_of_all_stays_within_bounds():
    assert wilson(0.0, 10)[0] == pytest.approx(0, abs=1e-12)
    assert wilson(1.0, 10)[1] == pytest.approx(1, abs=1e-12)


def test_no_outcome_gives_none_and_a_name_of_things_is_refused():
    assert nachsicht.profile(FRAME).document.outcome is None
    with pytest.raises(nachsicht.SettingsError, match="tag cannot be the outcome"):
        nachsicht.profile(FRAME, outcome="tag")


@pytest.mark.parametrize("stored", [np.float64, np.float32, np.int64])
def test_flags_that_are_stored_as_numbers_part_the_rows(stored):
    treated = RNG.integers(0, 2, 600)
    mites = RNG.poisson(3 + 4 * treated)
    table = pa.table({"treated": pa.array(treated.astype(stored)), "mites": mites})
    outcome = nachsicht.profile(table, outcome="treated").document.outcome
    assert outcome.level == "1"
    assert outcome.overall == pytest.approx(treated.mean())
    groups = nachsicht.compare_groups(table, by="treated", groups=("0", "1")).document
    assert [version.rows for version in groups.versions] == np.bincount(treated).tolist()
    # The two are all there are: without being named they are compared with each other too.
    alone = nachsicht.compare_groups(table, by="treated").document
    assert [finding.columns for finding in alone.findings] == [("mites",)]
    assert [finding.title for finding in alone.findings] == [
        finding.title for finding in groups.findings
    ]


def test_few_rows_have_an_outcome_with_wide_intervals():
    frame = pd.DataFrame({"kg": np.arange(12.0) % 5 + 20, "zone": ["a", "b"] * 6})
    outcome = nachsicht.profile(frame, outcome="kg").document.outcome
    (view,) = outcome.views
    for own in view.bins:
        values = frame["kg"][frame["zone"] == own.level]
        low, high = scipy.stats.t.interval(0.95, 5, values.mean(), values.sem())
        assert (own.low, own.high) == pytest.approx((low, high))
    assert nachsicht.profile(frame.head(9), outcome="kg").document.outcome is None
