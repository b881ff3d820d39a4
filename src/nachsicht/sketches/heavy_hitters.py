"""The most frequent values, from counters of bounded number.

Counters for at most a few thousand values; when there are more, as much is taken from all as
leaves the limit (Misra and Gries 1982; merged as in Agarwal et al., PODS 2012). A count is too
low by ``error`` at most, and every value that stands in more rows than that is kept.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_of
from nachsicht.kernels.ranks import added_up
from nachsicht.stats.value_counts import ValueCounts, merge_value_counts

#: Counters that are kept; up to twice as many until they are thinned.
SIZE = 1 << 12


class HeavyTexts(msgspec.Struct, frozen=True):
    """Counters of texts."""

    tally: ValueCounts
    error: int = 0

    def add(self, tally: ValueCounts) -> HeavyTexts:
        """The counters with further texts."""
        return _thinned_texts(merge_value_counts([self.tally, tally]), self.error)

    def merge(self, other: HeavyTexts) -> HeavyTexts:
        """Put two sets of counters together."""
        return _thinned_texts(
            merge_value_counts([self.tally, other.tally]), self.error + other.error
        )


def _thinned_texts(tally: ValueCounts, error: int) -> HeavyTexts:
    taken = _to_take(tally.counts)
    if not taken:
        return HeavyTexts(tally, error)
    kept = np.flatnonzero(tally.counts > taken)
    values = tally.values.take(arrow_of(kept))
    return HeavyTexts(ValueCounts.of(values, tally.counts[kept] - taken), error + taken)


class HeavyNumbers(msgspec.Struct, frozen=True):
    """Counters of numbers, the numbers rising."""

    values: NDArray[Any]
    counts: NDArray[np.int64]
    error: int = 0

    def add(self, values: NDArray[Any], counts: NDArray[np.int64]) -> HeavyNumbers:
        """The counters with further different numbers."""
        if not len(values):
            return self
        if not len(self.values):  # an empty batch must not change the type of the values
            return _thinned_numbers(values, counts, self.error)
        together = np.concatenate((self.values, values))
        unique, sums = added_up(together, np.concatenate((self.counts, counts)))
        return _thinned_numbers(unique, sums, self.error)

    def merge(self, other: HeavyNumbers) -> HeavyNumbers:
        """Put two sets of counters together."""
        merged = self.add(other.values, other.counts)
        return HeavyNumbers(merged.values, merged.counts, merged.error + other.error)


def _thinned_numbers(values: NDArray[Any], counts: NDArray[np.int64], error: int) -> HeavyNumbers:
    taken = _to_take(counts)
    kept = counts > taken
    return HeavyNumbers(values[kept], counts[kept] - taken, error + taken)


def _to_take(counts: NDArray[np.int64]) -> int:
    """How much to take from every counter so that no more than the limit is left."""
    if len(counts) <= 2 * SIZE:
        return 0
    if counts.max() == 1:
        return 1
    return int(np.partition(counts, len(counts) - SIZE - 1)[len(counts) - SIZE - 1])
