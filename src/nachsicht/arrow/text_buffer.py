"""Texts as one run of bytes with places in it, so that one pass serves them all."""

from __future__ import annotations

from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.kernels import dictionary
from nachsicht.kernels import text as kernels
from nachsicht.kernels.ranks import repeated, runs_of

#: Which bytes are ASCII white space.
SPACE = np.zeros(256, bool)
SPACE[[9, 10, 11, 12, 13, 32]] = True

#: So many short runs of texts are sorted together.
_SHORT_AT_ONCE = 1 << 20
#: From which numbers on texts are longer than one byte, two, and so on up to seven.
_LONGER = np.left_shift(np.uint64(1), np.arange(8, 64, 8).astype(np.uint64))


class TextBytes(NamedTuple):
    """``data[starts[i] : stops[i]]`` are the bytes of text i."""

    data: NDArray[np.uint8]
    starts: NDArray[np.int64]
    stops: NDArray[np.int64]

    def at(self, places: NDArray[Any]) -> TextBytes:
        """Some of the texts."""
        return TextBytes(self.data, self.starts[places], self.stops[places])

    def shapes(self) -> TextBytes:
        """The texts with every letter as A or a, every digit as 9; of ASCII."""
        into = np.empty_like(self.data)
        kernels.shaped(self.data, into)
        return self._replace(data=into)

    def in_words(self) -> TextBytes:
        """The texts in lower case, with a space for all that belongs to no word; of ASCII."""
        into = np.empty_like(self.data)
        kernels.in_words(self.data, into)
        return self._replace(data=into)

    def may_hold(self, text: str) -> bool:
        """Whether all bytes of a text occur, so that it is worth to look for."""
        return all(kernels.has_byte(self.data, byte) for byte in text.encode())

    def beginnings(self, most: int) -> TextBytes:
        """The texts, cut after so many bytes."""
        return self._replace(stops=np.minimum(self.stops, self.starts + most))


def bytes_of(texts: Any) -> TextBytes:
    """The bytes of a string or binary array; without a copy of a large one."""
    large = pa.large_binary()
    texts = texts if texts.type == large else texts.cast(large)
    if not len(texts):
        return TextBytes(np.empty(0, np.uint8), np.empty(0, np.int64), np.empty(0, np.int64))
    _, offset_buffer, data_buffer = texts.buffers()
    offsets = np.frombuffer(offset_buffer, np.int64)[texts.offset : texts.offset + len(texts) + 1]
    data = np.frombuffer(data_buffer or b"", np.uint8)[: offsets[-1]]
    if offsets[0]:
        data, offsets = data[offsets[0] :], offsets - offsets[0]
    return TextBytes(data, offsets[:-1], offsets[1:])


def texts_at(texts: TextBytes, places: NDArray[np.int64]) -> Any:
    """Some of the texts, as a large string array."""
    few = texts.at(places)
    offsets = np.zeros(len(places) + 1, np.int64)
    np.cumsum(few.stops - few.starts, out=offsets[1:])
    into = np.empty(offsets[-1], np.uint8)
    kernels.gathered(*few, into)
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(into)]
    return pa.Array.from_buffers(pa.large_string(), len(places), buffers)


class Measured(msgspec.Struct, frozen=True):
    """Of each text its characters (code points), words (runs without ASCII white space), whether
    it is ASCII, and its first and last byte (0 where it is empty); and which bytes occur at all.
    """

    characters: NDArray[np.int32]
    words: NDArray[np.int32]
    ascii: NDArray[np.bool_]
    first: NDArray[np.uint8]
    last: NDArray[np.uint8]


def measured(texts: TextBytes) -> Measured:
    """One pass over the bytes."""
    n = len(texts.starts)
    characters, words = np.empty(n, np.int32), np.empty(n, np.int32)
    plain, first, last = np.empty(n, np.uint8), np.empty(n, np.uint8), np.empty(n, np.uint8)
    kernels.measure(*texts, characters, words, plain, first, last)
    return Measured(characters, words, plain.view(bool), first, last)


class Coded(NamedTuple):
    """The number of each text among the different ones, and these, as a large string array."""

    codes: NDArray[np.int32]
    texts: Any


def coded(texts: TextBytes) -> Coded:
    """Number the different texts in the order in which they first occur."""
    coder = dictionary.DictionaryEncoder()
    return Coded(_codes(coder, *texts), _texts_of(coder))


def _codes(
    coder: dictionary.DictionaryEncoder,
    data: NDArray[np.uint8],
    starts: NDArray[Any],
    stops: NDArray[Any],
) -> NDArray[np.int32]:
    codes = np.empty(len(starts), np.int32)
    coder.add(data, starts, stops, codes)
    return codes


def dictionary_of(
    codes: NDArray[np.int32], words: Any, missing: NDArray[np.bool_] | None = None
) -> Any:
    """An Arrow dictionary array; where missing, the codes may be any."""
    valid = None
    if missing is not None:
        valid = pa.py_buffer(np.packbits(~missing, bitorder="little"))
    indices = pa.Array.from_buffers(pa.int32(), len(codes), [valid, pa.py_buffer(codes)])
    return pa.DictionaryArray.from_arrays(indices, words)


