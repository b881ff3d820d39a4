"""The rows of two tables matched by a key, as statements: what came, went and changed.

Both tables are put on top of each other and grouped by the key, which databases without a fast full
join can do as well, and where rows without a key are one another's.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any, NamedTuple

from nachsicht.sources.database.aggregates import DatabaseTable

#: Columns that one statement compares; some databases take no more than two thousand expressions.
_AT_ONCE = 200


class MatchCounts(NamedTuple):
    """How many rows there are of each sort, and in how many each compared column differs."""

    matched: int
    changed: int
    added: int
    removed: int
    repeated: tuple[int, int]
    by_column: list[int]


class RowMatch:
    """Two tables of one database, the older and the newer one.

    Parameters
    ----------
    tables : (DatabaseTable, DatabaseTable)
        Asked through the connection of the second.
    key : sequence of (str, str)
        Names of the columns of the key in both.
    compared : sequence of (str, str)
        Names of the other columns that are compared.
    flags : (set of str, set of str)
        Those that hold flags, of which databases have no smallest one.
    """

    def __init__(
        self,
        tables: tuple[DatabaseTable, DatabaseTable],
        key: Sequence[tuple[str, str]],
        compared: Sequence[tuple[str, str]],
        flags: tuple[set[str], set[str]],
    ) -> None:
        self._tables, self._key, self._compared, self._flags = tables, key, compared, flags

    def counts(self) -> MatchCounts:
        """Of all rows."""
        import sqlalchemy as sql

        rows = self._by_key

        def summed(condition: Any, value: Any = 1) -> Any:
            return sql.func.coalesce(sql.func.sum(sql.case((condition, value), else_=0)), 0)

        figures = self._figures(
            [
                summed(self._once),
                summed(sql.and_(self._once, self._differs)),
                summed(rows.c.old_rows == 0, rows.c.new_rows),
                summed(rows.c.new_rows == 0, rows.c.old_rows),
                summed(rows.c.old_rows > 1, rows.c.old_rows),
                summed(rows.c.new_rows > 1, rows.c.new_rows),
            ]
        )
        by_column: list[int] = []
        for start in range(0, len(self._compared), _AT_ONCE):
            some = range(start, min(start + _AT_ONCE, len(self._compared)))
            by_column += self._figures(
                [summed(sql.and_(self._once, self._differs_in(i))) for i in some]
            )
        matched, changed, added, removed, *repeated = figures
        return MatchCounts(matched, changed, added, removed, (repeated[0], repeated[1]), by_column)

    def changed(self, most: int, in_all: int) -> tuple[list[Any], list[Any]]:
        """Changed rows as they were and are, in the same order; of more than ``most`` some."""
        import sqlalchemy as sql

        keys = self._keys(sql.and_(self._once, self._differs), most, drawn=in_all > most)
        old, new = (self._rows_of(side, keys) for side in (0, 1))
        return old, new

    def equal(self, most: int) -> list[Any]:
        """Some rows that are the same in both versions."""
        import sqlalchemy as sql

        equal = sql.and_(self._once, sql.not_(self._differs))
        return self._rows_of(1, self._keys(equal, most, drawn=True))

    def added(self, most: int) -> list[Any]:
        """The first rows that the newer version alone has."""
        return self._rows_of(1, self._keys(self._by_key.c.old_rows == 0, most))[:most]

    def removed(self, most: int) -> list[Any]:
        """The first rows that the older version alone has."""
        return self._rows_of(0, self._keys(self._by_key.c.new_rows == 0, most))[:most]

    @cached_property
    def _by_key(self) -> Any:
        """One row a key: how many rows each version has, and, where that is one, their cells."""
        import sqlalchemy as sql

        both = sql.union_all(*(self._side(side) for side in (0, 1))).subquery("both_versions")
        func, keys = sql.func, [both.c[f"k{i}"] for i in range(len(self._key))]
        figures = [
            func.sum(sql.case((both.c.side == 0, 1), else_=0)).label("old_rows"),
            func.sum(both.c.side).label("new_rows"),
        ]
        for i in range(len(self._compared)):
            cell = both.c[f"v{i}"]
            figures += [
                func.min(sql.case((both.c.side == side, cell))).label(f"v{i}_{side}")
                for side in (0, 1)
            ]
        return sql.select(*keys, *figures).group_by(*keys).subquery("by_key")

    def _side(self, side: int) -> Any:
        import sqlalchemy as sql

        table, columns = self._tables[side], []
        for i, names in enumerate(self._key):
            columns.append(table.value(names[side]).label(f"k{i}"))
        for i, names in enumerate(self._compared):
            value = table.value(names[side])
            if names[side] in self._flags[side]:
                value = sql.case((value, 1), (sql.not_(value), 0))
            columns.append(value.label(f"v{i}"))
        return sql.select(*columns, sql.literal_column(str(side)).label("side"))

    @cached_property
    def _once(self) -> Any:
        import sqlalchemy as sql

        return sql.and_(self._by_key.c.old_rows == 1, self._by_key.c.new_rows == 1)

    @cached_property
    def _differs(self) -> Any:
        import sqlalchemy as sql

        return sql.or_(sql.false(), *(self._differs_in(i) for i in range(len(self._compared))))

    def _differs_in(self, i: int) -> Any:
        return self._by_key.c[f"v{i}_0"].is_distinct_from(self._by_key.c[f"v{i}_1"])

    def _figures(self, expressions: Sequence[Any]) -> list[int]:
        import sqlalchemy as sql

        asked = sql.select(*expressions).select_from(self._by_key)
        (found,) = self._tables[1].results(asked)
        return [int(figure) for figure in found]

    def _keys(self, condition: Any, most: int, *, drawn: bool = False) -> list[Any]:
        """Some keys: the first ones, or drawn anew each time."""
        import sqlalchemy as sql

        keys = [self._by_key.c[f"k{i}"] for i in range(len(self._key))]
        order = [sql.func.random()] if drawn else keys
        asked = sql.select(*keys).where(condition).order_by(*order).limit(most)
        return self._tables[1].results(asked)

    def _rows_of(self, side: int, keys: Sequence[Any]) -> list[Any]:
        """The rows of one table with these keys, in the order of the keys."""
        import sqlalchemy as sql

        table, found = self._tables[side], []
        own = [table.value(names[side]) for names in self._key]
        columns = [table.value(name) for name in table.names]
        for start in range(0, len(keys), _AT_ONCE):
            some = [tuple(key) for key in keys[start : start + _AT_ONCE]]
            if len(own) == 1 and (None,) not in some:
                among = own[0].in_([key[0] for key in some])
            else:
                among = sql.or_(*(sql.and_(*map(_is, own, key)) for key in some))
            rows = self._tables[1].results(sql.select(*own, *columns).where(among))
            by_key: dict[Any, list[Any]] = {}
            for row in rows:
                by_key.setdefault(tuple(row[: len(own)]), []).append(tuple(row[len(own) :]))
            found += [row for key in some for row in by_key.get(key, ())]
        return found


def _is(column: Any, value: Any) -> Any:
    return column.is_(None) if value is None else column == value
