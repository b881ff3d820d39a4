"""Numbers in rising order, which all statistics are read off."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.kernels.ranks import longer_runs_of, runs_of

Array = NDArray[Any]

#: So many values in all, and for each different one, before these are summed up instead.
_FEW_AMONG, _FEW_AMONG_EACH = 1 << 14, 64
#: So many values of either end tell the outermost ones, else so many times as many.
_ENDS, _FURTHER = 1 << 10, 32


class SortedFloats(Protocol):
    """Floats in rising order, read here and there: an array of them, or what stands for one."""

    def __len__(self) -> int: ...

    def __getitem__(self, places: Any, /) -> Any: ...

    def searchsorted(self, limits: Any, side: Any = "left") -> Any:
        """As of an array."""


class _FewFloats(msgspec.Struct, frozen=True, dict=True):
    """Whole numbers in rising order as the floats that they are, of which few are different."""

    values: Array
    distinct: NDArray[np.float64]
    counts: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.values)

    def __getitem__(self, places: Any) -> Any:
        return self.values[places].astype(np.float64)

    def searchsorted(self, limits: Any, side: Any = "left") -> Any:
        return self._below[self.distinct.searchsorted(limits, side)]

    @kept
    def _below(self) -> NDArray[np.int64]:
        """The rows below each of the different numbers, and all of them."""
        return np.append(0, np.cumsum(self.counts))


class SortedNumbers(msgspec.Struct, frozen=True, dict=True):
    """Finite numbers in rising order (int64, uint64 or float64), and the counts of infinities."""

    values: Array
    infinite_below: int = 0
    infinite_above: int = 0

    @property
    def n(self) -> int:
        """How many finite values there are."""
        return len(self.values)

    @kept
    def _runs(self) -> tuple[Array, NDArray[np.int64]]:
        return runs_of(self.values)

    @kept
    def _longer_runs(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        return longer_runs_of(self.values)

    @property
    def distinct(self) -> int:
        """How many different finite values there are."""
        return self.once + len(self.repeated_counts)

    @kept
    def once(self) -> int:
        """How many of them stand in one row."""
        return self.n - int(self.repeated_counts.sum())

    @property
    def repeated_values(self) -> Array:
        """Those that stand in more than one row, rising."""
        return self.values[self._longer_runs[0]]

    @property
    def repeated_counts(self) -> NDArray[np.int64]:
        """In how many rows each of these stands."""
        return self._longer_runs[1]

    @property
    def distinct_values(self) -> Array:
        """The different finite values, rising; for where they are few, or all are needed."""
        return self._runs[0]

    @property
    def distinct_counts(self) -> NDArray[np.int64]:
        """In how many rows each of them stands."""
        return self._runs[1]

    @property
    def weighted(self) -> tuple[Array, NDArray[np.int64]]:
        """Values, rising, and for how many rows each stands: the different ones, or simply all
        where most are different.
        """
        if 2 * self.distinct > self.n:
            return self.values, np.broadcast_to(np.int64(1), self.n)
        return self._runs

    @property
    def few(self) -> bool:
        """Whether sums over the different values, each with its rows, are the shorter ones."""
        return self.n >= _FEW_AMONG and _FEW_AMONG_EACH * self.distinct <= self.n

    def lowest(self, most: int) -> tuple[Array, NDArray[np.int64]]:
        """The lowest different values, rising, and in how many rows each stands."""
        for runs in self._lowest_runs():
            if len(runs[0]) >= most:
                break
        return runs[0][:most], runs[1][:most]

    def lowest_once(self, most: int) -> Array:
        """The lowest values that stand in one row, rising."""
        most = min(most, self.once)
        for values, counts in self._lowest_runs():
            alone: Array = values[counts == 1][:most]
            if len(alone) == most:
                break
        return alone

    def highest(self, most: int) -> tuple[Array, NDArray[np.int64]]:
        """The highest different values, falling, and in how many rows each stands."""
        size = self.n if self.few else _ENDS
        while size < self.n:
            start = int(np.searchsorted(self.values, self.values[-size - 1], "right"))
            values, counts = runs_of(self.values[start:])
            if len(values) >= most:
                break
            size *= _FURTHER
        else:
            values, counts = self._runs
        return values[::-1][:most], counts[::-1][:most]

    def _lowest_runs(self) -> Iterator[tuple[Array, NDArray[np.int64]]]:
        """More and more of the different values and their rows, in the end all of them."""
        size = self.n if self.few else _ENDS
        while size < self.n:
            stop = int(np.searchsorted(self.values, self.values[size], "left"))
            yield runs_of(self.values[:stop])
            size *= _FURTHER
        yield self._runs

    @kept
    def all_floats(self) -> NDArray[np.float64]:
        """The values as float64; integers beyond 2**53 are rounded."""
        return self.values.astype(np.float64, copy=False)

    @kept
    def floats(self) -> SortedFloats:
        """The same, where only some of them are read."""
        if self.values.dtype.kind == "f" or not self.few:
            return self.all_floats
        return _FewFloats(self.values, self.distinct_values.astype(float), self.distinct_counts)

    @kept
    def whole(self) -> bool:
        """Whether every value is a whole number."""
        if self.values.dtype.kind in "iu":
            return True
        for values in (self.values[:1000], self.values):  # most fail among the first
            if (values != np.floor(values)).any():
                return False
        return True
