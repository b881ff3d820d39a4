"""The part that keeps a column's different texts with their counts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import arrow_of, values_of

_SCHEMA = pa.schema([("value", pa.large_string()), ("count", pa.int64())])


@dataclass(frozen=True)
class TallyPart:
    """Tables of (value, count), and how many rows are missing. Exact."""

    chunks: tuple[Any, ...]
    missing: int

    def merge(self, other: TallyPart) -> TallyPart:
        """Put two parts together."""
        return TallyPart(self.chunks + other.chunks, self.missing + other.missing)

    def counted(self) -> Tally:
        """Add up the counts of equal values."""
        if not self.chunks:
            return Tally(_SCHEMA.empty_table())
        if len(self.chunks) == 1:
            return Tally(self.chunks[0])
        table = pa.concat_tables(self.chunks).combine_chunks()
        return add_up(table.column("value"), values_of(table.column("count")))


def observe_texts(array: Any) -> TallyPart:
    """Count the different values of a string array."""
    pairs = pc.value_counts(array.cast(pa.large_string()).drop_null())
    if len(pairs) == 0:
        return TallyPart((), array.null_count)
    table = pa.Table.from_arrays([pairs.field("values"), pairs.field("counts")], schema=_SCHEMA)
    return TallyPart((table,), array.null_count)


def add_up(values: Any, counts: NDArray[np.int64]) -> Tally:
    """The tally of texts that may repeat, from one count for each."""
    encoded = values.combine_chunks() if isinstance(values, pa.ChunkedArray) else values
    encoded = pc.dictionary_encode(encoded.cast(pa.large_string()))
    words = encoded.dictionary
    # Sums of counts as float64 are exact up to 2**53 rows.
    sums = np.bincount(values_of(encoded.indices), counts, len(words)).astype(np.int64)
    return Tally(pa.Table.from_arrays([words, arrow_of(sums)], schema=_SCHEMA))


@dataclass(frozen=True)
class Tally:
    """Different texts and their counts, in no order."""

    table: Any

    @property
    def values(self) -> Any:
        """The different texts, as an Arrow array."""
        return self.table.column("value").combine_chunks()

    @property
    def counts(self) -> NDArray[np.int64]:
        """In how many rows each stands."""
        return values_of(self.table.column("count"))

    @property
    def distinct(self) -> int:
        """How many different texts there are."""
        return int(self.table.num_rows)

    def top(self, most: int, order: str = "descending") -> list[tuple[str, int]]:
        """The most frequent texts (or, ascending, the rarest); ties in the order of the text."""
        if not self.distinct:
            return []
        keys = [("count", order), ("value", "ascending")]
        chosen = self.table.take(
            pc.select_k_unstable(self.table, min(most, self.distinct), sort_keys=keys)
        )
        return list(
            zip(chosen.column("value").to_pylist(), chosen.column("count").to_pylist(), strict=True)
        )
