"""The summary of a quantity, put together from its measures."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.config.settings import Settings
from nachsicht.model.column import Histogram, NumberCount, Order, QuantitySummary
from nachsicht.model.statistics import Absent, Reason, statistic
from nachsicht.stats.histogram import binned, decimals_of, log_histogram_of
from nachsicht.stats.kde import density_of
from nachsicht.stats.moments import moments_of, moments_of_few
from nachsicht.stats.normality import normal_fit
from nachsicht.stats.outliers import outliers_of
from nachsicht.stats.quantiles import (
    knots_of,
    median_deviation,
    quantile,
    quantiles_of,
    spread_between,
)
from nachsicht.stats.round_numbers import multiples_of
from nachsicht.stats.row_order import OrderPart
from nachsicht.stats.sorted_array import SortedNumbers


def summarise_quantity(
    numbers: SortedNumbers, settings: Settings, order: OrderPart | None = None
) -> QuantitySummary:
    """Everything that is kept of a quantity. Empty and constant columns have absent statistics."""
    values = numbers.floats
    moments = (
        moments_of_few(numbers.distinct_values.astype(np.float64), numbers.distinct_counts)
        if numbers.few
        else moments_of(numbers.all_floats)
    )
    none = Absent(Reason.NO_VALUES)
    median = quantile(values, 0.5) if numbers.n else 0.0
    mad = median_deviation(values, median) if numbers.n else 0.0
    decimals = decimals_of(numbers) if numbers.n else None
    histogram = binned(numbers.floats, decimals, settings.histogram_bins) if numbers.n else None
    summary = QuantitySummary(
        n_finite=numbers.n,
        minimum=numbers.values[0].item() if numbers.n else none,
        maximum=numbers.values[-1].item() if numbers.n else none,
        range=spread_between(values, 0.0, 1.0),
        sum=statistic(moments.total) if numbers.n else none,
        mean=statistic(moments.mean) if numbers.n else none,
        std=moments.sd(),
        variance=moments.variance(),
        cv=moments.variation(),
        median=statistic(median) if numbers.n else none,
        mad=statistic(mad) if numbers.n else none,
        iqr=spread_between(values, 0.25, 0.75),
        skewness=moments.skewness(),
        kurtosis=moments.kurtosis(),
        zeros=_between(numbers.values, 0, 0),
        negatives=int(np.searchsorted(numbers.values, 0, "left")),
        neg_inf=numbers.infinite_below,
        pos_inf=numbers.infinite_above,
        all_integers=numbers.whole,
        decimals=decimals,
        discrete=is_discrete(numbers, settings),
        order=order.finish() if order else Order.NONE,
        mode=mode_of(numbers),
        quantiles=quantiles_of(numbers),
        lowest=_counted(*numbers.lowest(settings.top_values)),
        highest=_counted(*numbers.highest(settings.top_values)),
        ecdf=knots_of(numbers),
        histogram=histogram,
        log_histogram=_log_histogram(numbers, histogram, settings.histogram_bins),
        density=None,
        round_number_counts=multiples_of(numbers, decimals),
        outliers=outliers_of(numbers, median, mad, settings.top_values),
        normal=normal_fit(numbers),
        autocorrelation=order.autocorrelation(moments) if order else None,
    )
    return msgspec.structs.replace(summary, density=density_of(histogram, summary))


def is_discrete(numbers: SortedNumbers, settings: Settings) -> bool:
    """Whether single values, not ranges of them, carry the meaning: few whole numbers."""
    return numbers.whole and 0 < numbers.distinct <= settings.max_discrete_values


def mode_of(numbers: SortedNumbers) -> NumberCount | None:
    """The most frequent value, the smallest of several; None where no value occurs twice."""
    counts = numbers.repeated_counts
    if not len(counts):
        return None
    place = int(np.argmax(counts))
    return NumberCount(numbers.repeated_values[place].item(), int(counts[place]))


def _log_histogram(
    numbers: SortedNumbers, histogram: Histogram | None, most: int
) -> Histogram | None:
    """Bins of the binary logarithm of the positive values, where a long tail was cut."""
    if histogram is None or not histogram.underflow + histogram.overflow:
        return None
    positive = numbers.floats[numbers.floats.searchsorted(0, "right") :]
    return log_histogram_of(positive, most) if len(positive) > 1 else None


def _between(values: NDArray[Any], low: float, high: float) -> int:
    return int(np.searchsorted(values, high, "right") - np.searchsorted(values, low, "left"))


def _counted(values: NDArray[Any], counts: NDArray[np.int64]) -> tuple[NumberCount, ...]:
    return tuple(map(NumberCount, values.tolist(), counts.tolist()))
