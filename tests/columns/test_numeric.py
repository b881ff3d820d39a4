"""Statistics of quantities against pandas, NumPy and SciPy, and the laws of their parts."""

import math

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.special
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.tsa.stattools import acf

from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.config.settings import Settings
from nachsicht.kernels import normal
from nachsicht.model.statistics import Absent, Reason
from nachsicht.stats.histogram import (
    coarsen,
    edges_of,
    histogram_of,
    log_histogram_of,
    without_lattice,
)
from nachsicht.stats.moments import moments_of
from nachsicht.stats.sorted_array import SortedNumbers

RNG = np.random.default_rng(7)
COLUMNS = {
    "normal": RNG.normal(50, 12, 4001),
    "long tail": RNG.lognormal(1, 1.4, 3000),
    "far from zero": 1e9 + RNG.normal(0, 1, 2500),
    "counts": RNG.poisson(3, 5000),
    "two values": np.array([0.1, 7.3]),
    "tiny": RNG.normal(0, 1e-300, 500),
    "huge": RNG.normal(0, 1e306, 500),
    "tenths": np.round(RNG.normal(17, 5, 3000), 1),
    # Whose different values are so few that these are summed up.
    "many counts": RNG.poisson(4, 20_000),
    "many tenths": 1e5 + np.round(RNG.normal(0, 0.4, 20_000), 1),
    "many zeros": np.concatenate((np.zeros(20_000), [1.0, 4.0, 9e5])),
    "many and huge": RNG.choice([-1e306, 1e305, 1.5e306], 20_000),
}


def summary_of(values, name="value"):
    return finish_column(observe_column(pa.array(values)), name, 0, Settings())


@pytest.mark.parametrize("name", COLUMNS)
def test_statistics_agree_with_pandas_and_scipy(name):
    values = COLUMNS[name].astype(float)
    series = pd.Series(values)
    # The oracles lose digits far from zero, and overflow: they are given values that were
    # shifted and divided by a power of two, both without rounding.
    scale = 2.0 ** np.frexp(np.abs(values).max())[1]
    near = (values - {"far from zero": 1e9, "many tenths": 1e5}.get(name, 0)) / scale
    found = summary_of(COLUMNS[name]).stats
    expected = {
        "minimum": series.min(),
        "maximum": series.max(),
        "mean": math.fsum(values / len(values)),
        "median": series.median(),
        "std": np.std(near, ddof=1) * scale,
        "variance": float(np.var(near, ddof=1)) * float(scale) * float(scale),
        "mad": scipy.stats.median_abs_deviation(values),
        "iqr": scipy.stats.iqr(values),
    }
    if name != "two values":
        expected["skewness"] = scipy.stats.skew(near, bias=False)
        expected["kurtosis"] = scipy.stats.kurtosis(near, bias=False)
    for statistic, value in expected.items():
        got = getattr(found, statistic)
        if not math.isfinite(value):
            assert got == Absent(Reason.OVERFLOW), statistic
        else:
            # A difference of large numbers cannot be surer than their last digits.
            last_digits = 4 * np.spacing(np.abs(values).max()) if statistic == "iqr" else 0
            assert got == pytest.approx(value, rel=1e-10, abs=last_digits), statistic
    for point in found.quantiles:
        assert point.value == pytest.approx(np.quantile(values, point.share), rel=1e-10)


@pytest.mark.parametrize("name", ["counts", "many counts", "many tenths", "many zeros"])
def test_probability_plots_are_those_of_scipy_however_few_values_differ(name):
    values, fit = COLUMNS[name], summary_of(COLUMNS[name]).stats.normal
    transforms = {"ppcc": np.asarray, "ppcc_square_root": np.sqrt}
    if values.min() > 0:
        transforms["ppcc_log"] = np.log
    for measure, transform in transforms.items():
        _, (_, _, r) = scipy.stats.probplot(transform(values))
        assert getattr(fit, measure) == pytest.approx(r, rel=1e-9), measure


@pytest.mark.parametrize("name", COLUMNS)
def test_autocorrelation_is_that_of_statsmodels(name):
    scale = 2.0 ** np.frexp(np.abs(COLUMNS[name]).max())[1]
    all_rows = COLUMNS[name].astype(float)
    for values in (all_rows, np.sort(all_rows), np.cumsum(all_rows / 32_768)):
        found = summary_of(np.insert(values, 1, np.nan)).stats
        if len(values) < 3:
            assert found.autocorrelation == Absent(Reason.TOO_FEW_VALUES)
        elif name in ("tiny", "huge", "many and huge"):  # whose squares no float holds
            assert found.autocorrelation == Absent(Reason.OVERFLOW)
        else:
            near = values / scale - np.mean(values / scale)
            assert found.autocorrelation == pytest.approx(acf(near, nlags=1)[1], abs=1e-9)


