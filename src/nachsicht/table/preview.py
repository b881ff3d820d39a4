"""The few rows that are shown: the first, the last, and some that are drawn evenly."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.numeric import as_numbers
from nachsicht.columns.cell_text import short_texts
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.profile import Excerpt
from nachsicht.sketches.row_sample import RowSample

#: Rows at either end, and rows that are drawn.
SHOWN, DRAWN = 5, 10
#: Columns beyond these are not shown.
MOST_COLUMNS = 60


class EndsPart(msgspec.Struct, frozen=True):
    """The first and the last rows, as tables, and how many rows there are."""

    first: Any
    last: Any
    rows: int

    def merge(self, other: EndsPart) -> EndsPart:
        """Put the part of later rows behind this one."""
        first = _joined(self.first, other.first).slice(0, SHOWN)
        last = _joined(self.last, other.last)
        return EndsPart(first, last.slice(max(last.num_rows - SHOWN, 0)), self.rows + other.rows)

    def finish(self, sample: RowSample | None, columns: Sequence[ColumnSummary]) -> Excerpt:
        """The rows as texts; of the drawn rows, those that were drawn first."""
        overlap = max(0, self.first.num_rows + self.last.num_rows - self.rows)
        drawn: Any = None
        if sample is not None and self.rows > 3 * SHOWN:
            chosen = np.sort(sample.order[:DRAWN])
            drawn = taken(sample.rows, chosen)
        last = self.last.slice(overlap)
        outlying = [
            _outlying(part, columns) if part is not None else ()
            for part in (self.first, drawn, last)
        ]
        return Excerpt(
            columns=tuple(self.first.schema.names[:MOST_COLUMNS]),
            first=_texts(self.first),
            sampled=_texts(drawn) if drawn is not None else (),
            last=_texts(last),
            outlier_rows=tuple(tuple(sorted({row for row, _ in part})) for part in outlying),
            outlier_cells=tuple(outlying),
        )


def observe_ends(batch: Any) -> EndsPart:
    """The ends of one batch: a table or record batch."""
    table = batch if isinstance(batch, pa.Table) else pa.Table.from_batches([batch])
    few = table.select(range(min(table.num_columns, MOST_COLUMNS)))
    start = max(few.num_rows - SHOWN, 0)
    first, last = _copied(few.slice(0, SHOWN)), _copied(few.slice(start))
    return EndsPart(first, last, table.num_rows)


def _copied(rows: Any) -> Any:
    """Rows by themselves: a slice keeps all rows, and takes them along where it is sent."""
    kept = pa.BufferOutputStream()
    with pa.ipc.new_stream(kept, rows.schema) as stream:
        stream.write_table(rows)
    return pa.ipc.open_stream(kept.getvalue()).read_all()


def _outlying(table: Any, columns: Sequence[ColumnSummary]) -> tuple[tuple[int, int], ...]:
    """Cells of a part, by row and column from 0, that are beyond Tukey's fences."""
    found: list[tuple[int, int]] = []
    for column in columns[:MOST_COLUMNS]:
        numbers = as_numbers(table.column(column.position))
        fences = column.stats.outliers if isinstance(column.stats, QuantitySummary) else None
        if numbers and fences:
            values, present = numbers
            far = present & ((values < fences.low_fence) | (values > fences.high_fence))
            found += [(row, column.position) for row in np.flatnonzero(far).tolist()]
    return tuple(sorted(found))


def _joined(one: Any, other: Any) -> Any:
    return pa.concat_tables([one, other], promote_options="permissive")


def _texts(table: Any) -> tuple[tuple[str | None, ...], ...]:
    columns = [short_texts(column) for column in table.columns[:MOST_COLUMNS]]
    return tuple(zip(*columns, strict=True)) if columns else ()
