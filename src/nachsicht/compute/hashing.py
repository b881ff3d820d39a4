"""64-bit hashes of values and rows, the same for equal values in any batch.

Numbers are mixed by the finaliser of SplitMix64 (Steele, Lea and Flood 2014). Of texts every
eight bytes are a number, which is set apart by its place in the text and mixed; the sum of
these, and of the length, is mixed again. For n different rows the chance that any two share a
hash is about n**2 / 2**65: 3 in 10**8 for a million rows.
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
_NO_SALT = np.uint64(0)

#: Bytes of a number, and of a text that are taken number by number for all texts at once.
WORD, LOOPED = 8, 64
#: The bits of so many bytes.
_KEPT = np.array([(1 << 8 * n) - 1 for n in range(WORD + 1)], np.uint64)


def mix(hashes: Hashes) -> Hashes:
    """Spread every bit of each number over all 64, in the place of the numbers themselves."""
    shifted = hashes >> np.uint64(30)
    hashes ^= shifted
    hashes *= np.uint64(0xBF58476D1CE4E5B9)
    np.right_shift(hashes, np.uint64(27), out=shifted)
    hashes ^= shifted
    hashes *= np.uint64(0x94D049BB133111EB)
    np.right_shift(hashes, np.uint64(31), out=shifted)
    hashes ^= shifted
    return hashes


def salt_of(position: int) -> np.uint64:
    """What sets the hashes of a column apart from those of the others.

    The hashes of all columns of a row are added up, in any order; that a value stands in this
    column and not in another must still matter.
    """
    return np.uint64((position + 1) * int(_GOLDEN) % 2**64)


def hash_values(array: Any, salt: np.uint64 = _NO_SALT) -> Hashes:
    """A hash for each value of an Arrow array; all missing values (null, NaN) share one."""
    hashes = _hash_present(array, salt)
    missing = missing_in(array)
    if missing.any():
        hashes[missing] = mix(np.array([_MISSING]) + salt)
    return hashes


def _hash_present(array: Any, salt: np.uint64) -> Hashes:
    types, stored = pa.types, array.type
    if types.is_null(stored):
        return np.zeros(len(array), np.uint64)
    if types.is_dictionary(stored):
        words = hash_values(array.dictionary, salt)
        codes = values_of(array.indices)
        if array.indices.null_count:
            words = np.append(words, _MISSING)  # stands where hash_values puts the right one
            codes = np.where(missing_in(array.indices), len(words) - 1, codes)
        of_rows: Hashes = words[codes]
        return of_rows
    if types.is_floating(stored):
        numbers = values_of(array).astype(np.float64)
        numbers += 0.0  # -0.0 becomes 0.0
        return _salted(numbers.view(np.uint64), salt)
    if types.is_temporal(stored) and not types.is_interval(stored):
        # In nanoseconds, modulo 2**64: the same whatever unit a moment is stored in.
        ticks = values_of(array).astype(np.int64).view(np.uint64)
        return _salted(ticks * _nanoseconds(stored), salt)
    if types.is_integer(stored) or types.is_boolean(stored):
        return _salted(values_of(array).astype(np.int64).view(np.uint64), salt)
    return _hash_bytes(_binary(array), salt)


def _nanoseconds(stored: Any) -> np.uint64:
    """Of a unit of a temporal type."""
    if pa.types.is_date32(stored):
        return np.uint64(86_400 * 10**9)
    unit = "ms" if pa.types.is_date64(stored) else stored.unit
    return np.uint64({"s": 10**9, "ms": 10**6, "us": 10**3, "ns": 1}[unit])


def _salted(bits: Hashes, salt: np.uint64) -> Hashes:
    bits += salt
    return mix(bits)


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


def _hash_bytes(array: Any, salt: np.uint64) -> Hashes:
    hashes = [_hash_slice(part, salt) for part in slices_of(array)]
    return np.concatenate(hashes) if hashes else np.empty(0, np.uint64)


def _hash_slice(part: TextBytes, salt: np.uint64) -> Hashes:
    lengths, starts = part.lengths, part.starts
    words = _words(part)
    sums = lengths.astype(np.uint64)
    shortest, longest = int(lengths.min()), int(lengths.max())
    for done in range(0, min(longest, LOOPED), WORD):
        held = slice(None) if shortest > done else np.flatnonzero(lengths > done)
        found = words[starts[held] + done]
        if shortest < done + WORD:
            found &= _KEPT[np.minimum(lengths[held] - done, WORD)]
        sums[held] += mix(found + _key(done // WORD))
    if longest > LOOPED:
        held = np.flatnonzero(lengths > LOOPED)
        sums[held] += _rest(words, starts[held] + LOOPED, lengths[held] - LOOPED)
    return _salted(sums, salt)


def _words(part: TextBytes) -> Hashes:
    """The number that eight bytes make, from every byte on; zeros follow the last."""
    padded = np.zeros(len(part.data) + WORD, np.uint8)
    padded[: len(part.data)] = part.data
    return np.ndarray((len(part.data) + 1,), "<u8", padded, strides=(1,))


def _rest(words: Hashes, starts: NDArray[np.int64], lengths: NDArray[np.int64]) -> Hashes:
    """The sum for what lies beyond the first bytes of long texts, all their words at once."""
    counts = -(-lengths // WORD)
    ends = np.cumsum(counts)
    done = (np.arange(ends[-1]) - np.repeat(ends - counts, counts)) * WORD
    found = words[np.repeat(starts, counts) + done]
    found &= _KEPT[np.minimum(np.repeat(lengths, counts) - done, WORD)]
    found += _key((done + LOOPED) // WORD)
    sums: Hashes = np.add.reduceat(mix(found), ends - counts)
    return sums


def _key(place: Any) -> Any:
    """What sets a word apart by its place in the text."""
    return np.multiply(np.asarray(place, np.uint64) + np.uint64(1), _GOLDEN)
