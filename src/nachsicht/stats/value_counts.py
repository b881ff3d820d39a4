"""The part that keeps a column's different texts with their counts."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.arrow.buffers import arrow_of, arrow_texts, missing_in, values_of
from nachsicht.arrow.codes import rows_by_code
from nachsicht.arrow.hashing import hash_values
from nachsicht.arrow.text_buffer import (
    Measured,
    TextBytes,
    bytes_of,
    counted,
    counted_by_hashes,
    encoded,
    first_texts,
    measured,
    texts_at,
)

#: Fewer texts are numbered, whatever they are.
FEWEST_DIFFERENT = 1 << 16
#: So many texts tell whether most are different: where half of a million are, 17 of them repeat.
_TRIAL, _PIECES = 4096, 16
_MOSTLY = 0.99

_SCHEMA = pa.schema([("value", pa.large_string()), ("count", pa.int64())])


class ValueCountsPart(msgspec.Struct, frozen=True):
    """Tables of (value, count), and how many rows are missing. Exact."""

    chunks: tuple[Any, ...]
    missing: int

    def merge(self, other: ValueCountsPart) -> ValueCountsPart:
        """Put two parts together."""
        return ValueCountsPart(self.chunks + other.chunks, self.missing + other.missing)

    def counted(self) -> ValueCounts:
        """Add up the counts of equal values."""
        return merge_value_counts([ValueCounts(chunk) for chunk in self.chunks])


def observe_texts(array: Any) -> ValueCountsPart:
    """Count the different values of a dictionary of strings by its codes.

    Those of a string array, which is left as one where most are different, by their hashes.
    """
    if not pa.types.is_dictionary(array.type):
        return _observe_different(array)
    missing = int(missing_in(array).sum())
    table = _count_codes(array)
    return ValueCountsPart((table,) if table.num_rows else (), missing)


def mostly_different(array: Any) -> bool:
    """Whether most texts of a string array stand once, as some of its rows tell.

    Few different ones are numbered fast, since the table that knows them stays in the cache;
    many are sorted faster by their hashes.
    """
    if len(array) < FEWEST_DIFFERENT:
        return False
    starts = np.linspace(0, len(array) - _TRIAL // _PIECES, _PIECES).astype(int).tolist()
    pieces = [array.slice(start, _TRIAL // _PIECES) for start in starts]
    trial = pa.concat_tables([pa.table([piece], ["text"]) for piece in pieces])["text"]
    present = trial.cast(pa.large_string()).drop_null()
    return bool(pc.count_distinct(present).as_py() >= _MOSTLY * max(len(present), 1))


def _observe_different(array: Any) -> ValueCountsPart:
    chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
    present = pa.concat_arrays([chunk.cast(pa.large_string()).drop_null() for chunk in chunks])
    counted = counted_by_hashes(present, hash_values(present))
    if counted is None:  # two texts share a hash, which hardly ever happens
        return observe_texts(encoded(array))
    return ValueCountsPart(
        (ValueCounts.of(*counted).table,) if len(present) else (), array.null_count
    )


def observe_flags(array: Any) -> ValueCountsPart:
    """Count the true and the false of a boolean array, as texts."""
    true, missing = int(pc.sum(array).as_py() or 0), array.null_count
    counts = {"true": true, "false": len(array) - missing - true}
    words = [word for word, count in counts.items() if count]
    table = ValueCounts.of(
        arrow_texts(words), np.array([counts[word] for word in words], np.int64)
    ).table
    return ValueCountsPart((table,) if words else (), missing)


def _count_codes(array: Any) -> Any:
    """(value, count) of one dictionary array; levels that do not occur are left out."""
    words = array.dictionary.cast(pa.large_string())
    codes = values_of(array.indices)
    if array.indices.null_count:
        codes = codes[~missing_in(array.indices)]
    counts = rows_by_code(codes, len(words))
    seen = np.flatnonzero(counts)
    if words.null_count:  # a dictionary may itself hold a null
        seen = seen[~missing_in(words)[seen]]
    if len(seen) < len(words):
        words, counts = words.take(arrow_of(seen)), counts[seen]
    return pa.Table.from_arrays([words, arrow_of(counts)], schema=_SCHEMA)


def merge_value_counts(tallies: Sequence[ValueCounts]) -> ValueCounts:
    """Several tallies as one."""
    if not tallies:
        return ValueCounts.of(pa.nulls(0, pa.large_string()), np.empty(0, np.int64))
    if len(tallies) == 1:
        return tallies[0]
    values = pa.concat_arrays([tally.values for tally in tallies])
    counts = np.concatenate([tally.counts for tally in tallies])
    return ValueCounts.of(*counted(bytes_of(values), counts))


class ValueCounts(msgspec.Struct, frozen=True, dict=True):
    """Different texts and their counts, in no order."""

    table: Any

    @staticmethod
    def of(values: Any, counts: NDArray[np.int64]) -> ValueCounts:
        """A tally of different texts (a large string array) and their counts."""
        return ValueCounts(pa.Table.from_arrays([values, arrow_of(counts)], schema=_SCHEMA))

    @kept
    def values(self) -> Any:
        """The different texts, as an Arrow array."""
        column = self.table.column("value")
        return column.chunk(0) if column.num_chunks == 1 else column.combine_chunks()

    @kept
    def bytes(self) -> TextBytes:
        """The bytes of the different texts."""
        return bytes_of(self.values)

    @kept
    def counts(self) -> NDArray[np.int64]:
        """In how many rows each stands."""
        return values_of(self.table.column("count"))

    @kept
    def measured(self) -> Measured:
        """What one pass over the bytes tells of each text."""
        return measured(self.bytes)

    @property
    def distinct(self) -> int:
        """How many different texts there are."""
        return int(self.table.num_rows)

    def without(self, marks: Collection[str]) -> ValueCounts:
        """The tally without some values."""
        if not marks or not self.distinct:
            return self
        kept = ~values_of(pc.is_in(self.values, arrow_texts(marks)))
        return self if kept.all() else ValueCounts(self.table.take(arrow_of(np.flatnonzero(kept))))

    def top(self, most: int, order: str = "descending") -> list[tuple[str, int]]:
        """The most frequent texts (or, ascending, the rarest); ties in the order of the text."""
        falling = order == "descending"
        chosen = first_texts(self.bytes, self.counts, most, falling=falling)
        counts, texts = self.counts[chosen].tolist(), texts_at(self.bytes, chosen).to_pylist()
        places = sorted(range(len(texts)), key=texts.__getitem__)
        places.sort(key=counts.__getitem__, reverse=falling)
        return [(texts[place], counts[place]) for place in places]
