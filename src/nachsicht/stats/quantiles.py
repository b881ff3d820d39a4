"""Quantiles and the points of the cumulative distribution, read off sorted numbers."""

from __future__ import annotations

import numpy as np

from nachsicht.kernels.ranks import runs_of
from nachsicht.model.column import Ecdf, Quantile
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic
from nachsicht.stats.sorted_array import SortedFloats, SortedNumbers

SHARES = (0.001, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.975, 0.99, 0.999)

#: Continuous columns keep so many equally spaced ranks; between two of them lie at most
#: n / (RANKS - 1) rows, which bounds every distance computed from knots alone.
RANKS = 257
#: Up to so many different values, all of them are kept.
COMPLETE = 512


def quantile(values: SortedFloats, share: float) -> float:
    """Linear quantile of sorted values, type 7 of Hyndman and Fan (1996).

    Parameters
    ----------
    values : array, shape (n,), n >= 1
        Finite, in rising order.
    share : float
        0 to 1.
    """
    place = (len(values) - 1) * share
    low = int(place)
    part = place - low
    if part == 0.0:
        return float(values[low])
    a, b = float(values[low]), float(values[low + 1])
    # From the nearer end, so that rounding never leaves the interval; of differing signs
    # the difference might overflow.
    if (a < 0) != (b < 0):
        return a * (1 - part) + b * part
    return a + (b - a) * part if part < 0.5 else b - (b - a) * (1 - part)


def quantiles_of(numbers: SortedNumbers) -> tuple[Quantile, ...]:
    """The quantiles that every quantity keeps; none for an empty column."""
    if not numbers.n:
        return ()
    return tuple(Quantile(share, quantile(numbers.floats, share)) for share in SHARES)


def median_deviation(values: SortedFloats, median: float) -> float:
    """Median absolute deviation of sorted values from their median, not scaled to the normal.

    On either side of the median the distances are in order already; the middle one of both
    together is found by halving.
    """
    middle = int(values.searchsorted(median, "left"))
    n = len(values)
    with np.errstate(over="ignore"):  # of values at the end of float64 it is infinite
        high = _smallest_distance(values, middle, median, n // 2)
        if n % 2:
            return high
        low = _smallest_distance(values, middle, median, n // 2 - 1)
    return low + (high - low) / 2 if low < high else low


def _smallest_distance(values: SortedFloats, middle: int, median: float, rank: int) -> float:
    """The distance from the median that ``rank`` others of both sides do not exceed."""
    least, most = max(0, rank - (len(values) - middle)), min(rank, middle)
    while least < most:  # how many of the nearest ``rank`` lie below
        taken = (least + most) // 2
        if median - values[middle - 1 - taken] < values[middle + rank - taken - 1] - median:
            least = taken + 1
        else:
            most = taken
    candidates = []
    if least < middle:
        candidates.append(float(median - values[middle - 1 - least]))
    if middle + rank - least < len(values):
        candidates.append(float(values[middle + rank - least] - median))
    return min(candidates)


def spread_between(values: SortedFloats, low: float, high: float) -> Statistic:
    """Distance between two quantiles; absent without values."""
    if not len(values):
        return Absent(Reason.NO_VALUES)
    return statistic(quantile(values, high) - quantile(values, low))


def knots_of(numbers: SortedNumbers) -> Ecdf:
    """Points at which the cumulative distribution is kept exactly."""
    complete = numbers.distinct <= COMPLETE
    if complete:
        chosen = numbers.distinct_values
    else:
        ranks = np.linspace(0, numbers.n - 1, RANKS).round().astype(np.int64)
        chosen = runs_of(numbers.values[ranks])[0]
    return Ecdf(
        tuple(chosen.astype(np.float64).tolist()),
        tuple(np.searchsorted(numbers.values, chosen, "left").tolist()),
        tuple(np.searchsorted(numbers.values, chosen, "right").tolist()),
        complete,
    )


def scaled_knots(knots: Ecdf, factor: float, n: int) -> Ecdf:
    """Knots of a part of the rows, brought up to all ``n`` of them."""
    below = tuple(round(count * factor) for count in knots.lt)
    at_most = tuple(round(count * factor) for count in knots.le[:-1])
    return Ecdf(knots.values, below, (*at_most, n), False)
