"""The summary of a quantity, put together from its measures."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.bins import histogram_of
from nachsicht.compute.moments import moments_of
from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.quantiles import (
    knots_of,
    median_deviation,
    quantile,
    quantiles_of,
    spread_between,
)
from nachsicht.model.column import NumberCount, QuantitySummary
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic
from nachsicht.settings import Settings


def summarise_quantity(numbers: SortedNumbers, settings: Settings) -> QuantitySummary:
    """Everything that is kept of a quantity. Empty and constant columns have absent statistics."""
    values = numbers.floats
    moments = moments_of(values)
    none = Absent(Reason.NO_VALUES)
    median = quantile(values, 0.5) if numbers.n else None
    return QuantitySummary(
        finite=numbers.n,
        minimum=_exact(numbers.values[0]) if numbers.n else none,
        maximum=_exact(numbers.values[-1]) if numbers.n else none,
        range=spread_between(values, 0.0, 1.0),
        sum=statistic(moments.total) if numbers.n else none,
        mean=statistic(moments.mean) if numbers.n else none,
        sd=moments.sd(),
        variance=moments.variance(),
        variation=moments.variation(),
        median=none if median is None else statistic(median),
        mad=none if median is None else statistic(median_deviation(values, median)),
        iqr=spread_between(values, 0.25, 0.75),
        skewness=moments.skewness(),
        kurtosis=moments.kurtosis(),
        zeros=_between(numbers.values, 0, 0),
        negatives=int(np.searchsorted(numbers.values, 0, "left")),
        infinite_below=numbers.infinite_below,
        infinite_above=numbers.infinite_above,
        whole=numbers.whole,
        discrete=is_discrete(numbers, settings),
        quantiles=quantiles_of(numbers),
        lowest=_ends(numbers, slice(None, settings.frequent_values)),
        highest=_ends(numbers, slice(-1, -settings.frequent_values - 1, -1)),
        knots=knots_of(numbers),
        histogram=histogram_of(numbers, settings.histogram_bins),
    )


def is_discrete(numbers: SortedNumbers, settings: Settings) -> bool:
    """Whether single values, not ranges of them, carry the meaning: few whole numbers."""
    return numbers.whole and 0 < len(numbers.distinct_values) <= settings.discrete_values


def _exact(value: Any) -> Statistic:
    whole: int | float = value.item()
    return whole


def _between(values: NDArray[Any], low: float, high: float) -> int:
    return int(np.searchsorted(values, high, "right") - np.searchsorted(values, low, "left"))


def _ends(numbers: SortedNumbers, part: slice) -> tuple[NumberCount, ...]:
    values = numbers.distinct_values[part].tolist()
    counts = numbers.distinct_counts[part].tolist()
    return tuple(NumberCount(value, count) for value, count in zip(values, counts, strict=True))
