"""The rows that show a finding, with their numbers and some of their cells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.buffers import taken
from nachsicht.columns.cell_text import rows_of_texts
from nachsicht.findings import locate
from nachsicht.findings.locate import Locator, Look, Places
from nachsicht.findings.registry import FINDINGS
from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import ExampleRow, ExampleRows, Finding
from nachsicht.model.kinds import Kind

#: Columns of which rows are shown.
MOST_COLUMNS = 5


class ExampleRowFinder:
    """Finds the rows of one version that show a finding."""

    def __init__(self, label: str, table: Any, columns: Sequence[ColumnSummary]) -> None:
        self._label, self._table = label, table
        self._columns = columns
        self._places = {column.name: column.position for column in reversed(columns)}
        self._outermost: dict[int, Places] = {}
        named = [c.name for c in columns if c.kind in (Kind.IDENTIFIER, Kind.DATETIME)]
        self._names = named[:1]
        # What else is shown of a row: short columns, in their order.
        self._others = [c.name for c in columns if c.kind not in (Kind.TEXT, Kind.NESTED)]

    def rows(
        self, finding: Finding, names: Mapping[str, str], *, newest: bool = True
    ) -> ExampleRows | None:
        """Rows with their numbers; None where no single row shows it.

        Parameters
        ----------
        finding : Finding
            What should be shown.
        names : mapping
            What this version calls the columns of the finding, where otherwise.
        newest : bool
            Whether this is the version that the finding speaks of, not the one before.
        """
        own = [names.get(name, name) for name in finding.columns]
        there = [name for name in own if name in self._places][:MOST_COLUMNS]
        entry = FINDINGS.get(finding.code)
        locator = (entry.rows if newest else entry.rows_before) if entry else locate.ANY_PRESENT
        if not there and locator.of_columns:
            return None
        return self._shown(
            self._located(locator, finding, [self._places[name] for name in there]), there
        )

    def cells(self, name: str, places: Places) -> ExampleRows | None:
        """Rows at some places, for what they hold in one column; None without any."""
        return self._shown(places, [name])

    def _shown(self, places: Places, there: Sequence[str]) -> ExampleRows | None:
        if not len(places):
            return None
        shown = [*[n for n in self._names if n not in there], *there]
        shown += [n for n in self._others if n not in shown][: max(MOST_COLUMNS - len(shown), 0)]
        shown = shown[:MOST_COLUMNS]
        few = taken(self._table.select([self._places[n] for n in shown]), places)
        cells = rows_of_texts(few, len(places))
        return ExampleRows(
            version=self._label or None,
            columns=tuple(shown),
            rows=tuple(
                ExampleRow(place + 1, own)
                for place, own in zip(places.tolist(), cells, strict=True)
            ),
        )

    def _located(self, locator: Locator, finding: Finding, positions: Sequence[int]) -> Places:
        arrays = [self._table.column(position) for position in positions]
        look = Look(arrays, [self._columns[position] for position in positions])
        if locator is not locate.OUTERMOST:
            return locator.rows(finding, look)
        if positions[0] not in self._outermost:  # several findings may speak of them
            self._outermost[positions[0]] = locator.rows(finding, look)
        return self._outermost[positions[0]]


def with_rows(
    findings: Sequence[Finding], shower: ExampleRowFinder, pmap: ParallelMap = map
) -> tuple[Finding, ...]:
    """Findings of one version with the rows that show them."""

    def shown(finding: Finding) -> Finding:
        rows = shower.rows(finding, {})
        return msgspec.structs.replace(finding, example_rows=(rows,)) if rows else finding

    return tuple(pmap(shown, findings))


def with_rows_of_both(
    finding: Finding,
    old: ExampleRowFinder | None,
    new: ExampleRowFinder | None,
    renamed: Mapping[str, str],
    changed: Mapping[str, tuple[tuple[int, int], ...]],
) -> Finding:
    """A finding between two versions with rows of both.

    ``renamed`` leads to the older names. Where any rows would do, those are shown in which a cell
    of the column differs: ``changed`` has a few numbers of them in both versions, by column.
    """
    entry = FINDINGS.get(finding.code)
    anything = entry and entry.rows is entry.rows_before is locate.ANY_PRESENT
    numbers = changed.get(finding.columns[0]) if len(finding.columns) == 1 and anything else None
    if numbers and old and new:
        name, places = finding.columns[0], np.array(numbers, np.int64) - 1
        found = (
            old.cells(renamed.get(name, name), places[:, 0]),
            new.cells(name, places[:, 1]),
        )
    else:
        found = (
            old.rows(finding, renamed, newest=False) if old else None,
            new.rows(finding, {}) if new else None,
        )
    return msgspec.structs.replace(finding, example_rows=tuple(rows for rows in found if rows))
