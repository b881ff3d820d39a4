"""In which levels of other columns the gaps of a column lie."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.compute.arrays import missing_in, values_of
from nachsicht.model.column import CategorySummary, ColumnSummary
from nachsicht.model.profile import GapsByLevel

#: Columns with more levels than this are not used to say where gaps lie.
MOST_LEVELS = 24
#: At most so many columns are used, those with the fewest gaps first.
MOST_COLUMNS = 12
MISSING_LEVEL = ""


def columns_to_split_by(columns: tuple[ColumnSummary, ...]) -> tuple[ColumnSummary, ...]:
    """Categories and flags with a handful of levels."""
    fit = [
        column
        for column in columns
        if isinstance(column.detail, CategorySummary) and 2 <= column.distinct <= MOST_LEVELS
    ]
    return tuple(sorted(fit, key=lambda column: (column.missing, column.position))[:MOST_COLUMNS])


@dataclass(frozen=True)
class GapsPart:
    """Rows and missing values, by level, of one pair of columns."""

    rows: Counter[str]
    missing: Counter[str]

    def merge(self, other: GapsPart) -> GapsPart:
        """Put two parts together."""
        return GapsPart(self.rows + other.rows, self.missing + other.missing)

    def finish(self, column: str, by: str) -> GapsByLevel:
        """Levels in the order of their names."""
        levels = tuple(sorted(self.rows))
        return GapsByLevel(
            column=column,
            by=by,
            levels=levels,
            rows=tuple(self.rows[level] for level in levels),
            missing=tuple(self.missing[level] for level in levels),
        )


def observe_gaps(column: Any, by: Any) -> GapsPart:
    """Count one batch (chunked arrays of equal length)."""
    levels = pc.dictionary_encode(by.cast(pa.string()), null_encoding="encode")
    rows: Counter[str] = Counter()
    missing: Counter[str] = Counter()
    empty = missing_in(column)
    start = 0
    for chunk in levels.chunks:
        names = [MISSING_LEVEL if n is None else n for n in chunk.dictionary.to_pylist()]
        codes = values_of(chunk.indices)
        gaps = empty[start : start + len(chunk)]
        start += len(chunk)
        for counter, counts in (
            (rows, np.bincount(codes, minlength=len(names))),
            (missing, np.bincount(codes[gaps], minlength=len(names))),
        ):
            counter.update(dict(zip(names, counts.tolist(), strict=True)))
    return GapsPart(rows, missing)
