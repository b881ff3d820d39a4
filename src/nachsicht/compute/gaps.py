"""In which levels of other columns the gaps of a column lie."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from nachsicht.compute.arrays import missing_in
from nachsicht.compute.levels_in import MOST_LEVELS, SplitBy, levels_in
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import GapsByLevel


@dataclass(frozen=True)
class GapsPart:
    """Rows by level of each column that is split by, and missing values by level of each pair."""

    rows: dict[int, Counter[str]] = field(default_factory=dict)
    missing: dict[tuple[int, int], Counter[str]] = field(default_factory=dict)

    def merge(self, other: GapsPart) -> GapsPart:
        """Put two parts together. A column that turns out to have many levels is dropped."""
        rows = _sum(self.rows, other.rows)
        many = {by for by, levels in rows.items() if len(levels) > MOST_LEVELS + 1}
        missing = _sum(self.missing, other.missing)
        return GapsPart(
            {by: levels for by, levels in rows.items() if by not in many},
            {pair: gaps for pair, gaps in missing.items() if pair[1] not in many},
        )

    def finish(self, columns: Sequence[ColumnSummary]) -> tuple[GapsByLevel, ...]:
        """A table for every pair; levels in the order of their names."""
        tables = []
        for (position, by), missing in sorted(self.missing.items()):
            levels = tuple(sorted(self.rows[by]))
            tables.append(
                GapsByLevel(
                    column=columns[position].name,
                    by=columns[by].name,
                    levels=levels,
                    rows=tuple(self.rows[by][level] for level in levels),
                    missing=tuple(missing[level] for level in levels),
                )
            )
        return tuple(tables)


def observe_gaps(batch: Any, split_by: Sequence[SplitBy]) -> GapsPart:
    """Count one batch: a table or record batch."""
    part = GapsPart()
    empty = {
        position: gaps
        for position in range(batch.num_columns)
        if (gaps := missing_in(batch.column(position))).any()
    }
    for by, unit in ((split.position, split.unit) for split in split_by):
        names, codes = levels_in(batch.column(by), unit)
        part.rows[by] = _count(names, codes)
        for position, gaps in empty.items():
            if position != by and not gaps.all():
                part.missing[position, by] = _count(names, codes[gaps])
    return part


def _count(names: list[str], codes: Any) -> Counter[str]:
    counts: Counter[str] = Counter()
    for name, count in zip(names, np.bincount(codes, minlength=len(names)), strict=True):
        if count:
            counts[name] += int(count)
    return counts


def _sum(a: dict[Any, Counter[str]], b: dict[Any, Counter[str]]) -> dict[Any, Counter[str]]:
    empty: Counter[str] = Counter()
    return {key: a.get(key, empty) + b.get(key, empty) for key in {**a, **b}}
