"""What a source or the user says of columns beside their values, for their summaries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import msgspec

from nachsicht.arrow.dictionary import level_orders_of
from nachsicht.config.settings import Settings
from nachsicht.model.column import CategorySummary, ColumnSummary, Level
from nachsicht.sources.protocol import Opened
from nachsicht.table.prepare import fitting
from nachsicht.table.result import Computed


class Stated(NamedTuple):
    """Reasons for missing values with their rows, and levels in their order, by column."""

    missing_reasons: Mapping[str, Mapping[str, int]]
    level_orders: Mapping[str, Sequence[str]]
    masked: Sequence[str]

    def completed(self, computed: Computed) -> Computed:
        """All columns with what is said of them."""
        columns = tuple(map(self.complete, computed.columns))
        return msgspec.structs.replace(computed, columns=columns)

    def complete(self, column: ColumnSummary) -> ColumnSummary:
        """A column with what is said of it; nothing, where it is masked."""
        if fitting([column.name], self.masked):
            return column
        order = tuple(self.level_orders.get(column.name, ()))
        stats = column.stats
        # An order that lacks a level is none.
        if isinstance(stats, CategorySummary) and {v.value for v in stats.levels} <= {*order}:
            ordered = msgspec.structs.replace(stats, level_order=order)
            column = msgspec.structs.replace(column, stats=ordered)
        reasons = self.missing_reasons.get(column.name, {})
        most_first = sorted(reasons.items(), key=lambda reason: (-reason[1], reason[0]))
        levels = tuple(Level(text, rows) for text, rows in most_first)
        return msgspec.structs.replace(column, missing_reasons=levels) if levels else column


def stated_by(opened: Opened, settings: Settings, table: Any = None) -> Stated:
    """What a source says, and its description, and the user, who is heard first.

    Parameters
    ----------
    opened : Opened
        The source.
    settings : Settings
        May hold orders of levels.
    table : Arrow table, optional
        All rows, where they are in memory.
    """
    orders: dict[str, Sequence[str]] = level_orders_of(table) if table is not None else {}
    described = opened.description.columns if opened.description else ()
    orders |= {column.name: column.levels for column in described if column.ordered}
    return Stated(opened.facts.missing_reasons, orders | settings.level_orders, settings.mask)
