"""Quantities, datetimes and durations as the numbers that are reckoned with."""

from __future__ import annotations

import sys
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import values_of

#: Units of durations, in seconds.
SECONDS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}

#: Numbers farther from zero are as good as infinite to whatever squares and sums them.
LARGEST = 1e100


#: Whole numbers up to this one are floats too, and so are powers of ten up to this exponent.
_WHOLE, _EXPONENT = 2**53, 22


def floats_of_decimals(array: Any) -> Any:
    """Decimal numbers as the floats that are nearest to them.

    Arrow's own cast may miss these by a digit at the end, so that 199.98 is no longer written so.
    """
    if isinstance(array, pa.ChunkedArray):
        return pa.chunked_array(map(floats_of_decimals, array.chunks), pa.float64())
    kind = array.type
    if pa.types.is_decimal128(kind) and 0 <= kind.scale <= _EXPONENT and sys.byteorder == "little":
        held = array.fill_null(0)
        words = np.frombuffer(held.buffers()[1] or b"", np.int64)
        low, high = words.reshape(-1, 2)[held.offset : held.offset + len(held)].T
        if (high == low >> 63).all() and (np.abs(low) <= _WHOLE).all():
            missing = ~values_of(array.is_valid()) if array.null_count else None
            return pa.array(low / 10.0**kind.scale, mask=missing)
    return array.cast(pa.string()).cast(pa.float64())


def as_numbers(
    array: Any, everywhere: NDArray[np.bool_] | None = None
) -> tuple[NDArray[Any], NDArray[np.bool_]] | None:
    """Numbers of any stored type, and where they are present and of a size to compute with.

    Infinite numbers are not, nor those beyond `LARGEST`, whose powers no float holds. Datetimes
    count in their stored unit, durations in seconds. Where a value is not present, any number
    stands. Texts, times of day and nested values are none: None. Where it is known
    that all are present and of such a size, ``everywhere`` tells so of each.
    """
    types, stored = pa.types, array.type
    if types.is_decimal(stored):
        array = floats_of_decimals(array)
    elif not (
        types.is_integer(stored)
        or types.is_floating(stored)
        or types.is_timestamp(stored)
        or types.is_date(stored)
        or types.is_duration(stored)
    ):
        return None
    values = values_of(array)
    if types.is_duration(stored):
        values = values * SECONDS[stored.unit]
    if everywhere is not None:
        return values, everywhere
    present = np.ones(len(values), np.bool_)
    if values.dtype.kind == "f":
        most = min(LARGEST, float(np.finfo(values.dtype).max))
        present = np.abs(values) <= values.dtype.type(most)
    if array.null_count:
        present &= values_of(array.is_valid())
    return values, present
