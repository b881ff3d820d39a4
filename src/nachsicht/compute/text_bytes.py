"""Texts as one run of bytes with offsets, so that work on them is vectorised."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

#: Bytes that are worked on at once: what is made of them should stay in the cache.
SLICE = 1 << 18


class TextBytes(NamedTuple):
    """``data[offsets[i] - offsets[0] : offsets[i + 1] - offsets[0]]`` are the bytes of text i."""

    data: NDArray[np.uint8]
    offsets: NDArray[np.int64]

    @property
    def lengths(self) -> NDArray[np.int64]:
        """Bytes of each text."""
        lengths: NDArray[np.int64] = np.diff(self.offsets)
        return lengths

    @property
    def starts(self) -> NDArray[np.int64]:
        """Where each text begins in ``data``."""
        starts: NDArray[np.int64] = self.offsets[:-1] - self.offsets[0]
        return starts

    def sums(self, values: NDArray[Any]) -> NDArray[Any]:
        """The sum of a number for each byte, over each text; 0 for empty texts."""
        sums: NDArray[Any] = np.zeros(len(self.offsets) - 1, values.dtype)
        filled = np.flatnonzero(self.lengths)
        if len(filled):
            sums[filled] = np.add.reduceat(values, self.starts[filled])
        return sums


def slices_of(texts: Any) -> Iterator[TextBytes]:
    """The bytes of a string or binary array, in slices of bounded size, without a copy."""
    large = pa.large_binary()
    texts = texts if texts.type == large else texts.cast(large)
    _, offset_buffer, data_buffer = texts.buffers()
    if not len(texts):
        return
    offsets = np.frombuffer(offset_buffer, np.int64)[texts.offset : texts.offset + len(texts) + 1]
    data = np.frombuffer(data_buffer or b"", np.uint8)
    start = 0
    while start < len(texts):
        reach = int(np.searchsorted(offsets, offsets[start] + SLICE, "right")) - 1
        stop = max(start + 1, min(reach, len(texts)))
        part = offsets[start : stop + 1]
        yield TextBytes(data[part[0] : part[-1]], part)
        start = stop


#: Which bytes are ASCII white space.
SPACE = np.zeros(256, bool)
SPACE[[9, 10, 11, 12, 13, 32]] = True


def count_words(texts: Any) -> NDArray[np.int64]:
    """Runs without ASCII white space in each text."""
    counts = []
    for part in slices_of(texts):
        space = SPACE[part.data]
        begins = ~space
        begins[1:] &= space[:-1]
        filled = part.starts[part.lengths > 0]
        begins[filled] = ~space[filled]  # a text begins anew whatever stood before it
        counts.append(part.sums(begins.astype(np.int64)))
    return np.concatenate(counts) if counts else np.empty(0, np.int64)


def edge_bytes(texts: Any) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """The first and last byte of each text; 0 for empty ones."""
    ends = []
    for part in slices_of(texts):
        both = np.zeros((2, len(part.lengths)), np.uint8)
        filled = np.flatnonzero(part.lengths)
        starts = part.starts[filled]
        both[0, filled] = part.data[starts]
        both[1, filled] = part.data[starts + part.lengths[filled] - 1]
        ends.append(both)
    together = np.concatenate(ends, axis=1) if ends else np.zeros((2, 0), np.uint8)
    return together[0], together[1]


def pure_ascii(texts: Any) -> NDArray[np.bool_]:
    """Whether each text holds ASCII only."""
    flags = [part.sums((part.data >= 128).astype(np.int64)) == 0 for part in slices_of(texts)]
    return np.concatenate(flags) if flags else np.empty(0, bool)


_SHAPE = np.arange(256, dtype=np.uint8)
_SHAPE[ord("A") : ord("Z") + 1] = ord("A")
_SHAPE[ord("a") : ord("z") + 1] = ord("a")
_SHAPE[ord("0") : ord("9") + 1] = ord("9")


_LOWER = np.full(256, 32, np.uint8)
for _kept in (b"abcdefghijklmnopqrstuvwxyz", b"0123456789", b"_'"):
    _LOWER[list(_kept)] = list(_kept)
_LOWER[ord("A") : ord("Z") + 1] = _LOWER[ord("a") : ord("z") + 1]


def ascii_shapes(texts: Any) -> Any:
    """ASCII texts with every letter as A or a and every digit as 9, as a large string array."""
    return _mapped(texts, _SHAPE)


def lower_words(texts: Any) -> Any:
    """ASCII texts in lower case, with a space for all that belongs to no word."""
    return _mapped(texts, _LOWER)


def _mapped(texts: Any, table: NDArray[np.uint8]) -> Any:
    if not len(texts):
        return pa.array([], pa.large_string())
    arrays = []
    for part in slices_of(texts):
        offsets = np.ascontiguousarray(part.offsets - part.offsets[0])
        mapped = table[part.data]
        buffers = [None, pa.py_buffer(offsets), pa.py_buffer(mapped)]
        arrays.append(pa.Array.from_buffers(pa.large_string(), len(offsets) - 1, buffers))
    return pa.concat_arrays(arrays)
