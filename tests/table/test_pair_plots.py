"""Pairs that are drawn, columns over time and components, against other libraries."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from matplotlib.dates import ConciseDateFormatter
from sklearn.datasets import load_iris, load_wine
from sklearn.decomposition import PCA
from sklearn.preprocessing import StandardScaler

import nachsicht
from nachsicht.errors import SettingsError
from nachsicht.model.pair_plots import BOX_SHARES, BoxesView, GridView, SharesView, TimeView
from nachsicht.stats.hist2d import axis_of, grid_of, places_on

RNG = np.random.default_rng(77)
N = 1200
KIND = RNG.choice(["log", "long", "stacked"], N)
FRAMES = RNG.integers(2, 12, N)
DAY = pd.Timestamp("2024-03-01") + pd.to_timedelta(RNG.integers(0, 214, N), "D")
FRAME = pd.DataFrame(
    {
        "kind": KIND,
        "frames": FRAMES,
        "weight": np.round(20 + 2 * FRAMES + 6 * (KIND == "log") + RNG.normal(0, 2, N), 2),
        "lived": np.where(RNG.random(N) < 0.4 + 0.4 * (KIND == "long"), "yes", "no"),
        "checked": DAY,
    }
)
FRAME.loc[::17, "weight"] = np.nan


@pytest.fixture(scope="module")
def profile():
    return nachsicht.profile(FRAME).document


def view_of(document, one, other):
    (found,) = [pair for pair in document.pairs if {pair.x, pair.y} == {one, other}]
    return found


@given(
    st.lists(st.floats(-1e6, 1e6) | st.integers(-30, 30).map(float), min_size=2, max_size=200),
)
def test_every_row_has_its_bin_or_lies_beyond(values):
    x = np.array(values)
    axis = axis_of(x)
    assert 1 <= axis.bins <= 24
    places = places_on(axis, x)
    inside = places >= 0
    low = axis.start + places[inside] * axis.width
    slack = 1e-9 * (np.abs(x[inside]) + axis.width)
    assert (x[inside] >= low - slack).all()
    assert (x[inside] <= low + axis.width + slack).all()
    view = grid_of(x, x[::-1].copy(), line=False)
    assert sum(view.counts) + view.outside == len(values)


def test_few_columns_are_drawn_in_all_pairs_as_suits_their_kinds(profile):
    kinds = {frozenset((p.x, p.y)): type(p.view) for p in profile.pairs}
    assert kinds == {
        frozenset(("frames", "weight")): GridView,
        frozenset(("kind", "frames")): BoxesView,
        frozenset(("kind", "weight")): BoxesView,
        frozenset(("lived", "frames")): BoxesView,
        frozenset(("lived", "weight")): BoxesView,
        frozenset(("kind", "lived")): SharesView,
        frozenset(("checked", "frames")): TimeView,
        frozenset(("checked", "weight")): TimeView,
        frozenset(("checked", "kind")): TimeView,
        frozenset(("checked", "lived")): TimeView,
    }


def test_a_grid_counts_as_numpy_does(profile):
    pair = view_of(profile, "frames", "weight")
    view, both = pair.view, FRAME.dropna()
    ends = [(a.start + a.width * np.arange(a.bins + 1)) for a in (view.x, view.y)]
    expected, *_ = np.histogram2d(both[pair.x], both[pair.y], ends)
    np.testing.assert_array_equal(np.reshape(view.counts, expected.shape), expected)
    assert pair.rows == len(both)


def test_a_line_is_a_weighted_regression_at_each_point(profile):
    view = view_of(profile, "frames", "weight").view
    both = FRAME.dropna()
    x, y = both["frames"].to_numpy(float), both["weight"].to_numpy()
    spread = min(x.std(), (np.quantile(x, 0.75) - np.quantile(x, 0.25)) / 1.34)
    width = max(1.2 * spread * len(x) ** -0.2, view.x.width / 2)
    for point in view.line:
        near = np.abs(x - point.x) < 4 * width
        weights = np.exp(-0.5 * ((x[near] - point.x) / width) ** 2)
        design = sm.add_constant(x[near] - point.x)
        fit = sm.WLS(y[near], design, weights=weights).fit(cov_type="HC0")
        low, high = fit.conf_int()[0]
        assert point.y == pytest.approx(fit.params[0], rel=1e-9)
        assert (point.low, point.high) == (pytest.approx(low, rel=1e-9), pytest.approx(high, 1e-9))


def test_boxes_hold_the_quantiles_of_each_level(profile):
    view = view_of(profile, "kind", "weight").view
    assert [box.level for box in view.boxes] == ["log", "long", "stacked"]
    for box in view.boxes:
        values = FRAME.loc[FRAME["kind"] == box.level, "weight"].dropna()
        assert box.rows == len(values)
        np.testing.assert_allclose(box.quantiles, np.quantile(values, BOX_SHARES))
        low, high = np.quantile(values, (0.25, 0.75))
        inside = values[values.between(low - 1.5 * (high - low), high + 1.5 * (high - low))]
        assert (box.low_whisker, box.high_whisker) == (inside.min(), inside.max())
        assert box.outside == len(values) - len(inside)
    np.testing.assert_allclose(view.overall, np.quantile(FRAME["weight"].dropna(), BOX_SHARES))


def test_shares_are_a_table_of_counts(profile):
    pair = view_of(profile, "kind", "lived")
    expected = pd.crosstab(FRAME[pair.x], FRAME[pair.y])
    assert pair.view.x_levels == tuple(expected.index)
    assert pair.view.y_levels == tuple(expected.columns)
    assert pair.view.counts == tuple(expected.to_numpy().ravel())


def test_a_third_column_parts_the_strongest_pairs():
    document = nachsicht.profile(FRAME, outcome="lived").document
    pair = view_of(document, "frames", "weight")
    assert pair.split_by == "lived"
    assert [part.level for part in pair.facets] == ["no", "yes"]
    summed = np.sum([part.view.counts for part in pair.facets], axis=0)
    np.testing.assert_array_equal(summed, pair.view.counts)
    assert all((part.view.x, part.view.y) == (pair.view.x, pair.view.y) for part in pair.facets)


def test_columns_over_time_are_those_of_pandas_by_month(profile):
    over = profile.over_time
    assert (over.time_column, over.unit) == ("checked", "month")
    months = FRAME["checked"].dt.to_period("M")
    assert over.rows == tuple(months.value_counts().sort_index())
    weight = over.views["weight"]
    by = FRAME["weight"].groupby(months)
    np.testing.assert_allclose(weight.quartiles, by.quantile([0.25, 0.5, 0.75]).unstack())
    assert weight.missing == tuple(FRAME["weight"].isna().groupby(months).sum())
    kind = over.views["kind"]
    expected = pd.crosstab(FRAME["kind"], months)
    for level, counts in zip(kind.levels, kind.counts, strict=True):
        assert counts == tuple(expected.loc[level])
    assert not any(view.jumps for view in over.views.values())


def test_a_jump_is_marked_where_it_is_and_nowhere_else():
    late = pd.Timestamp("2024-06-01") <= FRAME["checked"]
    frame = FRAME.assign(weight=FRAME["weight"] + 15 * late)
    frame["lived"] = frame["lived"].mask(late & (RNG.random(N) < 0.5))
    views = nachsicht.profile(frame).document.over_time.views
    assert {name: view.jumps for name, view in views.items() if view.jumps} == {
        "weight": (3,),
        "lived": (3,),
    }


def test_the_moment_is_chosen_where_it_is_not_plain(tmp_path):
    other = DAY[::-1].to_series(index=FRAME.index)
    frame = FRAME.assign(entered=other.to_numpy())
    assert nachsicht.profile(frame).document.over_time is None
    assert (
        nachsicht.profile(frame, time_column="entered").document.over_time.time_column == "entered"
    )
    with pytest.raises(SettingsError, match="weight cannot be the time column"):
        nachsicht.profile(frame, time_column="weight")
    stamped = FRAME.assign(at=FRAME["checked"] + pd.Timedelta(hours=3))
    assert nachsicht.profile(stamped).document.over_time.time_column == "checked"


@pytest.mark.parametrize("load", [load_iris, load_wine])
def test_components_are_those_of_scikit_learn(load):
    frame = load(as_frame=True).data
    found = nachsicht.profile(frame).document.components
    expected = PCA().fit(StandardScaler().fit_transform(frame))
    assert found.rows == len(frame)
    places = [list(frame.columns).index(name) for name in found.columns]
    np.testing.assert_allclose(
        found.explained_variance, expected.explained_variance_ratio_, atol=1e-10
    )
    for mine, theirs in zip(found.loadings, expected.components_, strict=False):
        turned = np.sign(theirs[np.argmax(np.abs(theirs))])
        np.testing.assert_allclose(mine, (theirs * turned)[places], atol=1e-8)
    assert sum(found.scores.counts) + found.scores.outside == len(frame)


def test_versions_lie_in_one_plane_of_what_they_share():
    frame = load_wine(as_frame=True).data
    older, newer = frame.iloc[::2], frame.iloc[1::2].assign(extra=RNG.normal(size=89))
    compared = nachsicht.compare(older, newer).document
    assert "extra" not in compared.components.columns
    old, new = compared.pca_scores
    assert (old.x, old.y) == (new.x, new.y)
    assert sum(old.counts) + old.outside == len(older)


def test_pairs_that_changed_are_drawn_in_both_versions():
    n = 2000
    table = {f"q{i:02d}": RNG.normal(size=n) for i in range(12)}
    for i in range(0, 12, 2):
        table[f"q{i + 1:02d}"] = table[f"q{i:02d}"] + RNG.normal(0, 0.3, n)
    before = pd.DataFrame(table)
    after = before.assign(q01=RNG.permutation(before["q01"]))
    document = nachsicht.compare(before, after).document
    assert [{c.x, c.y} for c in document.relations][:1] == [{"q00", "q01"}]
    for version in document.versions:
        assert view_of(version, "q00", "q01").view.counts


def test_moments_millions_of_years_away_do_no_harm():
    days = pa.array([-(2**50), 2**50, *range(60)], pa.timestamp("s"))
    table = pa.table({"when": days, "n": pa.array(np.arange(62.0) ** 2 + 0.5)})
    document = nachsicht.profile(table).document
    assert document.over_time is None or document.over_time.time_column == "when"
    assert document.rows == 62


def test_large_numbers_are_not_drawn_as_dates():
    rng = np.random.default_rng(4)
    n = 400
    days = pd.Timestamp("2024-01-01") + pd.to_timedelta(rng.integers(0, 900, n), "D")
    budget = rng.normal(5e10, 1e9, n)
    frame = pd.DataFrame({"budget": budget, "spent": budget * 0.9 + rng.normal(0, 1e8, n)})
    frame["region"], frame["paid_on"] = rng.choice(["moor", "coast"], n), days
    frame["sent_on"] = days - pd.to_timedelta(rng.integers(1, 30, n), "D")
    made = nachsicht.profile(frame, time_column="paid_on")
    views = {(pair.x, pair.y): pair.view for pair in made.document.pairs}
    numbers, dates = views["budget", "spent"], views["paid_on", "sent_on"]
    assert not numbers.x.is_time and not numbers.y.is_time and dates.x.is_time and dates.y.is_time
    over_time = made.document.over_time.views
    assert not over_time["budget"].is_time and over_time["sent_on"].is_time
    drawn = made.relations.pair("budget", "spent").figure().axes[0]
    assert not isinstance(drawn.xaxis.get_major_formatter(), ConciseDateFormatter)
    drawn = made.time.figure("budget").axes[0]
    assert 4e10 < drawn.get_ylim()[0] < drawn.get_ylim()[1] < 6e10
