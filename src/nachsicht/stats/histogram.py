"""Histograms on grids that nest.

Values that are written with few decimals lie on a lattice: every value is a whole multiple
of 10**-decimals. Bins then hold a power of two of lattice points each, so that no bin holds
more points than its neighbour (which would draw a comb that is not in the data). Other
values get bins whose width is a power of two. Either way whether a value lies in a bin is
decided without rounding, a coarser histogram is an exact sum of a finer one, and histograms
of different data on the same lattice can share an axis exactly.
"""

from __future__ import annotations

import math
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import Histogram
from nachsicht.stats.quantiles import quantile
from nachsicht.stats.sorted_array import SortedFloats, SortedNumbers

#: Where the whole range is wider than so many times the range of the middle 95 %, the
#: tails are cut half such a range beyond.
LONG_TAIL = 4.0
#: Values with more decimals than this are taken as continuous.
MOST_DECIMALS = 6
_TRIAL = 1000


def histogram_of(numbers: SortedNumbers, most: int) -> Histogram | None:
    """The finest histogram with at most ``most`` bins; None without values.

    Long tails are cut (see ``LONG_TAIL``) and counted in ``before`` and ``after``.
    """
    return binned(numbers.floats, decimals_of(numbers), most) if numbers.n else None


def binned(values: SortedFloats, decimals: int | None, most: int) -> Histogram:
    """As `histogram_of`, of values of which it is known with how many decimals they are written."""
    low, high = window_of(values)
    exponent = _exponent(low, high, most, decimals)
    first, last = (_place(end, exponent, decimals) for end in (low, high))
    reached = values.searchsorted(edges_of(first, last, exponent, decimals), "left")
    return Histogram(
        decimals,
        exponent,
        first,
        tuple(np.diff(reached).tolist()),
        int(reached[0]),
        int(len(values) - reached[-1]),
    )


def edges_of(first: int, last: int, exponent: int, decimals: int | None) -> NDArray[np.float64]:
    """The lower edges of the bins first..last, and the upper edge of the last."""
    with np.errstate(over="ignore"):  # the last edge may lie beyond float64: infinity will do
        edges = np.ldexp(np.arange(first, last + 2, dtype=np.float64), exponent)
    return edges / 10.0 ** (decimals or 0)


def decimals_of(numbers: SortedNumbers) -> int | None:
    """With how many decimals (0 to 6) every value can be written; None if with more."""
    if numbers.whole:
        return 0
    few = numbers.values[:_TRIAL]
    for decimals in range(1, MOST_DECIMALS + 1):
        if _written_with(few, decimals) and _written_with(numbers.weighted[0], decimals):
            return decimals
    return None


def window_of(values: SortedFloats) -> tuple[float, float]:
    """The range that a histogram shows: all of it, or without long tails."""
    low, high = float(values[0]), float(values[-1])
    inner_low, inner_high = quantile(values, 0.025), quantile(values, 0.975)
    inner = inner_high - inner_low
    if inner <= 0 or not math.isfinite(inner) or high / 2 - low / 2 <= LONG_TAIL * inner / 2:
        return low, high
    return max(low, inner_low - inner / 2), min(high, inner_high + inner / 2)


def coarsen(histogram: Histogram, exponent: int) -> Histogram:
    """The same counts in wider bins of the same lattice, exactly."""
    by = exponent - histogram.exponent
    if by == 0:
        return histogram
    if by < 0:
        raise ValueError("a histogram cannot be made finer")
    places = (histogram.first + np.arange(len(histogram.counts))) >> by
    counts = np.bincount(places - places[0], weights=histogram.counts).astype(np.int64)
    return Histogram(
        histogram.decimals,
        exponent,
        int(places[0]),
        tuple(counts.tolist()),
        histogram.underflow,
        histogram.overflow,
    )


def without_lattice(histogram: Histogram) -> Histogram:
    """The same counts on the binary grid, for an axis shared with other decimals.

    Rows of a bin are taken as spread evenly over it; counts are rounded, their sum kept.
    """
    if not histogram.decimals:
        return histogram
    old = edges_of(
        histogram.first,
        histogram.first + len(histogram.counts) - 1,
        histogram.exponent,
        histogram.decimals,
    )
    exponent = math.frexp(float(old[1] - old[0]))[1]
    first, last = (_place(float(end), exponent, None) for end in (old[0], old[-1]))
    reached = np.interp(
        edges_of(first, last, exponent, None), old, np.cumsum((0, *histogram.counts))
    )
    counts = np.diff(reached.round().astype(np.int64))
    return Histogram(
        None, exponent, first, tuple(counts.tolist()), histogram.underflow, histogram.overflow
    )


def _written_with(values: NDArray[np.float64], decimals: int) -> bool:
    power = 10.0**decimals
    with np.errstate(over="ignore", invalid="ignore"):
        steps = np.rint(values * power)
        return bool((np.abs(steps) < 2**53).all() and (steps / power == values).all())


def _place(value: float, exponent: int, decimals: int | None) -> int:
    """In which bin a value lies."""
    if decimals:
        value = round(value * 10**decimals, 6)
    return math.floor(math.ldexp(value, -exponent))


def _exponent(low: float, high: float, most: int, decimals: int | None) -> int:
    """The smallest power of two that covers low..high with at most ``most`` bins."""
    power = 10.0 ** (decimals or 0)
    low, high = low * power, high * power
    largest = max(abs(low), abs(high))
    # Below this an edge could no longer be distinguished from its neighbour in float64.
    exponent = math.frexp(largest)[1] - 52 if largest else 0
    # Halves, since the range of extreme values overflows.
    span = high / 2 - low / 2
    if span > 0:
        exponent = max(exponent, math.frexp(span / most)[1])
    exponent = max(exponent, -1000 if decimals is None else 0)
    while math.floor(math.ldexp(high, -exponent)) - math.floor(math.ldexp(low, -exponent)) >= most:
        exponent += 1
    return exponent


#: So many logarithms tell that they cannot be written with few decimals, as most cannot.
_TRIAL = 1000
#: Every so many a logarithm is taken, and all up to the next one where a limit lies between.
_STEP = 64


def log_histogram_of(values: NDArray[np.float64], most: int) -> Histogram | None:
    """The histogram of the binary logarithms of positive values in rising order."""
    if decimals_of(SortedNumbers(np.log2(values[:_TRIAL]))) is None:
        return binned(_Logarithms(values), None, most)
    return histogram_of(SortedNumbers(np.log2(values)), most)


class _Logarithms(msgspec.Struct, frozen=True):
    """Binary logarithms of positive values in rising order, taken where they are read."""

    values: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.values)

    def __getitem__(self, places: Any) -> Any:
        return np.log2(self.values[places])

    def searchsorted(self, limits: Any, side: Any = "left") -> Any:
        """As of an array of all of them."""
        limits = np.asarray(limits)[..., None]
        before = np.maximum(self[::_STEP].searchsorted(limits, side) - 1, 0) * _STEP
        places = before + np.arange(_STEP)
        near = self[np.minimum(places, len(self) - 1)]
        reached = near <= limits if side == "right" else near < limits
        return before[..., 0] + (reached & (places < len(self))).sum(axis=-1)