def encoded(array: Any) -> Any:
    """A string array, chunked or not, as one dictionary array of large strings."""
    chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
    chunks = [c.cast(pa.large_string()) if pa.types.is_string_view(c.type) else c for c in chunks]
    missing = missing_in(array) if array.null_count else None
    codes = np.zeros(len(array), np.int32)
    coder, done = dictionary.DictionaryEncoder(), 0
    for chunk in chunks:
        data, offsets = _buffers(chunk)
        rows = codes[done : done + len(chunk)]
        if not chunk.null_count:
            coder.add(data, offsets[:-1], offsets[1:], rows)
        else:
            there = np.flatnonzero(~missing_in(chunk))
            rows[there] = _codes(coder, data, offsets[there], offsets[there + 1])
        done += len(chunk)
    return dictionary_of(codes, _texts_of(coder), missing)


def _buffers(texts: Any) -> tuple[NDArray[np.uint8], NDArray[Any]]:
    """The data of an array of texts, and where in it each begins and the last ends."""
    width = np.int64 if pa.types.is_large_string(texts.type) else np.int32
    if not len(texts):
        return np.empty(0, np.uint8), np.zeros(1, width)
    _, offset_buffer, data_buffer = texts.buffers()
    offsets = np.frombuffer(offset_buffer, width)[texts.offset : texts.offset + len(texts) + 1]
    return np.frombuffer(data_buffer or b"", np.uint8), offsets


def _texts_of(coder: dictionary.DictionaryEncoder) -> Any:
    """The different texts, as a large string array."""
    offsets = np.empty(coder.found + 1, np.int64)
    data = np.empty(coder.byte_count(), np.uint8)
    coder.texts(offsets, data)
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(data)]
    return pa.Array.from_buffers(pa.large_string(), coder.found, buffers)


class Counted(NamedTuple):
    """Different texts, as a large string array, and in how many rows each stands."""

    texts: Any
    counts: NDArray[np.int64]


def counted(texts: TextBytes, rows: NDArray[np.int64]) -> Counted:
    """Add up the rows of texts that may repeat, each standing in so many of them."""
    coder = dictionary.DictionaryEncoder()
    coder.count(_codes(coder, *texts), np.ascontiguousarray(rows))
    return _counted(coder)


def counted_by_hashes(texts: Any, hashes: NDArray[np.uint64]) -> Counted | None:
    """The different ones of a large string array without nulls, in the order in which they occur.

    Equal texts have equal hashes. None where texts that are not equal have them too.
    """
    places, starts = repeated(hashes)
    if not kernels.equal_in_runs(*bytes_of(texts), places, starts):
        return None
    rows = np.ones(len(texts), np.int64)
    rows[places] = 0
    rows[places[starts]] = np.diff(starts, append=len(places))
    first = rows > 0
    return Counted(_where(first, texts), rows[first])


def _where(flags: NDArray[np.bool_], texts: Any) -> Any:
    """Those of a large string array without nulls that are flagged."""
    all_bytes, found = bytes_of(texts), int(np.count_nonzero(flags))
    offsets, into = np.empty(found + 1, np.int64), np.empty_like(all_bytes.data)
    kernels.kept(*all_bytes, flags.view(np.uint8), offsets, into)
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(into[: offsets[-1]])]
    return pa.Array.from_buffers(pa.large_string(), found, buffers)


def counted_runs(texts: TextBytes, rows: NDArray[np.int64], between: str = " ") -> Counted:
    """As `counted`, of the runs of texts without one byte, each counting where it occurs.

    Most are short, and stand in texts of one row: these are sorted as numbers, so that each
    different one is looked up once and not wherever it occurs.
    """
    coder, next_text = dictionary.DictionaryEncoder(), 0
    numbered: list[TextBytes] = []
    rows = np.ascontiguousarray(rows)
    # Of two runs in a text there is a byte between, and a text may have one more.
    short = np.empty(min(_SHORT_AT_ONCE, (len(texts.data) + len(rows)) // 2), np.uint64)
    while next_text < len(rows):
        put_down, next_text = coder.count_runs(*texts, ord(between), rows, next_text, short)
        short[:put_down].sort()
        numbers, counts = runs_of(short[:put_down])
        words = _texts_of_numbers(numbers)
        coder.count(_codes(coder, *words), counts)
        numbered.append(words)  # the coder keeps places in them
    return _counted(coder)


def _texts_of_numbers(numbers: NDArray[np.uint64]) -> TextBytes:
    """The texts of one to eight bytes that different numbers stand for, which rise."""
    by_length = np.diff(np.searchsorted(numbers, _LONGER), prepend=0, append=len(numbers))
    starts = np.arange(0, 8 * len(numbers), 8)
    stops = starts + np.repeat(np.arange(1, 9), by_length)
    return TextBytes(numbers.astype("<u8", copy=False).view(np.uint8), starts, stops)


def _counted(coder: dictionary.DictionaryEncoder) -> Counted:
    counts = np.empty(coder.found, np.int64)
    coder.counts(counts)
    return Counted(_texts_of(coder), counts)


def first_texts(
    texts: TextBytes, keys: NDArray[np.int64], most: int, *, falling: bool
) -> NDArray[np.int64]:
    """Places of the texts with the smallest keys, or the largest; in no order.

    Of equal keys those of the texts that come first.
    """
    if falling:  # of texts that are mostly different few stand more than once
        often = np.flatnonzero(keys > 1)
        if most <= len(often) < len(keys):
            return often[first_texts(texts.at(often), keys[often], most, falling=True)]
    chosen = np.empty(min(most, len(keys)), np.int64)
    if len(chosen):
        kernels.first_texts(*texts, np.ascontiguousarray(keys), falling, chosen)
    return chosen
