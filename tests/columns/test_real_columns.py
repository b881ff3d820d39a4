"""Every statistic against SciPy, pandas and NumPy, over real columns that packages ship."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.stats
from sklearn import datasets

import nachsicht
from nachsicht.i18n import percent

LOADERS = (
    datasets.load_breast_cancer,
    datasets.load_diabetes,
    datasets.load_wine,
    datasets.load_iris,
)
FRAMES = {loader.__name__: loader(as_frame=True).frame for loader in LOADERS}


@pytest.fixture(scope="module", params=FRAMES)
def pair(request):
    frame = FRAMES[request.param]
    return frame, nachsicht.profile(frame).document


def quantities(pair):
    frame, document = pair
    for column in document.columns:
        if column.kind is nachsicht.Kind.QUANTITY:
            yield frame[column.name], column.stats


def close(value):
    return pytest.approx(value, rel=1e-10, abs=1e-12)


def test_location_spread_and_shape(pair):
    for series, found in quantities(pair):
        values = series.to_numpy(float)
        expected = {
            "mean": values.mean(), "std": series.std(), "variance": series.var(),
            "median": series.median(), "sum": series.sum(), "minimum": values.min(),
            "maximum": values.max(), "range": np.ptp(values),
            "iqr": scipy.stats.iqr(values), "mad": scipy.stats.median_abs_deviation(values),
            "skewness": series.skew(), "kurtosis": series.kurt(),
            "cv": series.std() / abs(values.mean()),
        }  # fmt: skip
        if abs(values.mean()) < 1e-14 * series.std():  # zero but for rounding
            assert expected.pop("cv") > 1e14
        for name, value in expected.items():
            assert getattr(found, name) == close(value), (series.name, name)
        for point in found.quantiles:
            assert point.value == close(np.quantile(values, point.share))
        assert found.zeros == (values == 0).sum()
        assert found.negatives == (values < 0).sum()
        assert found.all_integers == (values % 1 == 0).all()


def test_counts_modes_and_ends(pair):
    for series, found in quantities(pair):
        counts = series.value_counts().sort_index()
        ends = [(level.value, level.count) for level in found.lowest]
        assert ends == list(counts.head(10).items())
        ends = [(level.value, level.count) for level in found.highest]
        assert ends == list(counts[::-1].head(10).items())
        if counts.max() > 1:
            assert (found.mode.value, found.mode.count) == (counts.idxmax(), counts.max())
        else:
            assert found.mode is None
        assert (found.order == "increasing") == (
            series.is_monotonic_increasing and not series.is_unique and series.nunique() > 1
        )


def test_outliers_and_box_plots(pair):
    for series, found in quantities(pair):
        low, high = series.quantile([0.25, 0.75])
        reach = 1.5 * (high - low)
        below, above = series[series < low - reach], series[series > high + reach]
        assert (found.outliers.below, found.outliers.above) == (len(below), len(above))
        inside = series[series.between(low - reach, high + reach)]
        assert found.outliers.low_whisker == inside.min()
        assert found.outliers.high_whisker == inside.max()
        listed = [entry.value for entry in found.outliers.values_above]
        assert listed == sorted(above.unique(), reverse=True)[:10]
        mad = scipy.stats.median_abs_deviation(series)
        if mad:
            z = 0.6745 * (series - series.median()).abs() / mad
            assert found.outliers.by_modified_z == (z > 3.5).sum()


def test_fit_to_the_normal(pair):
    for series, found in quantities(pair):
        for name, transform in (("ppcc", np.asarray), ("ppcc_log", np.log)):
            if name == "ppcc_log" and series.min() <= 0:
                assert not isinstance(found.normal.ppcc_log, float)
                continue
            _, (_, _, r) = scipy.stats.probplot(transform(series))
            assert getattr(found.normal, name) == close(r)


def test_density_is_that_of_a_kernel_estimate_but_for_the_bins(pair):
    for series, found in quantities(pair):
        density = found.density
        if density is None:
            assert found.discrete or not series.std()
            continue
        values = series.to_numpy(float)
        sd = min(series.std(), scipy.stats.iqr(values) / 1.34)
        assert density.bandwidth >= 0.9 * sd * len(values) ** -0.2 * (1 - 1e-12)
        exact = scipy.stats.gaussian_kde(values, density.bandwidth / series.std())
        places = density.start + density.step * np.arange(len(density.heights))
        width = 2.0**found.histogram.exponent / 10 ** (found.histogram.decimals or 0)
        steepest = np.abs(np.diff(exact(places))).max() / density.step
        tail = (found.histogram.underflow + found.histogram.overflow) / len(values)
        allowed = steepest * width + tail / density.bandwidth + 1e-9
        assert np.abs(exact(places) - density.heights).max() <= allowed


def test_histograms_count_as_numpy_does(pair):
    from nachsicht.stats.histogram import edges_of

    for series, found in quantities(pair):
        h = found.histogram
        edges = edges_of(h.first, h.first + len(h.counts) - 1, h.exponent, h.decimals)
        inside = series[(series >= edges[0]) & (series < edges[-1])]
        assert h.counts == tuple(np.histogram(inside, edges)[0])
        assert h.underflow + h.overflow + sum(h.counts) == len(series)


def test_levels_and_evenness(pair):
    frame, document = pair
    for column in document.columns:
        counts = frame[column.name].value_counts()
        assert column.distinct == len(counts)
        assert column.unique_once == (counts == 1).sum()
        assert column.collision_probability == close(((counts / len(frame)) ** 2).sum())
    texts = frame[frame.columns[-1]].map("class {}".format)
    detail = nachsicht.profile(pa.table({"t": texts})).document.columns[0].stats
    shares = texts.value_counts(normalize=True)
    if isinstance(detail.evenness, float):
        assert detail.evenness == close(scipy.stats.entropy(shares) / np.log(len(shares)))


def test_repeated_rows(pair):
    frame, document = pair
    assert document.duplicates.duplicate_rows == frame.duplicated().sum()


def test_moments_by_calendar():
    days = pd.date_range("2023-11-05 07:30", periods=900, freq="17h")
    days = days.delete(slice(200, 260))
    detail = nachsicht.profile(pd.DataFrame({"at": days})).document.columns[0].stats
    assert detail.by_month == tuple(np.bincount(days.month - 1, minlength=12))
    assert detail.by_weekday == tuple(np.bincount(days.day_of_week, minlength=7))
    assert detail.by_hour == tuple(np.bincount(days.hour, minlength=24))
    by_day = pd.Series(1, days).resample("D").sum()
    assert detail.empty_periods == (by_day == 0).sum()
    longest = detail.gaps[0]
    assert by_day[longest.first : longest.last].sum() == 0
    assert longest.periods == len(by_day[longest.first : longest.last])


@pytest.mark.parametrize(
    ("name", "values", "kind"),
    [
        ("row", range(1, 31), "identifier"),
        ("Unnamed: 0", range(12), "identifier"),
        ("seat", [3, 1, 2, *range(4, 31)], "quantity"),  # all different, but in no order
        ("TIME", range(1, 26), "quantity"),
        ("year", range(1950, 2011), "quantity"),
        ("subject", [n // 10 for n in range(200)], "category"),
        ("occupation", [float(n % 6) for n in range(200)], "category"),
        ("regional_income", [n % 6 for n in range(200)], "quantity"),
    ],
)
def test_numbers_that_count_name_or_group_rows(name, values, kind):
    column = nachsicht.profile(pa.table({name: list(values)})).document.columns[0]
    assert column.kind == kind


def test_all_but_some_are_not_all():
    assert percent(0.9999) == "99.9 %"
    assert percent(0.9961) == "99.6 %"
    assert percent(1.0) == "100 %"


def test_gaps_where_another_column_is_missing_are_told_so():
    rng = np.random.default_rng(5)
    there = rng.random(2_000) < 0.6
    frame = pd.DataFrame({"kg": np.where(there, 3.5, np.nan), "n": range(2_000)})
    frame["zone"] = np.where(there, np.where(rng.random(2_000) < 0.5, "a", "b"), None)
    (told,) = [
        f
        for f in nachsicht.profile(frame).findings
        if f.code == "missing_values" and "kg" in f.columns
    ]
    assert "“”" not in told.sentence
