"""In which levels of other columns the missing values of a column lie."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.arrow.codes import rows_by_code
from nachsicht.columns.levels import MOST_LEVELS, Grouper, in_order, levels_in
from nachsicht.model.column import ColumnSummary
from nachsicht.model.missing import MissingHotspot
from nachsicht.model.profile import MissingByLevel
from nachsicht.stats.hypothesis_tests import shares_p_value

#: Levels in which a column is missing far more, at most so many a column.
MOST_AMONG = 4
_FEWEST_MISSING, _CHANCE = 10, 0.001


class GapsPart(msgspec.Struct, frozen=True):
    """Rows by level of each column that is split by, and missing values by level of each pair."""

    rows: dict[int, Counter[str | None]] = msgspec.field(default_factory=dict)
    missing: dict[tuple[int, int], Counter[str | None]] = msgspec.field(default_factory=dict)

    def merge(self, other: GapsPart) -> GapsPart:
        """Put two parts together. A column that turns out to have many levels is dropped."""
        rows = _sum(self.rows, other.rows)
        many = {by for by, levels in rows.items() if len(levels) > MOST_LEVELS + 1}
        missing = _sum(self.missing, other.missing)
        return GapsPart(
            {by: levels for by, levels in rows.items() if by not in many},
            {pair: count for pair, count in missing.items() if pair[1] not in many},
        )

    def finish(self, columns: Sequence[ColumnSummary]) -> tuple[MissingByLevel, ...]:
        """A table for every pair; levels in the order of their names.

        A column without any value is missing in all levels, which needs no table.
        """
        tables = []
        for (position, by), missing in sorted(self.missing.items()):
            if columns[position].missing == columns[position].rows:
                continue
            levels = tuple(sorted(self.rows[by], key=in_order))
            tables.append(
                MissingByLevel(
                    column=columns[position].name,
                    by=columns[by].name,
                    levels=levels,
                    rows=tuple(self.rows[by][level] for level in levels),
                    missing=tuple(missing[level] for level in levels),
                )
            )
        return tuple(tables)


def concentrated(tables: Sequence[MissingByLevel]) -> tuple[MissingHotspot, ...]:
    """For every column with missing values, the levels where they are far more frequent.

    Far more is at least twice the share and three points more, in at least ten rows, and less
    often by chance than 1 in 1000 over all levels of the column. The gravest levels of a
    column come first; of columns that divide the rows in the same way the first is reported.
    """
    found: dict[str, list[MissingHotspot]] = {}
    for table in tables:
        rows, missing = sum(table.rows), sum(table.missing)
        for level, n, here in zip(table.levels, table.rows, table.missing, strict=True):
            elsewhere, others = missing - here, rows - n
            if here < _FEWEST_MISSING or not others:
                continue
            share, besides = here / n, elsewhere / others
            if share < max(2 * besides, besides + 0.03):
                continue
            p_value = shares_p_value(elsewhere, others, here, n) * len(tables)
            if p_value < _CHANCE:
                one = MissingHotspot(table.column, table.by, level, n, here, besides)
                found.setdefault(table.column, []).append(one)
    return tuple(
        one
        for column in found.values()
        for one in sorted(column, key=lambda o: (-o.missing / o.rows, o.by, in_order(o.level)))[
            :MOST_AMONG
        ]
    )


def observe_missing_by_level(
    batch: Any, split_by: Sequence[Grouper], among: Iterable[int] | None = None
) -> GapsPart:
    """Count one batch: a table or record batch.

    ``among`` tells the places of the columns that may have missing values, where that is known.
    """
    part = GapsPart()
    looked = range(batch.num_columns) if among is None else among
    columns = [(i, missing_in(batch.column(i))) for i in looked]
    sides = {i: _FewerSide.of(flags) for i, flags in columns if flags.any()}
    for by, unit in ((split.position, split.unit) for split in split_by):
        names, codes = levels_in(batch.column(by), unit)
        rows = rows_by_code(codes, len(names) + 1)
        part.rows[by] = _by_name(names, rows)
        for position, side in sides.items():
            if position != by:
                part.missing[position, by] = _by_name(names, side.missing_among(codes, rows))
    return part


class _FewerSide(msgspec.Struct, frozen=True):
    """The rows in which a column has no value, or has one: those that are fewer."""

    places: NDArray[np.int64]
    missing: bool

    @staticmethod
    def of(flags: NDArray[np.bool_]) -> _FewerSide:
        fewer = 2 * np.count_nonzero(flags) <= len(flags)
        return _FewerSide(np.flatnonzero(flags if fewer else ~flags), bool(fewer))

    def missing_among(
        self, codes: NDArray[np.integer[Any]], rows: NDArray[np.int64]
    ) -> NDArray[np.int64]:
        """Of the rows by code, those without a value."""
        counted = rows_by_code(codes[self.places], len(rows))
        return counted if self.missing else rows - counted


def _by_name(names: list[str], rows: NDArray[np.int64]) -> Counter[str | None]:
    counts: Counter[str | None] = Counter()
    for name, count in zip([*names, None], rows.tolist(), strict=True):
        if count:
            counts[name] += count
    return counts


def _sum(
    a: dict[Any, Counter[str | None]], b: dict[Any, Counter[str | None]]
) -> dict[Any, Counter[str | None]]:
    empty: Counter[str | None] = Counter()
    return {key: a.get(key, empty) + b.get(key, empty) for key in {**a, **b}}
