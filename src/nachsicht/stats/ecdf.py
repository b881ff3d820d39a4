"""The cumulative distribution of a quantity, from its profile or from the data itself."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.model.column import Ecdf
from nachsicht.stats.sorted_array import SortedNumbers

_Floats = NDArray[np.float64]
_Counts = NDArray[np.float64]


class Curve(msgspec.Struct, frozen=True, dict=True):
    """Rows below, and at most at, each of some values in rising order.

    Where ``complete``, no row lies between two values; otherwise the share of rows is taken
    as rising evenly in between.
    """

    values: _Floats
    below: _Counts
    at_most: _Counts
    complete: bool

    @staticmethod
    def of_knots(knots: Ecdf) -> Curve:
        """What a profile keeps."""
        return Curve(
            np.asarray(knots.values, np.float64),
            np.asarray(knots.lt, np.float64),
            np.asarray(knots.le, np.float64),
            knots.exact,
        )

    @staticmethod
    def of_values(values: NDArray[Any]) -> Curve:
        """All finite values, in rising order: exact."""
        numbers = SortedNumbers(values)
        counts = numbers.distinct_counts.astype(np.float64)
        at_most = np.cumsum(counts)
        return Curve(numbers.distinct_values.astype(np.float64), at_most - counts, at_most, True)

    @property
    def rows(self) -> int:
        """How many finite values there are."""
        return int(self.at_most[-1]) if len(self.at_most) else 0

    @kept
    def uncertainty(self) -> float:
        """The largest share of rows that lies between two neighbouring values; 0 if complete."""
        if self.complete or len(self.values) < 2:
            return 0.0
        return float((self.below[1:] - self.at_most[:-1]).max() / self.rows)

    @kept
    def area_off(self) -> float:
        """How far off an area under the curve may be, for the same reason."""
        if self.complete or len(self.values) < 2:
            return 0.0
        between = (self.below[1:] - self.at_most[:-1]) / self.rows
        return float((between * np.diff(self.values)).sum())

    def shares(self, places: _Floats) -> tuple[_Floats, _Floats]:
        """Shares of rows below, and at most at, each place."""
        values = self.values
        right = np.searchsorted(values, places, "left")  # first value not left of the place
        capped = np.minimum(right, len(values) - 1)
        on_value = values[capped] == places
        left = np.maximum(right - 1, 0)
        start = np.where(right > 0, self.at_most[left], 0.0)
        between = start
        if not self.complete:
            width = values[capped] - values[left]
            part = np.divide(
                places - values[left], width, out=np.zeros_like(start), where=width > 0
            )
            inside = (right > 0) & (right < len(values))
            between = np.where(inside, start + part * (self.below[capped] - start), start)
        lower = np.where(on_value, self.below[capped], between) / self.rows
        upper = np.where(on_value, self.at_most[capped], between) / self.rows
        return lower, upper

    def quantiles(self, shares: _Floats) -> _Floats:
        """Values at shares of the rows, in straight lines between the middles of the steps."""
        middle = (self.below + self.at_most) / 2 / self.rows
        found: _Floats = np.interp(shares, middle, self.values)
        return found

    def exact_quantiles(self, shares: _Floats) -> _Floats:
        """Linear quantiles of the rows (type 7) where complete; else as `quantiles`."""
        if not self.complete:
            return self.quantiles(shares)
        places = (self.rows - 1) * shares
        low = np.floor(places)
        ends = [
            self.values[np.searchsorted(self.at_most, np.minimum(rank, self.rows - 1), "right")]
            for rank in (low, low + 1)
        ]
        found: _Floats = ends[0] + (ends[1] - ends[0]) * (places - low)
        return found

    def share_at(self, value: float) -> float:
        """Share of rows that hold exactly this value, as far as is known."""
        lower, upper = self.shares(np.array([value]))
        return float(upper[0] - lower[0])

    def mapped(self, factor: float, offset: float = 0.0) -> Curve:
        """The distribution of ``factor * value + offset``."""
        with np.errstate(over="ignore", invalid="ignore"):  # near the limits of floats
            values = self.values * factor + offset
        if factor > 0:
            return Curve(values, self.below, self.at_most, self.complete)
        n = float(self.rows)
        return Curve(values[::-1], n - self.at_most[::-1], n - self.below[::-1], self.complete)

    def without(self, value: float) -> Curve:
        """The distribution of the rows that do not hold a value."""
        place = int(np.searchsorted(self.values, value))
        if place == len(self.values) or self.values[place] != value:
            return self
        count = self.at_most[place] - self.below[place]
        below = np.delete(self.below, place)
        at_most = np.delete(self.at_most, place)
        below[place:] -= count
        at_most[place:] -= count
        return Curve(np.delete(self.values, place), below, at_most, self.complete)

    def capped(self, end: float, *, upper: bool) -> Curve:
        """The distribution with all values beyond an end put on it."""
        lower_share, upper_share = (float(share[0]) for share in self.shares(np.array([end])))
        values = self.values[self.values < end] if upper else self.values[self.values > end]
        side = slice(0, len(values)) if upper else slice(len(self.values) - len(values), None)
        below, at_most = self.below[side], self.at_most[side]
        n = float(self.rows)
        if upper:
            return Curve(
                np.append(values, end),
                np.append(below, lower_share * n),
                np.append(at_most, n),
                self.complete,
            )
        return Curve(
            np.append([end], values),
            np.append([0.0], below),
            np.append([upper_share * n], at_most),
            self.complete,
        )

    def up_to(self, low: float, high: float) -> Curve | None:
        """The distribution of the rows strictly between two values; None without any."""
        inside = (self.values > low) & (self.values < high)
        if not inside.any():
            return None
        below, at_most = self.below[inside], self.at_most[inside]
        return Curve(self.values[inside], below - below[0], at_most - below[0], self.complete)


def largest_difference(a: Curve, b: Curve, tolerance: float = 0.0) -> float:
    """Kolmogorov-Smirnov distance: the largest difference of the cumulative shares.

    With a ``tolerance``, values count as equal that lie no farther apart.
    """
    if not tolerance:
        places = _places(a, b)
        one, other = a.shares(places), b.shares(places)
        return float(max(np.abs(x - y).max() for x, y in zip(one, other, strict=True)))
    wide = tolerance * (1 + 1e-9)
    places = np.concatenate((b.values, a.values - wide, a.values + wide))
    here = b.shares(places)
    above, below = a.shares(places + wide), a.shares(places - wide)
    return max(0.0, float((here[1] - above[1]).max()), float((below[0] - here[0]).max()))


def wasserstein(a: Curve, b: Curve) -> float:
    """1-Wasserstein distance: the area between the two curves, in the unit of the values."""
    places = _places(a, b)
    if len(places) < 2:
        return 0.0
    one, other = a.shares(places), b.shares(places)
    apart_left = np.abs(one[1] - other[1])[:-1]
    apart_right = np.abs(one[0] - other[0])[1:]
    return float(((apart_left + apart_right) / 2 * np.diff(places)).sum())


def _places(a: Curve, b: Curve) -> _Floats:
    places = np.concatenate((a.values, b.values))
    places.sort(kind="stable")  # two runs in order are merged
    return places
