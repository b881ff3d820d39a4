"""Arrow arrays as NumPy arrays and back, over their buffers.

Arrow's own conversions import pandas wherever it is installed, which takes longer than
reading a small file; these do not, and copy nothing where one chunk is given.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.dictionary import with_columns

_FLOATS = {16: np.float16, 32: np.float32, 64: np.float64}
_ARROW = {"int64": pa.int64(), "uint64": pa.uint64(), "float64": pa.float64()}


def values_of(array: Any) -> NDArray[Any]:
    """Numbers, booleans or datetimes of an array or chunked array; where null, of any value.

    Datetimes come as whole numbers of their unit.
    """
    chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
    parts = [_chunk(chunk) for chunk in chunks]
    if len(parts) == 1:
        return parts[0]
    return np.concatenate(parts) if parts else np.empty(0, _numpy_type(array.type))


def missing_in(array: Any) -> NDArray[np.bool_]:
    """Where an array of any type is null or NaN."""
    types, stored = pa.types, array.type
    if types.is_floating(stored) and array.null_count == 0:
        chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
        parts = [np.isnan(_chunk(chunk)) for chunk in chunks]
        return np.concatenate(parts) if parts else np.empty(0, np.bool_)
    if array.null_count == 0 and not types.is_dictionary(stored):
        return np.zeros(len(array), np.bool_)
    if types.is_dictionary(stored) and isinstance(array, pa.DictionaryArray):
        words = array.dictionary
        if words.null_count == 0 and not types.is_floating(words.type):
            # Far faster than to ask of every row whether its level is null.
            return missing_in(array.indices)
    return values_of(pc.is_null(array, nan_is_null=True))


def arrow_of(values: NDArray[Any]) -> Any:
    """An Arrow array over int64, uint64 or float64 numbers."""
    values = np.ascontiguousarray(values)
    return pa.Array.from_buffers(
        _ARROW[values.dtype.name], len(values), [None, pa.py_buffer(values)]
    )


def arrow_texts(texts: Iterable[str]) -> Any:
    """A large string array of Python texts."""
    encoded = [text.encode("utf-8") for text in texts]
    offsets = np.cumsum([0, *map(len, encoded)], dtype=np.int64)
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(b"".join(encoded))]
    return pa.Array.from_buffers(pa.large_string(), len(encoded), buffers)


def _chunk(array: Any) -> NDArray[Any]:
    start, stop = array.offset, array.offset + len(array)
    buffer = array.buffers()[1]
    if len(array) == 0 or buffer is None:
        return np.zeros(len(array), _numpy_type(array.type))
    if pa.types.is_boolean(array.type):
        packed = np.frombuffer(buffer, np.uint8)[start // 8 : stop // 8 + 1]
        bits = np.unpackbits(packed, bitorder="little")
        return bits[start % 8 : start % 8 + len(array)].view(np.bool_)
    return np.frombuffer(buffer, _numpy_type(array.type))[start:stop]


def _numpy_type(stored: Any) -> np.dtype[Any]:
    types = pa.types
    if types.is_boolean(stored):
        return np.dtype(np.bool_)
    if types.is_floating(stored):
        return np.dtype(_FLOATS[stored.bit_width])
    sign = "u" if types.is_unsigned_integer(stored) else "i"
    return np.dtype(f"{sign}{stored.bit_width // 8}")


def taken(data: Any, places: NDArray[np.int64]) -> Any:
    """The rows of a table, array or chunked array at some places."""
    if isinstance(data, pa.Table):
        return with_columns(data, [taken(column, places) for column in data.columns])
    if data.type == pa.string_view() or data.type == pa.binary_view():  # has no take of its own
        data = data.cast(pa.large_string() if data.type == pa.string_view() else pa.large_binary())
    return data.take(arrow_of(places))