def test_shape_of_huge_and_tiny_values_is_that_of_the_scaled_ones():
    values = RNG.gamma(2, size=1000)
    plain, huge, tiny = (moments_of(values * scale) for scale in (1, 2.0**1000, 2.0**-1000))
    for other in (huge, tiny):
        assert other.skewness() == pytest.approx(plain.skewness(), rel=1e-10)
        assert other.kurtosis() == pytest.approx(plain.kurtosis(), rel=1e-10)
    expected = scipy.stats.kurtosis(values, bias=False)
    assert plain.kurtosis() == pytest.approx(expected, rel=1e-10)


@pytest.mark.parametrize(
    ("values", "absent"),
    [
        ([], {"mean": Reason.NO_VALUES, "std": Reason.TOO_FEW_VALUES}),
        ([4.0], {"std": Reason.TOO_FEW_VALUES, "skewness": Reason.TOO_FEW_VALUES}),
        ([4.0] * 9, {"skewness": Reason.NEVER_VARIES, "kurtosis": Reason.NEVER_VARIES}),
        ([-1.0, 1.0, 0.0], {"cv": Reason.ZERO_MEAN, "kurtosis": Reason.TOO_FEW_VALUES}),
    ],
)
def test_what_has_no_value_says_why(values, absent):
    # One number beside the empty column keeps it a quantity.
    found = summary_of(values).stats if values else None
    if found is None:
        assert moments_of(np.empty(0)).sd() == Absent(absent["std"])
        return
    for statistic, reason in absent.items():
        assert getattr(found, statistic) == Absent(reason)


def test_missing_and_infinite_values_are_counted_and_left_out():
    values = [1.5, None, float("nan"), float("inf"), float("-inf"), float("inf"), 2.5]
    column = summary_of(values)
    assert (column.rows, column.missing, column.distinct) == (7, 2, 4)
    detail = column.stats
    assert (detail.pos_inf, detail.neg_inf, detail.n_finite) == (2, 1, 2)
    assert detail.mean == 2.0


def test_large_integers_keep_every_digit():
    top = 2**63 + 11
    detail = summary_of(pa.array([top, top - 2, 5], pa.uint64())).stats
    assert detail.maximum == top
    assert [entry.value for entry in detail.highest] == [top, top - 2, 5]


finite = st.floats(allow_nan=False, allow_infinity=False)
decimal = st.integers(-(10**6), 10**6).map(lambda n: n / 100)


@given(st.lists(finite | decimal, min_size=1, max_size=60), st.data())
def test_any_split_into_batches_gives_the_same_summary(values, data):
    cuts = sorted(data.draw(st.lists(st.integers(0, len(values)), max_size=4)))
    pieces = [values[a:b] for a, b in zip([0, *cuts], [*cuts, len(values)], strict=True)]
    part = observe_column(pa.array(pieces[0], pa.float64()))
    for piece in pieces[1:]:
        part = part.merge(observe_column(pa.array(piece, pa.float64())))
    whole = observe_column(pa.array(values, pa.float64()))
    settings = Settings()
    once, split = (finish_column(p, "v", 0, settings) for p in (whole, part))
    assert split.stats == once.stats
    assert split.top_values == once.top_values
    assert (split.first_value, split.last_value) == (once.first_value, once.last_value)


@given(
    st.lists(st.integers(-9, 9), max_size=60),
    st.lists(st.integers(-400, 400), max_size=200),
    st.lists(st.sampled_from([np.inf, -np.inf]), max_size=3),
)
def test_frequent_and_rare_numbers_are_those_that_pandas_counts(often, seldom, infinite):
    values = [each / 4 for each in often * 2 + seldom] + infinite
    column = finish_column(observe_column(pa.array(values, pa.float64())), "v", 0, Settings())
    counted = pd.Series(values, dtype=float).value_counts()
    assert (column.distinct, column.unique_once) == (len(counted), (counted == 1).sum())
    agreeing = float((counted**2).sum()) / max(len(values), 1) ** 2
    assert column.collision_probability == pytest.approx(agreeing, rel=1e-12)
    finite_ones = [(v, int(n)) for v, n in counted.items() if np.isfinite(v)]
    for found, turned in ((column.top_values, -1), (column.rare_values, 1)):
        expected = sorted(finite_ones, key=lambda pair: (turned * pair[1], pair[0]))[:10]
        assert [(float(level.value), level.count) for level in found] == expected


