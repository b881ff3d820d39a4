"""64-bit hashes of values and rows, the same for equal values in any batch.

Numbers are mixed by the finaliser of SplitMix64 (Steele, Lea and Flood 2014). Texts are
summed bytes, each times an odd number drawn for its place (multilinear hashing, Lemire
and Kaser 2014), then mixed. For n different rows the chance that any two share a hash is
about n**2 / 2**65: 3 in 10**8 for a million rows.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.arrays import missing_in, values_of
from nachsicht.compute.text_bytes import TextBytes, slices_of

Hashes = NDArray[np.uint64]

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MISSING = np.uint64(0x5851F42D4C957F2D)


def mix(hashes: Hashes) -> Hashes:
    """Spread every bit of each number over all 64."""
    mixed = (hashes ^ (hashes >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return mixed ^ (mixed >> np.uint64(31))


def of_column(hashes: Hashes, position: int) -> Hashes:
    """What a column adds to the hashes of its rows.

    The hashes of all columns are added up, in any order; that a value stands in this column
    and not in another still matters.
    """
    salt = (position + 1) * int(_GOLDEN) % 2**64
    return mix(hashes + np.uint64(salt))


def hash_values(array: Any) -> Hashes:
    """A hash for each value of an Arrow array; all missing values (null, NaN) share one."""
    hashes = _hash_present(array)
    hashes[missing_in(array)] = _MISSING
    return hashes


def _hash_present(array: Any) -> Hashes:
    types, stored = pa.types, array.type
    if types.is_null(stored):
        return np.zeros(len(array), np.uint64)
    if types.is_dictionary(stored):
        words = np.append(hash_values(array.dictionary), _MISSING)
        codes = values_of(array.indices)
        return words[np.where(missing_in(array), len(words) - 1, codes)]
    if types.is_floating(stored):
        numbers = values_of(array).astype(np.float64) + 0.0  # -0.0 becomes 0.0
        return mix(numbers.view(np.uint64))
    if types.is_integer(stored) or types.is_boolean(stored) or types.is_temporal(stored):
        if types.is_interval(stored):
            return _hash_bytes(_binary(array))
        return mix(values_of(array).astype(np.int64).view(np.uint64))
    return _hash_bytes(_binary(array))


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


def _hash_bytes(array: Any) -> Hashes:
    hashes = [_hash_slice(part) for part in slices_of(array)]
    return np.concatenate(hashes) if hashes else np.empty(0, np.uint64)


def _hash_slice(part: TextBytes) -> Hashes:
    """Every byte times the odd key of its place, summed over the text, and its length."""
    lengths = part.lengths
    places = np.arange(len(part.data)) - np.repeat(part.starts, lengths)
    products = _keys(int(lengths.max(initial=0)))[places]
    products *= part.data.astype(np.uint64) + np.uint64(1)
    return mix(part.sums(products) + lengths.astype(np.uint64))


def _keys(most: int) -> Hashes:
    return mix(np.arange(1, most + 1, dtype=np.uint64) * _GOLDEN) | np.uint64(1)
