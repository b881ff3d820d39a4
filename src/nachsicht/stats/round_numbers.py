"""How round numbers are: how many are whole multiples of 1, 5, 10, 50 …, and of decimal steps."""

from __future__ import annotations

import numpy as np

from nachsicht.kernels import sums
from nachsicht.model.column import NumberCount
from nachsicht.stats.sorted_array import SortedNumbers

#: Decimals examined where values have more than can be reported.
_DECIMALS = 2
#: Whole numbers up to here are exact in float64.
_EXACT = 2.0**53
#: A value times a power of ten is taken for whole if it is so near to it, relative to itself.
_NEAR = 1e-12


def multiples_of(numbers: SortedNumbers, decimals: int | None) -> tuple[NumberCount, ...]:
    """Values that are whole multiples of each step, from the finest decimal step on.

    The steps are 1 and 5 times powers of ten, each a multiple of the one before, up to the
    largest value. ``decimals`` is what all values can be written with, None if that is too many.
    """
    digits = _DECIMALS if decimals is None else decimals
    if not numbers.n or float(np.abs(numbers.floats[[0, -1]]).max()) * 10.0**digits >= _EXACT:
        return ()
    values, counts = numbers.weighted
    if decimals is None:
        on_step = np.zeros(len(values), np.uint8)
        some = sums.near_whole(values, 10.0**digits, _NEAR, on_step)  # mostly none
        places = np.flatnonzero(on_step) if some else slice(0)
        values, counts = values[places], counts[places]
    steps = np.rint(values * 10.0**digits).astype(np.int64)
    largest = int(np.abs(steps).max(initial=0))
    found = [NumberCount(10.0**-digits, int(counts.sum()))]
    size, five = 1, True
    while len(steps):
        size *= 5 if five else 2
        five = not five
        if size > largest:
            break
        kept = steps % size == 0
        steps, counts = steps[kept], counts[kept]
        found.append(NumberCount(size / 10.0**digits, int(counts.sum())))
    return tuple(found)