@given(
    st.lists(finite, min_size=1, max_size=80)
    | st.lists(decimal, min_size=1, max_size=80)
    | st.lists(st.integers(-(10**9), 10**9).map(float), min_size=1, max_size=80),
    st.integers(1, 6),
)
def test_a_histogram_counts_every_value_once_and_coarsens_exactly(values, by):
    numbers = SortedNumbers(np.sort(np.array(values)))
    fine = histogram_of(numbers, 256)
    assert 1 <= len(fine.counts) <= 256
    assert fine.underflow + sum(fine.counts) + fine.overflow == len(values)
    last = fine.first + len(fine.counts) - 1
    edges = edges_of(fine.first, last, fine.exponent, fine.decimals)
    inside = [v for v in values if edges[0] <= v < edges[-1]]
    if np.isfinite(edges).all():
        assert fine.counts == tuple(np.histogram(inside, edges)[0]) or edges[-1] in values
    coarse = coarsen(fine, fine.exponent + by)
    assert sum(coarse.counts) == sum(fine.counts)
    places = coarse.first + np.arange(len(coarse.counts))
    for place, count in zip(places, coarse.counts, strict=True):
        begin, end = (place << by) - fine.first, ((place + 1) << by) - fine.first
        assert count == sum(fine.counts[max(begin, 0) : max(end, 0)])


@pytest.mark.parametrize("rows", [2, 63, 64, 65, 1_000, 40_001])
@pytest.mark.parametrize("width", [1e-9, 0.01, 1.0, 9.0])
def test_bins_of_logarithms_are_those_of_all_of_them(rows, width):
    values = np.sort(np.random.default_rng(rows).lognormal(3, width, rows))
    values[len(values) // 2 :: 7] = values[len(values) // 2]  # some are equal
    values.sort()
    found, logs = log_histogram_of(values, 256), np.log2(values)
    edges = edges_of(
        found.first, found.first + len(found.counts) - 1, found.exponent, found.decimals
    )
    expected = np.diff(np.searchsorted(logs, edges))
    assert found.counts == tuple(expected.tolist())
    assert (found.underflow, found.overflow) == ((logs < edges[0]).sum(), (logs >= edges[-1]).sum())


def test_logarithms_that_are_whole_are_told_as_such():
    found = log_histogram_of(np.repeat(2.0 ** np.arange(5), [9, 7, 5, 3, 1]), 256)
    assert (found.decimals, found.first, found.counts) == (0, 0, (9, 7, 5, 3, 1))


def test_bins_of_decimal_values_hold_equally_many_different_values():
    tenths = np.arange(-400, 1200) / 10
    counts = histogram_of(SortedNumbers(tenths), 256).counts
    assert len(set(counts[1:-1])) == 1


def test_values_with_other_decimals_share_an_axis_without_losing_rows():
    values = np.sort(np.round(RNG.normal(17, 5, 3000), 1))
    lattice = histogram_of(SortedNumbers(values), 256)
    plain = without_lattice(lattice)
    assert plain.decimals is None
    assert sum(plain.counts) + plain.underflow + plain.overflow == len(values)
    edges = edges_of(plain.first, plain.first + len(plain.counts) - 1, plain.exponent, None)
    exact = np.histogram(values, edges)[0]
    # Between the two grids at most the rows of one old bin can go either side of an edge.
    assert np.abs(np.cumsum(exact) - np.cumsum(plain.counts)).max() <= max(lattice.counts)


@pytest.mark.parametrize(
    "values",
    [
        [1.7976931348623155e308, -1.7976931348623155e308],
        [1.7976931348623155e308, 0.0, -1.7976931348623155e308, 5.0],
        [8.988465674311579e307, -8.988465674311579e307, -8.988465674311579e307],
    ],
)
def test_the_ends_of_float64_are_summarised_or_said_to_overflow(values):
    detail = summary_of(pa.array(values, pa.float64())).stats
    assert (detail.minimum, detail.maximum) == (min(values), max(values))
    for entry in (detail.range, detail.mad, detail.std, detail.mean, detail.iqr):
        assert isinstance(entry, Absent) or np.isfinite(entry)


def test_normal_scores_are_quantiles_of_scipy():
    shares = np.concatenate((np.linspace(1e-6, 1 - 1e-6, 9_999), 10.0 ** -np.arange(1, 300)))
    found = np.empty_like(shares)
    normal.quantiles(shares, found)
    assert found == pytest.approx(scipy.special.ndtri(shares), rel=1e-13, abs=1e-15)
