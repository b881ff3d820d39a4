"""64-bit hashes of values and rows, the same for equal values in any batch.

Numbers are mixed by the finaliser of SplitMix64 (Steele, Lea and Flood 2014). Of texts every
eight bytes are a number, which is set apart by its place in the text and mixed; the sum of
these, and of the length, is mixed again. For n different rows the chance that any two share a
hash is about n**2 / 2**65: 3 in 10**8 for a million rows.
"""

from __future__ import annotations

from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in, values_of
from nachsicht.arrow.text_buffer import bytes_of
from nachsicht.kernels import hashing as kernels

Hashes = NDArray[np.uint64]

_GOLDEN = 0x9E3779B97F4A7C15
_MISSING = np.uint64(0x5851F42D4C957F2D)
_NO_SALT = np.uint64(0)
#: Rows that are added while others wait.
_AT_ONCE = 1 << 17


def mix(hashes: Hashes) -> Hashes:
    """Spread every bit of each number over all 64, in the place of the numbers themselves."""
    kernels.mix(hashes, 1, 0, False, hashes)
    return hashes


def salt_of(position: int) -> np.uint64:
    """What sets the hashes of a column apart from those of the others.

    The hashes of all columns of a row are added up, in any order; that a value stands in this
    column and not in another must still matter.
    """
    return np.uint64((position + 1) * _GOLDEN % 2**64)


def hash_values(array: Any, salt: np.uint64 = _NO_SALT) -> Hashes:
    """A hash for each value of an Arrow array; all missing values (null, NaN) share one."""
    hashes = np.empty(len(array), np.uint64)
    if pa.types.is_dictionary(array.type):
        _hash_levels(array, salt, hashes, adding=False)
        return hashes
    _hash_present(array, salt, hashes, adding=False)
    if array.null_count:
        hashes[missing_in(array)] = _gone(salt)
    return hashes


def add_hashes(array: Any, salt: np.uint64, into: Hashes, lock: Lock) -> None:
    """Add the hashes of an Arrow array to others, which several threads may do under a lock."""
    if pa.types.is_dictionary(array.type):
        with lock:
            _hash_levels(array, salt, into, adding=True)
    elif array.null_count:
        hashes = hash_values(array, salt)
        with lock:
            into += hashes
    else:
        for start in range(0, len(array), _AT_ONCE):
            with lock:
                piece = slice(start, start + _AT_ONCE)
                _hash_present(array[piece], salt, into[piece], adding=True)


def _gone(salt: np.uint64) -> Hashes:
    """The hash of what is missing."""
    return mix(np.array([_MISSING]) + salt)


def _hash_levels(array: Any, salt: np.uint64, into: Hashes, *, adding: bool) -> None:
    """The hash of each level where it stands, and that of nothing where there is none."""
    words, codes = hash_values(array.dictionary, salt), values_of(array.indices)
    if array.indices.null_count:
        codes = np.where(missing_in(array.indices), len(words), codes)
        words = np.append(words, _gone(salt))
    kernels.hash_codes(words, codes.astype(np.int32, copy=False), adding, into)


def _hash_present(array: Any, salt: np.uint64, into: Hashes, *, adding: bool) -> None:
    types, stored = pa.types, array.type
    if types.is_null(stored):
        into[:] = 0
    elif types.is_floating(stored):
        floats = values_of(array).astype(np.float64, copy=False)
        kernels.hash_floats(floats, int(_MISSING), int(salt), adding, into)
    elif types.is_temporal(stored) and not types.is_interval(stored):
        # In nanoseconds, modulo 2**64: the same whatever unit a datetime is stored in.
        ticks = values_of(array).astype(np.int64, copy=False).view(np.uint64)
        kernels.mix(ticks, _nanoseconds(stored), int(salt), adding, into)
    elif types.is_integer(stored) or types.is_boolean(stored):
        whole = values_of(array).astype(np.int64, copy=False).view(np.uint64)
        kernels.mix(whole, 1, int(salt), adding, into)
    else:
        kernels.hash_texts(*bytes_of(_binary(array)), int(salt), adding, into)


def _nanoseconds(stored: Any) -> int:
    """Of a unit of a temporal type."""
    if pa.types.is_date32(stored):
        return 86_400 * 10**9
    unit = "ms" if pa.types.is_date64(stored) else stored.unit
    return {"s": 10**9, "ms": 10**6, "us": 10**3, "ns": 1}[unit]


def _binary(array: Any) -> Any:
    """The values as bytes; what has no bytes of its own (lists, structs) as its text."""
    types = pa.types
    if types.is_string(array.type) or types.is_large_string(array.type):
        return array.cast(pa.large_binary())
    if types.is_binary(array.type) or types.is_large_binary(array.type):
        return array.cast(pa.large_binary())
    if types.is_string_view(array.type) or types.is_decimal(array.type):
        return array.cast(pa.large_string()).cast(pa.large_binary())
    texts = [None if value is None else repr(value) for value in array.to_pylist()]
    return pa.array(texts, pa.large_string()).cast(pa.large_binary())
