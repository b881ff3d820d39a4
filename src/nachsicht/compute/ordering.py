"""The order of many numbers, found by one sort of single words.

Sorting 64-bit words is several times faster than sorting places by what stands there. So the
place of each number is packed into the low bits of a word that sorts as the number does; where
the bits that had to give way would have told two numbers apart, these are put right afterwards.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

_SIGN = np.uint64(1 << 63)


def order_of(values: NDArray[Any]) -> NDArray[np.int64]:
    """The places of numbers in rising order; equal ones stay in the order they are in.

    Parameters
    ----------
    values : array of shape (n,)
        Integers, or floats without NaN.
    """
    n = len(values)
    if n < 2:
        return np.zeros(n, np.int64)
    words = _words(values)
    words -= words.min()
    width = (n - 1).bit_length()
    given_way = max(int(words.max()).bit_length() + width - 64, 0)
    words >>= np.uint64(given_way)
    words <<= np.uint64(width)
    words |= np.arange(n, dtype=np.uint64)
    words.sort()
    order = (words & np.uint64((1 << width) - 1)).view(np.int64)
    if given_way:
        words >>= np.uint64(width)
        _put_right(order, words, values)
    return order


def _words(values: NDArray[Any]) -> NDArray[np.uint64]:
    """Words without a sign that stand in the same order as the numbers."""
    if values.dtype.kind in "ub":
        return values.astype(np.uint64)
    if values.dtype.kind == "i":
        return values.astype(np.int64).view(np.uint64) ^ _SIGN
    bits = (values.astype(np.float64) + 0.0).view(np.int64)  # -0.0 becomes 0.0
    # Of negative floats all bits are turned, of others the sign.
    turned: NDArray[np.uint64] = (bits ^ ((bits >> 63) | np.int64(-(2**63)))).view(np.uint64)
    return turned


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
