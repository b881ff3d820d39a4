"""Outliers by fences and by modified z-scores, and the box plot's numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import NumberCount, Outliers
from nachsicht.model.statistics import Absent, Reason
from nachsicht.stats.medcouple import adjusted_fences
from nachsicht.stats.quantiles import quantile
from nachsicht.stats.sorted_array import SortedFloats, SortedNumbers

#: Tukey, *Exploratory Data Analysis* (1977).
FENCE = 1.5
#: Iglewicz and Hoaglin, *How to Detect and Handle Outliers* (1993).
MODIFIED_Z = 3.5
NORMAL_MAD = 0.6745


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
