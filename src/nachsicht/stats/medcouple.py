"""The medcouple, a robust measure of skewness, and fences for outliers that mind it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import AdjustedFences
from nachsicht.stats.sorted_array import SortedFloats

#: It is computed of so many values, evenly spaced by rank: all of them where there are no more.
_MOST_VALUES = 101
#: Hubert and Vandervieren, *An adjusted boxplot for skewed distributions* (2008).
_FENCE, _TOWARDS_TAIL, _AWAY_FROM_TAIL = 1.5, 3.0, -4.0
#: So many of the outermost values of either side are searched for a gap.
_OUTERMOST = 1000


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
