"""What a database computes of its rows by itself: counts, groups, sums, ranks. Few rows come back.

Statements keep to what PostgreSQL, DuckDB and SQLite all have: groups, common table expressions,
and sums over a window.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.sources.protocol import Tally

#: Kinds of databases whose answers are tested.
BACKENDS = ("postgresql", "duckdb", "sqlite")
#: The most frequent values that are read of a column of very many, and the first and last ones.
TOP, ENDS = 1 << 12, 16
#: Equal steps of rank at which a value is read.
STEPS = 1 << 14
#: Expressions of one statement; some databases take no more than two thousand columns.
_EXPRESSIONS = 480
#: The largest finite number. Where a database has NaN, that is beyond all others.
LARGEST = 1.7976931348623157e308
#: What makes an order of whole numbers that has nothing to do with their size: a prime, and a
#: factor whose products with what is left of a division by it fit in 63 bits.
_PRIME, _FACTOR = 2_147_483_647, 1_103_515_245


class ColumnReading(NamedTuple):
    """How a column is read: of which family its values are, and which of them are missing.

    Families are ``whole`` and other ``number``, ``time``, ``flag``, ``unknown`` as long as no value
    was seen, and ``text``, as which all others are read.
    """

    name: str
    family: str
    marks: tuple[Any, ...] = ()


class Spread(NamedTuple):
    """What is known of a column of very many different values.

    ``distinct``, ``once`` and ``squares`` are how many there are, how many stand in one row, and
    the sum of the squared counts. ``top`` are the most frequent ones; ``low`` and ``high`` those
    at the ends, both rising. ``ranks`` are rising values that stand for so many rows each, and
    ``error`` is by how many rows their ranks may be off.
    """

    distinct: int
    once: int
    squares: float
    top: Tally
    low: Tally
    high: Tally
    ranks: Tally
    error: int


class DatabaseTable:
    """A table or the result of a query, of which the database is asked.

    Parameters
    ----------
    connection : SQLAlchemy connection
        In one transaction.
    rows : SQLAlchemy selectable
        With a column for each name.
    names : sequence of str
        Of the columns.
    key : str, optional
        A column whose values differ in all rows.
    """

    def __init__(
        self,
        connection: Any,
        rows: Any,
        names: Sequence[str],
        key: str | None,
    ) -> None:
        self._connection, self._rows, self.names, self.key = connection, rows, names, key

    @property
    def server(self) -> str:
        """The database that it is in, without a password."""
        return str(self._connection.engine.url.render_as_string(hide_password=True))

    def value(self, name: str) -> Any:
        """A column, to be used in statements."""
        return self._rows.c[name]

    def figures(self, expressions: Sequence[Any]) -> list[Any]:
        """Figures of all rows, in as many statements as they need."""
        import sqlalchemy as sql

        found: list[Any] = []
        for start in range(0, len(expressions), _EXPRESSIONS):
            some = expressions[start : start + _EXPRESSIONS]
            numbered = [some_one.label(f"f{i}") for i, some_one in enumerate(some)]
            asked = sql.select(*numbered)
            # What counts all rows names no column, and so no table.
            from_ = () if asked.get_final_froms() else (self._rows,)
            found += self._connection.execute(asked.select_from(*from_)).one()
        return found

    def results(self, statement: Any) -> list[Any]:
        """The rows that a statement gives."""
        return list(self._connection.execute(statement))

    def read_as(self, columns: Sequence[ColumnReading]) -> DatabaseTable:
        """The same rows, with the columns as they are to be read; others are left out."""
        import sqlalchemy as sql

        found = []
        for column in columns:
            value: Any = self._rows.c[column.name]
            if column.family == "text":
                value = sql.cast(value, sql.Text)
            for mark in column.marks:
                value = sql.case((value == mark, None), else_=value)
            found.append(value.label(column.name))
        read = sql.select(*found).subquery("read_rows")
        names = [column.name for column in columns]
        return DatabaseTable(self._connection, read, names, self.key)

    def among(
        self, by: str, values: Sequence[Any], *, together: bool, others: bool
    ) -> DatabaseTable:
        """The rows with one of some values in a column; or all ``others`` that have a value.

        Rising values that are all there are from the first to the last are ``together``.
        """
        import sqlalchemy as sql

        value: Any = self._rows.c[by]
        if isinstance(values[0], str):
            value = sql.cast(value, sql.Text)
        meant = value.between(values[0], values[-1]) if together else value.in_(values)
        kept = sql.and_(value.is_not(None), sql.not_(meant)) if others else meant
        rows = sql.select(self._rows).where(kept).subquery("rows_of_level")
        return DatabaseTable(self._connection, rows, self.names, self.key)

    def with_texts(self, names: Sequence[str]) -> set[str]:
        """The columns among some of numbers in which texts stand too: SQLite lets them."""
        import sqlalchemy as sql

        if self._connection.dialect.name != "sqlite" or not names:
            return set()
        texts = [
            sql.case((sql.func.typeof(self._rows.c[name]).in_(("text", "blob")), 1))
            for name in names
        ]
        found = self.figures([sql.func.count(text) for text in texts])
        return {name for name, n in zip(names, found, strict=True) if n}

    def counts(self) -> tuple[int, list[int]]:
        """All rows, and for each column those with a value."""
        import sqlalchemy as sql

        count = sql.func.count
        held = [count(self._rows.c[name]) for name in self.names]
        rows, *found = self.figures([count(), *held])
        return int(rows), [int(n) for n in found]

    def drawn(self, most: int) -> list[tuple[Any, ...]]:
        """Evenly drawn rows, in the order of their drawing.

        Where the key is of whole numbers, it alone says which; else they are drawn anew each time.
        """
        import sqlalchemy as sql

        order: Any = sql.func.random()
        if self.key is not None:
            key = self._rows.c[self.key]
            some = self.results(sql.select(key).limit(1))
            if some and isinstance(some[0][0], int):
                order = sql.cast(key, sql.BigInteger) % _PRIME * _FACTOR % _PRIME
        asked = sql.select(*(self._rows.c[name] for name in self.names))
        return [tuple(row) for row in self.results(asked.order_by(order).limit(most))]

    def tally(self, name: str, most: int) -> Tally | None:
        """All different values of a column; None where there are more than ``most``."""
        import sqlalchemy as sql

        value = self._rows.c[name]
        asked = sql.select(value, sql.func.count()).where(value.is_not(None)).group_by(value)
        found = self.results(asked.limit(most + 1))
        return None if len(found) > most else _tally(found)

    def crossed(self, one: str, other: str) -> list[tuple[Any, Any, int]]:
        """Each two values that stand in one row, and in how many rows they do."""
        import sqlalchemy as sql

        a, b = self._rows.c[one], self._rows.c[other]
        asked = sql.select(a, b, sql.func.count()).where(a.is_not(None), b.is_not(None))
        return [(x, y, int(n)) for x, y, n in self.results(asked.group_by(a, b))]

    def spread(self, name: str, rows: int, *, ranked: bool, finite: bool) -> Spread:
        """What is known of a column of very many different values.

        Parameters
        ----------
        name : str
            Of the column.
        rows : int
            With a value.
        ranked : bool
            Whether the ends and the ranks are looked for.
        finite : bool
            Whether values may be infinite or no numbers at all; these are left out.
        """
        import sqlalchemy as sql

        func, value = sql.func, self._rows.c[name]
        asked = sql.select(value.label("v"), func.count().label("c")).where(value.is_not(None))
        if finite:
            asked = asked.where(func.abs(value) <= LARGEST)
        # Counted once, though several parts are made of it.
        groups: Any = asked.group_by(value).cte("counted").prefix_with("MATERIALIZED")
        found: dict[str, list[Any]] = {}
        for part, *row in self.results(_parts_of(groups, rows, ranked=ranked)):
            found.setdefault(part, []).append(row)
        return _spread_of(found)

    def repeated_rows(self, names: Sequence[str]) -> int:
        """Rows that are equal to another one in some columns, but for the first of each."""
        import sqlalchemy as sql

        columns = [self._rows.c[name] for name in names]
        count = sql.func.count()
        groups = sql.select(count.label("c")).group_by(*columns).having(count > 1)
        repeated = groups.select_from(self._rows).subquery("repeated")
        (found,) = self.figures([sql.func.sum(repeated.c.c - 1)])
        return int(found or 0)

    def gap_patterns(self, names: Sequence[str], most: int) -> list[tuple[tuple[bool, ...], int]]:
        """Which of some columns have no value together, and in how many rows; ``most`` of them."""
        import sqlalchemy as sql

        flags = [
            sql.case((self._rows.c[name].is_(None), 1), else_=0).label(f"gap_{i}")
            for i, name in enumerate(names)
        ]
        flagged: Any = sql.select(*flags).subquery("flagged")
        count = sql.func.count()
        columns = list(flagged.c)
        asked = sql.select(*columns, count).group_by(*columns).order_by(count.desc(), *columns)
        return [
            (tuple(bool(flag) for flag in gaps), int(rows))
            for *gaps, rows in self.results(asked.limit(most))
        ]

    def held_by_level(
        self, by: str, names: Sequence[str]
    ) -> tuple[list[Any], NDArray[np.int64], NDArray[np.int64]]:
        """The levels of a column (one may be None), their rows, and values of others in them.

        Returns
        -------
        (levels, rows of shape (levels,), values of shape (levels, names))
        """
        import sqlalchemy as sql

        func, level = sql.func, self._rows.c[by]
        held = [func.count(self._rows.c[name]) for name in names]
        found = self.results(sql.select(level, func.count(), *held).group_by(level))
        counts = np.array([row[1:] for row in found], np.int64).reshape(len(found), len(names) + 1)
        return [row[0] for row in found], counts[:, 0], counts[:, 1:]


def _parts_of(groups: Any, rows: int, *, ranked: bool) -> Any:
    """All that a `Spread` is made of, in one statement: a part of it in each row, named first."""
    import sqlalchemy as sql

    v, c, func = groups.c.v, groups.c.c, sql.func
    doubled = sql.cast(c, sql.Double)
    once, none = func.sum(sql.case((c == 1, 1), else_=0)), sql.null()
    parts = [
        sql.select(
            sql.literal("all").label("part"),
            none.label("v"),
            func.count().label("c"),
            once.label("more"),
            func.sum(doubled * doubled).label("squares"),
            none.label("last"),
        ).select_from(groups),
        _some("top", groups, TOP, c.desc(), v),
    ]
    if ranked:
        parts += [_some("low", groups, ENDS, v), _some("high", groups, ENDS, v.desc())]
        # Whole numbers as they are would be added up with any number of digits, which is slow.
        up_to = func.sum(doubled).over(order_by=v).label("up_to")
        reached = sql.select(v, doubled.label("c"), up_to).subquery("reached")
        # Steps are rounded down, for which not every database has a function.
        step = func.round(reached.c.up_to * (STEPS / rows) - 0.5).label("step")
        stepped = sql.select(reached.c.v, reached.c.c, step).subquery("stepped")
        of_step = sql.select(
            sql.literal("rank").label("part"),
            func.min(stepped.c.v).label("v"),
            func.sum(stepped.c.c).label("c"),
            func.count().label("more"),
            none.label("squares"),
            func.max(stepped.c.v).label("last"),
        ).group_by(stepped.c.step)
        parts.insert(0, of_step)  # its types are those of all parts
    return sql.union_all(*parts)


def _spread_of(found: dict[str, list[Any]]) -> Spread:
    ((_, distinct, once_held, squares, _),) = found["all"]
    steps = sorted(found.get("rank", ()), key=lambda row: row[0])
    # The first value of a step stands for half of its rows, the last one for the others.
    ranks = [
        half
        for first, count, _, _, last in steps
        for half in ((first, int(count) // 2), (last, int(count) - int(count) // 2))
    ]
    # A value that stands for itself alone is where it is said to be.
    error = max((int(count) // 2 + 1 for _, count, values, *_ in steps if values > 1), default=0)
    return Spread(
        int(distinct),
        int(once_held or 0),
        float(squares or 0.0),
        _tally(found.get("top", ())),
        _tally(sorted(found.get("low", ()), key=lambda row: row[0])),
        _tally(sorted(found.get("high", ()), key=lambda row: row[0])),
        _tally(ranks),
        error,
    )


def _some(part: str, groups: Any, most: int, *order: Any) -> Any:
    import sqlalchemy as sql

    chosen = sql.select(groups.c.v, groups.c.c).order_by(*order).limit(most).subquery(part)
    return sql.select(
        sql.literal(part).label("part"),
        chosen.c.v,
        chosen.c.c,
        sql.null().label("more"),
        sql.null().label("squares"),
        sql.null().label("last"),
    )


def _tally(rows: Sequence[Any]) -> Tally:
    counts = np.array([int(row[1]) for row in rows], np.int64)
    return Tally([row[0] for row in rows], counts)
