"""Outliers by fences, also by those that mind skewness, and by modified z-scores; box plots."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import AdjustedFences, NumberCount, Outliers
from nachsicht.model.statistics import Absent, Reason
from nachsicht.stats.quantiles import quantile
from nachsicht.stats.sorted_array import SortedFloats, SortedNumbers

#: Tukey, *Exploratory Data Analysis* (1977).
FENCE = 1.5
#: Iglewicz and Hoaglin, *How to Detect and Handle Outliers* (1993).
MODIFIED_Z = 3.5
NORMAL_MAD = 0.6745
#: It is computed of so many values, evenly spaced by rank: all of them where there are no more.
_MOST_VALUES = 101
#: Hubert and Vandervieren, *An adjusted boxplot for skewed distributions* (2008).
_FENCE, _TOWARDS_TAIL, _AWAY_FROM_TAIL = 1.5, 3.0, -4.0
#: So many of the outermost values of either side are searched for a gap.
_OUTERMOST = 1000


def outliers_of(numbers: SortedNumbers, median: float, mad: float, most: int) -> Outliers | None:
    """Count and list outliers; None without values.

    Parameters
    ----------
    numbers : SortedNumbers
        The values.
    median, mad : float
        Median, and median absolute deviation from it.
    most : int
        So many different values of either side are listed, the outermost first.
    """
    values = numbers.floats
    if not numbers.n:
        return None
    low, high = quantile(values, 0.25), quantile(values, 0.75)
    with np.errstate(over="ignore"):
        reach = np.float64(FENCE) * (np.float64(high) - low)
        low_fence, high_fence = float(low - reach), float(high + reach)
    below = int(values.searchsorted(low_fence, "left"))
    within = int(values.searchsorted(high_fence, "right"))
    lowest, highest = numbers.lowest(most), numbers.highest(most)
    return Outliers(
        low_fence=low_fence if np.isfinite(low_fence) else float(values[0]),
        high_fence=high_fence if np.isfinite(high_fence) else float(values[-1]),
        low_whisker=float(values[below]),
        high_whisker=float(values[within - 1]),
        below=below,
        above=numbers.n - within,
        by_modified_z=_by_modified_z(values, median, mad),
        values_below=_listed(*lowest, lowest[0] < low_fence),
        values_above=_listed(*highest, highest[0] > high_fence),
        adjusted=adjusted_fences(values, (low, high), median) if high > low else None,
    )


def _by_modified_z(values: SortedFloats, median: float, mad: float) -> int | Absent:
    if mad == 0:
        return Absent(Reason.NEVER_VARIES)
    with np.errstate(over="ignore"):
        reach = np.float64(MODIFIED_Z) * mad / NORMAL_MAD
        low, high = median - reach, median + reach
    outside = values.searchsorted(low, "left") + len(values)
    return int(outside - values.searchsorted(high, "right"))


def _listed(
    values: NDArray[Any], counts: NDArray[np.int64], outside: NDArray[np.bool_]
) -> tuple[NumberCount, ...]:
    listed = zip(values[outside].tolist(), counts[outside].tolist(), strict=True)
    return tuple(NumberCount(*pair) for pair in listed)


def medcouple(values: SortedFloats) -> float:
    """The medcouple of sorted values: -1 to 1, 0 where they are symmetric.

    The median of ``((x - m) - (m - y)) / (x - y)`` over all pairs of ``x >= m >= y``, with ``m``
    the median (Brys, Hubert and Struyf 2004); of many values, that of evenly spaced ones.

    Parameters
    ----------
    values : SortedFloats
        Finite, in rising order, at least one.
    """
    n = len(values)
    places = np.linspace(0, n - 1, min(n, _MOST_VALUES)).round().astype(np.int64)
    few = np.asarray(values[places], np.float64)
    scale = float(np.abs(few).max())
    few = few / scale if scale else few  # so that no difference overflows
    centred = few - np.median(few)
    above, below = centred[centred >= 0], centred[centred <= 0]
    apart = above[:, None] - below[None, :]
    with np.errstate(invalid="ignore"):
        kernel = (above[:, None] + below[None, :]) / apart
    ties = int((centred == 0).sum())
    if ties:
        kernel[:ties, len(below) - ties :] = _signs(ties)
    return float(np.median(kernel))


def _signs(ties: int) -> NDArray[np.float64]:
    """What stands for pairs of which both are the median: as many above as below zero."""
    ranks = np.arange(ties)
    signs: NDArray[np.float64] = np.sign(ranks[:, None] - ranks[None, :]).astype(np.float64)
    return signs


def adjusted_fences(
    values: SortedFloats, quartiles: tuple[float, float], median: float
) -> AdjustedFences:
    """Fences of the adjusted box plot, and what lies beyond them.

    Parameters
    ----------
    values : SortedFloats
        Finite, in rising order, at least one.
    quartiles : (float, float)
        The lower and the upper one.
    median : float
        Their median.
    """
    skew = medcouple(values)
    low, high = quartiles
    towards = (_AWAY_FROM_TAIL, _TOWARDS_TAIL) if skew >= 0 else (-_TOWARDS_TAIL, -_AWAY_FROM_TAIL)
    with np.errstate(over="ignore"):
        reach = np.float64(_FENCE) * (np.float64(high) - low)
        # Towards the shorter tail they would be so narrow that many usual values are outside.
        low_fence = float(low - reach * max(math.exp(towards[0] * skew), 1.0))
        high_fence = float(high + reach * max(math.exp(towards[1] * skew), 1.0))
    below = int(values.searchsorted(low_fence, "left"))
    within = int(values.searchsorted(high_fence, "right"))
    n = len(values)
    lowest = np.asarray(values[np.arange(min(below + 1, n, _OUTERMOST))], np.float64)[::-1]
    first = max(within - 1, n - _OUTERMOST, 0)
    highest = np.asarray(values[np.arange(first, n)], np.float64)
    return AdjustedFences(
        medcouple=skew,
        low_fence=low_fence if math.isfinite(low_fence) else float(values[0]),
        high_fence=high_fence if math.isfinite(high_fence) else float(values[n - 1]),
        below=below,
        above=n - within,
        isolated_below=_isolated(lowest, median - low_fence) if below else 0,
        isolated_above=_isolated(highest, high_fence - median) if n > within else 0,
    )


def _isolated(outwards: NDArray[np.float64], wide: float) -> int:
    """How many values lie beyond a gap at least so wide."""
    if wide <= 0 or not math.isfinite(wide):
        return 0
    gaps = np.flatnonzero(np.abs(np.diff(outwards)) >= wide)
    return len(outwards) - 1 - int(gaps[0]) if len(gaps) else 0
