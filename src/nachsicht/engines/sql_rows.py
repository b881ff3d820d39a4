"""The rows of versions that a database computed, matched there by their keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.errors import UnreadableSourceError
from nachsicht.sources.database.aggregates import ColumnReading, DatabaseTable
from nachsicht.sources.database.row_match import RowMatch
from nachsicht.sources.database.values import table_of
from nachsicht.table.accumulate import TablePlan, examined
from nachsicht.table.matched import MatchableRows, MatchedInDatabase

#: Changed rows that are read, from which it is told what was done to them; and equal ones.
MOST_CHANGED, MOST_EQUAL = 10_000, 2_000
#: Added and removed rows that are read.
_SHOWN = 5
_NUMBERS = ("whole", "number")


class RowsInDatabase(msgspec.Struct, frozen=True):
    """A version's rows, which `MatchableRows` asks for.

    Attributes
    ----------
    name : str
        Of the source, for errors.
    open : callable
        Connects to the database, and gives the rows.
    readings : tuple of ColumnReading
        How the columns are read.
    plan : TablePlan
        By which rows are examined.
    """

    name: str
    open: Callable[[], AbstractContextManager[DatabaseTable]]
    readings: tuple[ColumnReading, ...]
    plan: TablePlan

    def matched_with(
        self, other: MatchableRows, key: Sequence[tuple[int, int]], pairs: Sequence[tuple[int, int]]
    ) -> MatchedInDatabase | None:
        """As `MatchableRows`; rows are compared as the database has them.

        Raises
        ------
        UnreadableSourceError
            If there are more or fewer rows than when they were profiled.
        """
        if not isinstance(other, RowsInDatabase):
            return None
        sides = self, other
        if any(self._kind(a) != other._kind(b) for a, b in key):
            return None
        in_key = {b for _, b in key}
        compared = [(a, b) for a, b in pairs if b not in in_key and self._kind(a) == other._kind(b)]
        with self.open() as old, other.open() as new:
            if old.server != new.server:
                return None
            for side, table in zip(sides, (old, new), strict=True):
                if table.counts()[0] != side.plan.rows:
                    raise UnreadableSourceError("changed_meanwhile", where=side.name)
            match = RowMatch(
                (old.read_as(self.readings), new.read_as(other.readings)),
                _named(sides, key),
                _named(sides, compared),
                (_flags(self), _flags(other)),
            )
            counts = match.counts()
            before, after = match.changed(MOST_CHANGED, counts.changed)
            return MatchedInDatabase(
                matched=counts.matched,
                changed=counts.changed,
                added=counts.added,
                removed=counts.removed,
                repeated=counts.repeated,
                by_column=dict(zip((b for _, b in compared), counts.by_column, strict=True)),
                changed_rows=(self._examined(before), other._examined(after)),
                equal_rows=other._examined(match.equal(MOST_EQUAL)),
                added_rows=other._examined(match.added(_SHOWN)),
                removed_rows=self._examined(match.removed(_SHOWN)),
            )

    def _kind(self, place: int) -> str:
        """What the values of a column are compared as."""
        family = self.readings[place].family
        if family == "time":
            stored = self.plan.schema.field(place).type
            return "time of day" if pa.types.is_time(stored) else "day"
        return "number" if family in _NUMBERS else family

    def _examined(self, rows: Sequence[Any]) -> Any:
        """Rows as they came, in the form in which they are examined."""
        if not rows:
            return self.plan.schema.empty_table()
        return examined(table_of([reading.name for reading in self.readings], rows), self.plan)


def _named(
    sides: tuple[RowsInDatabase, RowsInDatabase], places: Sequence[tuple[int, int]]
) -> list[tuple[str, str]]:
    return [(sides[0].readings[a].name, sides[1].readings[b].name) for a, b in places]


def _flags(side: RowsInDatabase) -> set[str]:
    return {reading.name for reading in side.readings if reading.family == "flag"}
