"""How many different values there are, from the smallest of their hashes.

The k smallest different hashes, each with its exact count. While there are no more than k
different values, everything is exact. Beyond, the k-th smallest hash tells how densely the
hashes lie (Bar-Yossef et al., RANDOM 2002; Beyer et al., SIGMOD 2007): the number of
different values is known with a relative standard error of 1 / sqrt(k - 2). A hash that is
among the smallest in the end was so from its first row on, so its count misses nothing, and
the result does not depend on how the rows were split.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.hashing import Hashes
from nachsicht.kernels.ranks import added_up

#: Hashes that are kept of a column: 256 kB, a standard error of 0.8 %.
SIZE = 1 << 14
#: Hashes that are kept of rows, since few of them repeat: 2 MB.
ROWS_SIZE = 1 << 17

#: Times the size of a sample, so many of evenly lying hashes hold it almost surely.
_ENOUGH = 1.25


class CountedKeys(msgspec.Struct, frozen=True):
    """How many different values there are, and stand in one row only; the sum of squared counts."""

    distinct: int
    once: int
    squares: float

    def with_value(self, rows: int) -> CountedKeys:
        """With one more value, of so many rows."""
        return CountedKeys(self.distinct + 1, self.once + (rows == 1), self.squares + rows**2)


class KeySample(msgspec.Struct, frozen=True):
    """The smallest hashes, rising, and in how many rows each stands.

    Where others have counted all values, ``known`` is what they found, and there are no hashes.
    """

    hashes: Hashes = msgspec.field(default_factory=lambda: np.empty(0, np.uint64))
    counts: NDArray[np.int64] = msgspec.field(default_factory=lambda: np.empty(0, np.int64))
    size: int = SIZE
    known: CountedKeys | None = None

    def add(self, hashes: Hashes, counts: NDArray[np.int64] | None = None) -> KeySample:
        """The sample with further hashes; of one row each, or as many as ``counts`` says."""
        if counts is None:
            counts = np.ones(len(hashes), np.int64)
        if len(self.hashes) == self.size:
            near = hashes <= self.hashes[-1]
            hashes, counts = hashes[near], counts[near]
        if not len(hashes):
            return self
        # Hashes lie evenly: so low most often enough of them do, and few need to be sorted.
        share = _ENOUGH * self.size / len(hashes)
        if share < 1:
            lowest = np.uint64(share * 2.0**64)
            near = hashes <= lowest
            found = self._with(hashes[near], counts[near])
            if len(found.hashes) == self.size and found.hashes[-1] <= lowest:
                return found
        return self._with(hashes, counts)

    def _with(self, hashes: Hashes, counts: NDArray[np.int64]) -> KeySample:
        together = np.concatenate((self.hashes, hashes))
        ranked, sums = added_up(together, np.concatenate((self.counts, counts)))
        return KeySample(ranked[: self.size], sums[: self.size], self.size)

    def merge(self, other: KeySample) -> KeySample:
        """Put two samples together, in any order."""
        return self.add(other.hashes, other.counts)

    @property
    def exact(self) -> bool:
        """Whether every different value is in the sample."""
        return len(self.hashes) < self.size

    @property
    def distinct(self) -> int:
        """How many different values there are."""
        if self.known:
            return self.known.distinct
        if self.exact:
            return len(self.hashes)
        return round((self.size - 1) / (float(self.hashes[-1]) / 2.0**64))

    @property
    def once(self) -> int:
        """How many values stand in one row only."""
        if self.known:
            return self.known.once
        share = float((self.counts == 1).mean()) if len(self.counts) else 0.0
        return round(self.distinct * share)

    @property
    def squares(self) -> float:
        """About the sum of the squared counts of all values."""
        if self.known:
            return self.known.squares
        squares = float((self.counts.astype(np.float64) ** 2).mean()) if len(self.counts) else 0.0
        return squares * self.distinct

    @property
    def repeated_rows(self) -> int:
        """Rows beyond the first of each value."""
        mean = float((self.counts - 1).mean()) if len(self.counts) else 0.0
        return round(self.distinct * mean)

    @property
    def relative_error(self) -> float:
        """Two standard errors of ``distinct``, relative; 0 where it is exact."""
        return 0.0 if self.exact else 2 / math.sqrt(self.size - 2)
