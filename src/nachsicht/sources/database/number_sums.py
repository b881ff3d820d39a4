"""Sums over the numbers of a table that a database computes: moments, counts, correlations."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.sources.database.aggregates import LARGEST, DatabaseTable

#: Deviations below this part of the largest one count as none: their powers would underflow, which
#: is an error to some databases.
_SMALLEST = 1e-60
#: What rounding leaves of a sum of squares that is none.
_ROUNDING = 1e-12


class NumberColumn(NamedTuple):
    """A column of numbers, or of times, which are seconds since 1970.

    Values that are ``checked`` may be infinite or no numbers.
    """

    name: str
    checked: bool
    is_time: bool


class NumberSums(msgspec.Struct, frozen=True):
    """Of a column of numbers: ``rows`` that are finite, their sums, and counts.

    ``powers`` are the sums of the first four powers of the distances from (nearly) the ``mean``, in
    units of ``scale``.
    """

    rows: int
    total: float
    mean: float
    scale: float
    powers: tuple[float, float, float, float]
    infinite_below: int
    infinite_above: int
    zeros: int
    negatives: int
    whole: bool


class DatabaseNumbers:
    """Columns of numbers and times of a table."""

    def __init__(self, table: DatabaseTable, columns: Sequence[NumberColumn]) -> None:
        self._table, self._columns = table, columns

    def sums(self) -> dict[str, NumberSums]:
        """By name, in two passes over the rows; what is counted of times means nothing."""
        import sqlalchemy as sql

        numbers = self._columns
        if not numbers:
            return {}
        func, ends = sql.func, self._doubles()
        asked: list[Any] = []
        for i, column in enumerate(numbers):
            x = ends.c[f"x{i}"]
            told = [x == 0, x < 0, func.round(x) != x]
            if column.checked:
                told += [ends.c[f"beyond{i}"] == sign for sign in (-1, 1)]
            counts = [func.count(sql.case((found, 1))) for found in told]
            asked += [func.count(x), func.sum(x), func.min(x), func.max(x), *counts]
            asked += [] if column.checked else [sql.literal(0), sql.literal(0)]
        first = _chunked(self._table.figures(asked), 9)
        centres = [_centre(*figures[:4]) for figures in first]
        away, asked = self._distances(centres), []
        for column in numbers:
            d = away.c[column.name]
            asked += [func.sum(part) for part in (d, d * d, d * d * d, d * d * (d * d))]
        powers = _chunked(self._table.figures(asked), 4)
        found = {}
        for column, centre, figures, sums in zip(numbers, centres, first, powers, strict=True):
            n, total, _, _, zeros, negatives, broken, below, above = figures
            s1, s2, s3, s4 = (float(figure or 0.0) for figure in sums)
            found[column.name] = NumberSums(
                int(n),
                float(total or 0.0),
                *centre,
                (s1, s2, s3, s4),
                int(below),
                int(above),
                int(zeros),
                int(negatives),
                not broken,
            )
        return found

    def correlations(self, sums: Mapping[str, NumberSums], rows: int) -> NDArray[np.float64]:
        """Pearson's correlation of every two columns, where both have a value.

        NaN where one of the two never varies there. There are so many rows.
        """
        import sqlalchemy as sql

        func, k = sql.func, len(self._columns)
        if k < 2:
            return np.full((k, k), np.nan)
        of = [sums[column.name] for column in self._columns]
        away = self._distances([(one.mean, one.scale) for one in of])
        asked: list[Any] = []
        pairs = list(combinations(range(k), 2))
        for i, j in pairs:
            d, e = (away.c[self._columns[place].name] for place in (i, j))
            asked.append(func.sum(d * e))
            if not of[i].rows == of[j].rows == rows:
                x: Any = sql.case((e.is_not(None), d))
                y: Any = sql.case((d.is_not(None), e))
                asked += [func.count(d * e), *(func.sum(z) for z in (x, y, x * x, y * y))]
        answers = iter(self._table.figures(asked))
        found = np.full((k, k), np.nan)
        for i, j in pairs:
            products = float(next(answers) or 0.0)
            (x1, x2, *_), (y1, y2, *_), n = of[i].powers, of[j].powers, float(rows)
            if not of[i].rows == of[j].rows == rows:
                n, x1, y1, x2, y2 = (float(next(answers) or 0.0) for _ in range(5))
            one, other = _left(x2, x1, n), _left(y2, y1, n)
            if one > 0 and other > 0:
                left = products - x1 * y1 / n
                found[i, j] = found[j, i] = left / math.sqrt(one * other)
        clipped: NDArray[np.float64] = np.clip(found, -1, 1)
        return clipped

    def _double(self, column: NumberColumn) -> Any:
        """A number, or the seconds of a time, in double precision; none where it is not finite."""
        import sqlalchemy as sql

        value = self._table.value(column.name)
        if column.is_time:
            return sql.func.date_part("epoch", value)
        x = sql.cast(value, sql.Double)
        return sql.case((sql.func.abs(value) <= LARGEST, x)) if column.checked else x

    def _doubles(self) -> Any:
        """Numbers in double precision, and beyond which end those are that are not finite."""
        import sqlalchemy as sql

        found = []
        for i, column in enumerate(self._columns):
            found.append(self._double(column).label(f"x{i}"))
            if column.checked:
                value = self._table.value(column.name)
                beyond: Any = sql.case((value == math.inf, 1), (value == -math.inf, -1))
                found.append(beyond.label(f"beyond{i}"))
        # An offset keeps databases from computing them again for each figure.
        return sql.select(*found).offset(0).subquery("doubles")

    def _distances(self, centres: Sequence[tuple[float, float]]) -> Any:
        """How far finite numbers are from a mean, in units of a scale, as a table."""
        import sqlalchemy as sql

        found = []
        for column, (mean, scale) in zip(self._columns, centres, strict=True):
            away: Any = (self._double(column) - mean) / scale
            near: Any = sql.case((sql.func.abs(away) < _SMALLEST, 0.0), else_=away)
            found.append(near.label(column.name))
        return sql.select(*found).offset(0).subquery("distances")


def _centre(n: int, total: Any, low: Any, high: Any) -> tuple[float, float]:
    """The mean of numbers, and a power of two that no distance from it exceeds."""
    if not n:
        return 0.0, 1.0
    mean = float(total) / n
    away = max(high - mean, mean - low)
    return mean, math.ldexp(1.0, math.frexp(away)[1]) if away else 1.0


def _left(squares: float, total: float, n: float) -> float:
    """The sum of squares about their mean; 0 where that is no more than rounding."""
    left = squares - total * total / max(n, 1.0)
    return left if left > _ROUNDING * squares else 0.0


def _chunked(figures: Sequence[Any], size: int) -> list[Sequence[Any]]:
    return [figures[i : i + size] for i in range(0, len(figures), size)]
