"""One column from its batches to its summary: observe, merge, finish."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.arrow.text_buffer import encoded
from nachsicht.arrow.types import is_text
from nachsicht.columns.approximate import (
    CondensedNumbers,
    CondensedTexts,
    compact,
    condense,
    condense_numbers,
    kept_bytes,
)
from nachsicht.columns.cell_text import cell_text
from nachsicht.columns.kinds.protocol import Body, ColumnFacts
from nachsicht.columns.kinds.registry import infer_column, type_handler
from nachsicht.columns.numeric_state import NumberPart
from nachsicht.config.settings import Settings
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import ColumnDescription
from nachsicht.stats.value_counts import (
    ValueCountsPart,
    mostly_different,
)


class ColumnPart(msgspec.Struct, frozen=True):
    """What is known of a column after some of its rows. Merged in the order of the rows."""

    stored: Any
    rows: int
    memory_bytes: int
    first: str | None
    last: str | None
    body: Body

    def merge(self, other: ColumnPart) -> ColumnPart:
        """Put the part of later rows behind this one."""
        return ColumnPart(
            self.stored,
            self.rows + other.rows,
            self.memory_bytes + other.memory_bytes,
            self.first if self.first is not None else other.first,
            other.last if other.last is not None else self.last,
            merge_bodies(self.body, other.body),
        )

    def within(self, most_bytes: int, all_rows: int = 0) -> ColumnPart:
        """The part, condensed if its values take more memory than that.

        With ``all_rows``, those of the data, numbers that will outgrow it are condensed at once.
        """
        body = self.body
        if isinstance(body, NumberPart) and self.rows and all_rows:
            most_bytes = most_bytes * self.rows // all_rows
        if not isinstance(body, NumberPart | ValueCountsPart) or kept_bytes(body) <= most_bytes:
            return self
        body = compact(body)
        return msgspec.structs.replace(
            self, body=condense(body) if kept_bytes(body) > most_bytes else body
        )


def merge_bodies(a: Body, b: Body) -> Body:
    """Put two parts of one column together; if one is condensed, so is the other."""
    if isinstance(a, CondensedNumbers) and isinstance(b, NumberPart):
        return condense_numbers(b, onto=a)
    if isinstance(a, CondensedTexts) and isinstance(b, ValueCountsPart):
        b = condense(b)
    elif isinstance(b, CondensedNumbers | CondensedTexts) and isinstance(
        a, NumberPart | ValueCountsPart
    ):
        a = condense(a)
    merged: Body = a.merge(b)
    return merged


def observe_column(array: Any, same: Any = None, stored: Any = None) -> ColumnPart:
    """Take in one batch of a column.

    Parameters
    ----------
    array : Arrow array or chunked array
        Of any type.
    same : Arrow dictionary array, optional
        The same values from `encode`, if that was done before.
    stored : Arrow type, optional
        In which the column is stored, where it was read as another.
    """
    if same is None:
        same = encode(array)
    body = type_handler(same.type).observe(same)
    first, last = _ends(same)
    stored = array.type if stored is None else stored
    memory = array.nbytes if stored == array.type else _bytes_of_texts(array, body, stored)
    return ColumnPart(stored, len(array), memory, first, last, body)


def _bytes_of_texts(array: Any, body: Body, stored: Any) -> int:
    """Memory that a dictionary array would take if its texts were spelt out for every row."""
    assert isinstance(body, ValueCountsPart)
    chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
    tally = body.counted()
    lengths = tally.bytes.stops - tally.bytes.starts
    width = 8 if pa.types.is_large_string(stored) else 4
    gaps = sum(-(-len(chunk) // 8) for chunk in chunks if chunk.null_count)
    return int(lengths @ tally.counts) + width * len(array) + gaps


def encode(array: Any) -> Any:
    """Texts as a dictionary array, which counts and hashes can share; others as they are.

    Texts that are mostly different stay as they are too.
    """
    stored = array.type
    if pa.types.is_dictionary(stored) and not is_text(stored.value_type):
        return array.cast(stored.value_type)
    if is_text(stored):
        return array if mostly_different(array) else encoded(array)
    if pa.types.is_dictionary(stored) and isinstance(array, pa.ChunkedArray):
        # One dictionary for all chunks, so that no value is counted or hashed twice.
        return array.unify_dictionaries().combine_chunks()
    return array


def finish_column(
    part: ColumnPart,
    name: str,
    position: int,
    settings: Settings,
    now: int | None = None,
    described: ColumnDescription | None = None,
) -> ColumnSummary:
    """Judge the kind and compute the summary.

    ``now`` is the time in microseconds since 1970, to tell datetimes that lie in the future;
    ``described`` what a description says of the column.
    """
    return read_column(part, name, position, settings, now, described)[0]


def read_column(
    part: ColumnPart,
    name: str,
    position: int,
    settings: Settings,
    now: int | None = None,
    described: ColumnDescription | None = None,
) -> tuple[ColumnSummary, NDArray[Any] | None]:
    """As `finish_column`, with the finite values of a quantity in rising order."""
    facts = ColumnFacts(name, part.stored, part.rows, now)
    column = infer_column(part.body, facts, settings.kinds.get(name), described)
    kind, reason = column.judgement
    counts = column.counts
    missing = part.rows - counts.present
    summary = ColumnSummary(
        name=name,
        position=position,
        dtype=str(part.stored),
        kind=kind,
        kind_reason=reason,
        unit=column.unit or (described.unit if described else None) or None,
        text_format=column.text_format,
        rows=part.rows,
        missing=missing,
        distinct=counts.distinct,
        unique_once=counts.once,
        collision_probability=(counts.squares + missing**2) / max(part.rows, 1) ** 2,
        memory_bytes=part.memory_bytes,
        top_values=column.top(settings.top_values, "descending"),
        rare_values=column.top(settings.top_values, "ascending"),
        first_value=part.first,
        last_value=part.last,
        stats=column.summarise(settings),
        error_bounds=counts.error_bounds,
    )
    return summary, column.sorted_values


def _ends(array: Any) -> tuple[str | None, str | None]:
    """First and last present value, as text."""
    if pa.types.is_null(array.type) or pa.types.is_nested(array.type):
        return None, None
    size = 1024
    while True:  # a short piece of either end tells, but where many are missing
        head, tail = array[:size], array[max(len(array) - size, 0) :]
        ends = np.flatnonzero(~missing_in(head)), np.flatnonzero(~missing_in(tail))
        if (len(ends[0]) and len(ends[1])) or size >= len(array):
            break
        size *= 32
    if not len(ends[0]):
        return None, None
    first, last = int(ends[0][0]), int(ends[1][-1])
    return cell_text(head.slice(first, 1)), cell_text(tail.slice(last, 1))
