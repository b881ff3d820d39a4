"""The order of many numbers and their ranks, found by one sort of single words.

Sorting 64-bit words is several times faster than sorting places by what stands there. So the
place of each number is packed into the low bits of a word that sorts as the number does; where
the bits that had to give way would have told two numbers apart, these are put right afterwards.
Where that would be many, the kernel gives up, and NumPy sorts instead: `order_of` and `repeated`
by a stable argsort, `doubled_ranks` by ranking the distinct values.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels import ranking as kernels

#: So many numbers that occur more than once are looked for before room is made for more.
_AT_ONCE = 1 << 16


def order_of(values: NDArray[Any]) -> NDArray[np.int64]:
    """The places of numbers in rising order; equal ones stay in the order they are in.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.
    """
    values = plain(values)
    words, width = _sorted_words(values)
    places = np.empty(len(values), np.int64)
    done = kernels.sorted_rows(words, width, values, places)
    return places if done else np.argsort(values, kind="stable")


def doubled_ranks(values: NDArray[Any]) -> NDArray[np.integer[Any]]:
    """Twice the average ranks, from 1, which are whole numbers; equal values share theirs.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.
    """
    n = len(values)
    # Half the memory, while the numbers are small enough.
    found: NDArray[np.integer[Any]] = np.empty(n, np.int32 if n < 2**29 else np.int64)
    if values.dtype.kind in "iu" and n:
        low, high = int(values.min()), int(values.max())
        if high - low < n:  # counted faster than sorted
            counts = np.zeros((high - low + 1, 2), np.int64)
            kernels.counted_ranks(plain(values), low, counts, found)
            return found
    values = plain(values)
    words, width = _sorted_words(values)
    if not kernels.doubled_ranks(words, width, values, found):
        # Of places among the different values, which are few enough to be counted.
        return doubled_ranks(np.unique(values, return_inverse=True)[1])
    return found


def repeated(values: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The places of numbers that occur more than once, and where among these each begins anew.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.

    Returns
    -------
    (places, starts)
        The places of equal numbers stand beside each other, in rising order; ``starts`` tells
        where the places of each number begin.
    """
    values = plain(values)
    words, width = _sorted_words(values)
    places, first = np.empty(len(values), np.int64), np.empty(len(values), np.bool_)
    found = kernels.repeated(words, width, values, places, first.view(np.uint8))
    if found >= 0:
        return places[:found].copy(), np.flatnonzero(first[:found])
    order = np.argsort(values, kind="stable")
    ranked = values[order]
    beside = np.concatenate(([False], ranked[1:] == ranked[:-1], [False]))
    kept = beside[1:] | beside[:-1]
    return order[kept], np.flatnonzero(~beside[:-1][kept])


def runs_of(values: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    """The different ones of rising numbers, and how often each occurs."""
    values = plain(values)
    distinct, counts = np.empty_like(values), np.empty(len(values), np.int64)
    found = kernels.runs(values, distinct, counts)
    return distinct[:found], counts[:found]


def added_up(
    values: NDArray[Any], counts: NDArray[np.int64]
) -> tuple[NDArray[Any], NDArray[np.int64]]:
    """The different ones of numbers, rising, and the sums of the counts that stand with each."""
    if not len(values):
        return values, counts
    order = order_of(values)
    ranked = values[order]
    starts = np.flatnonzero(np.concatenate(([True], ranked[1:] != ranked[:-1])))
    return ranked[starts], np.add.reduceat(counts[order], starts)


def longer_runs_of(values: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where those of rising numbers begin that occur more than once, and how often each does."""
    values = plain(values)
    starts, lengths = np.empty((2, min(len(values), _AT_ONCE)), np.int64)
    pieces, stop = [], 0
    while stop < len(values):
        found, stop = kernels.longer_runs(values, stop, starts, lengths)
        pieces.append(np.array((starts[:found], lengths[:found])))
    both = np.concatenate(pieces, axis=1) if pieces else np.empty((2, 0), np.int64)
    return both[0], both[1]


def plain(values: NDArray[Any]) -> NDArray[Any]:
    """The same numbers as int64, uint64 or float64."""
    wide = {"u": np.uint64, "f": np.float64}.get(values.dtype.kind, np.int64)
    return np.ascontiguousarray(values, wide)


def _sorted_words(values: NDArray[Any]) -> tuple[NDArray[np.uint64], int]:
    """Sorted packed words, shape (n,), and how many of their lower bits hold the row."""
    n = len(values)
    words = np.empty(n, np.uint64)
    if not n:
        return words, 0
    low, high = kernels.sortable_words(values, words)
    width = (n - 1).bit_length()
    dropped_bits = max((high - low).bit_length() + width - 64, 0)
    kernels.pack_rows(words, low, dropped_bits, width)
    words.sort()
    return words, width
