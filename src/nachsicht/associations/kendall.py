"""Kendall's tau-b: exactly, and of drawn rows for many pairs of columns.

Exactly by counting inversions while merging (Knight, JASA 61, 1966). Of drawn rows by holding
each against the next ones in random order, an incomplete U-statistic (Blom, Biometrika 63,
1976): which of two rows is larger is found once for every column, and serves all its pairs.
"""

from __future__ import annotations

import math
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.kernels import sums

#: Lengths up to which all pairs are compared with each other.
_SHORT = 16
#: Each drawn row is compared with so many next rows.
_NEXT = 20


def kendall(a: NDArray[Any], b: NDArray[Any]) -> float | None:
    """Kendall's tau-b of two columns of equal length; None where one never varies.

    It needs in the order of n log n steps.
    """
    return kendall_of_ranks(dense_ranks(a), dense_ranks(b))


def kendall_of_ranks(x: NDArray[np.int64], y: NDArray[np.int64]) -> float | None:
    """As `kendall`, of whole numbers from 0 on that rise with the values."""
    n = len(x)
    pairs = n * (n - 1) // 2
    width = int(y.max(initial=0)) + 1
    both = np.sort(x * width + y)
    in_order = both % width
    tied_x, tied_y, tied_both = _tied(both // width), _tied(np.sort(y)), _tied(both)
    if pairs in (tied_x, tied_y):
        return None
    apart = pairs - tied_x - tied_y + tied_both - 2 * inversions(in_order)
    return max(-1.0, min(1.0, apart / math.sqrt(pairs - tied_x) / math.sqrt(pairs - tied_y)))


def dense_ranks(values: NDArray[Any]) -> NDArray[np.int64]:
    """Ranks from 0, equal for equal values, without gaps."""
    return np.unique(values, return_inverse=True)[1].astype(np.int64)


class Steps(msgspec.Struct, frozen=True, dict=True):
    """Of pairs of rows: 1 where the column rises, -1 where it falls, 0 where tied or missing;
    and 1 where both have a value.
    """

    signs: NDArray[np.int8]
    there: NDArray[np.int8]

    @kept
    def untied(self) -> NDArray[np.int8]:
        """1 where the column rises or falls."""
        return np.abs(self.signs)

    @kept
    def steps(self) -> int:
        """How many rise or fall."""
        return int(np.count_nonzero(self.signs))

    @kept
    def whole(self) -> bool:
        """Whether every row has a value."""
        return bool(self.there.all())


def steps_of(values: NDArray[Any], present: NDArray[np.bool_]) -> Steps:
    """The steps of a column whose rows stand in random order, from each to the next ones."""
    n = len(values)
    around, there = np.concatenate((values, values[:_NEXT])), np.append(present, present[:_NEXT])
    signs = np.empty((_NEXT, n), np.int8)
    both = np.empty((_NEXT, n), np.bool_)
    for i in range(_NEXT):
        later = slice(i + 1, i + 1 + n)
        np.logical_and(present, there[later], out=both[i])
        np.subtract(around[later] > values, around[later] < values, out=signs[i], dtype=np.int8)
    signs *= both
    return Steps(signs.ravel(), both.ravel().view(np.int8))


def kendall_of_steps(x: Steps, y: Steps) -> tuple[float, float] | None:
    """Kendall's tau-b by the drawn rows and the most that its standard error can be.

    The error is that of tau from so many rows (Kendall 1962, 4.7), and that of holding each
    against a few others only. None where a column never varies.
    """
    untied_x = x.steps if y.whole else sums.agreeing(x.untied, y.there)
    untied_y = y.steps if x.whole else sums.agreeing(y.untied, x.there)
    if not untied_x or not untied_y:
        return None
    more = sums.agreeing(x.signs, y.signs)
    tau = max(-1.0, min(1.0, more / math.sqrt(untied_x) / math.sqrt(untied_y)))
    held = len(x.there) if x.whole and y.whole else sums.agreeing(x.there, y.there)
    return tau, math.sqrt(max(0.0, 1 - tau**2) * (2 * _NEXT + 1) / held)


def inversions(values: NDArray[np.int64]) -> int:
    """Pairs of which the earlier one is larger; values are whole numbers from 0 on."""
    n = len(values)
    width = min(_SHORT, max(n, 1))
    blocks = -(-n // width)
    size = width * (1 << max(blocks - 1, 0).bit_length())
    # What is added in the end is larger than all, so that it makes no inversion.
    padded = np.full(size, int(values.max(initial=0)) + 1, np.int32)
    padded[:n] = values
    table = padded.reshape(-1, width)
    earlier = np.triu(np.ones((width, width), bool), 1)
    found = int(np.count_nonzero((table[:, :, None] > table[:, None, :]) & earlier))
    table = np.sort(table, axis=1)
    while table.shape[0] > 1:
        found += _across(table)
        table = np.sort(table.reshape(-1, 2 * table.shape[1]), axis=1)
    return found


def _across(table: NDArray[np.int32]) -> int:
    """Inversions between neighbouring rows, of two each."""
    width = table.shape[1]
    marked = table * 2
    marked[1::2] += 1  # equal ones of the later row come after
    ranked = np.sort(marked.reshape(-1, 2 * width), axis=1)
    early = np.nonzero(ranked % 2 == 0)[1]
    merges, within = table.shape[0] // 2, width * (width - 1) // 2
    found: int = early.sum().item() - merges * within
    return found


def _tied(ordered: NDArray[np.int64]) -> int:
    """Pairs of equal values."""
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    lengths = np.diff(starts, append=len(ordered)).astype(np.int64)
    tied: int = (lengths * (lengths - 1) // 2).sum().item()
    return tied
