"""The order of many numbers and their ranks, found by one sort of single words.

Sorting 64-bit words is several times faster than sorting places by what stands there. So the
place of each number is packed into the low bits of a word that sorts as the number does; where
the bits that had to give way would have told two numbers apart, these are put right afterwards.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.compiled import orders as kernels


class _Ordered(NamedTuple):
    """Places in rising order, and the words that were sorted, with so many bits of a place."""

    places: NDArray[np.int64]
    words: NDArray[np.uint64]
    width: int


def order_of(values: NDArray[Any]) -> NDArray[np.int64]:
    """The places of numbers in rising order; equal ones stay in the order they are in.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.
    """
    return _ordered(plain(values)).places


def doubled_ranks(values: NDArray[Any]) -> NDArray[np.integer[Any]]:
    """Twice the average ranks, from 1, which are whole numbers; equal values share theirs.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.
    """
    n = len(values)
    # Half the memory, while the numbers are small enough.
    whole = np.int32 if n < 2**29 else np.int64
    if values.dtype.kind in "iu" and n:
        low, high = int(values.min()), int(values.max())
        if high - low < n:  # counted faster than sorted
            wide = values if values.dtype.kind == "u" else values.astype(np.int64, copy=False)
            places = (wide - wide.dtype.type(low)).astype(np.intp, copy=False)
            counts = np.bincount(places)
            ends = np.cumsum(counts)
            by_value: NDArray[np.integer[Any]] = (2 * ends - counts + 1).astype(whole)
            return by_value[places]
    values = plain(values)
    found: NDArray[np.integer[Any]] = np.empty(n, whole)
    order = _ordered(values)
    kernels.doubled_ranks(order.words, order.width, order.places, values, found)
    return found


def runs_of(values: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    """The different ones of rising numbers, and how often each occurs."""
    values = plain(values)
    distinct, counts = np.empty_like(values), np.empty(len(values), np.int64)
    found = kernels.runs(values, distinct, counts)
    return distinct[:found], counts[:found]


def plain(values: NDArray[Any]) -> NDArray[Any]:
    """The same numbers as int64, uint64 or float64."""
    kept = {"u": np.uint64, "f": np.float64}.get(values.dtype.kind, np.int64)
    return np.ascontiguousarray(values, kept)


def _ordered(values: NDArray[Any]) -> _Ordered:
    n = len(values)
    words, places = np.empty(n, np.uint64), np.empty(n, np.int64)
    if not n:
        return _Ordered(places, words, 0)
    low, high = kernels.words(values, words)
    width = (n - 1).bit_length()
    given_way = max((high - low).bit_length() + width - 64, 0)
    kernels.with_places(words, low, given_way, width)
    words.sort()
    if kernels.places(words, width, values, places):
        _put_right(places, words >> np.uint64(width), values)
    return _Ordered(places, words, width)


def _put_right(order: NDArray[np.int64], words: NDArray[np.uint64], values: NDArray[Any]) -> None:
    """Order by their values those whose words came to be the same, where that is not so yet."""
    same = words[1:] == words[:-1]
    tied = np.flatnonzero(same)
    wrong = tied[values[order[tied]] > values[order[tied + 1]]]
    if not len(wrong):
        return
    run = np.concatenate(([0], np.cumsum(~same)))  # which run of equal words a place is in
    disordered = np.zeros(run[-1] + 1, bool)
    disordered[run[wrong]] = True
    affected = np.flatnonzero(disordered[run])
    places = order[affected]
    order[affected] = places[np.argsort(values[places], kind="stable")]
