"""Placeholders for missing values: -99 among temperatures, "n/a" among levels, 1900-01-01."""

from __future__ import annotations

from functools import singledispatch
from typing import Any, NamedTuple

from nachsicht.arrow.text_values import is_word_for_missing, stands_for_missing
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    IdentifierSummary,
    Level,
    NumberCount,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.statistics import known

#: What people write when there is no number.
USUAL = frozenset(
    sign * value
    for value in (9, 99, 999, 9999, 99999, 999999, 88, 888, 8888, 77, 777)
    for sign in (1, -1)
)
#: First and last days of calendars, and of the clocks of computers.
DATES: tuple[str, ...] = (
    "1900-01-01",
    "1899-12-30",
    "1899-12-31",
    "1970-01-01",
    "1901-01-01",
    "9999-12-31",
)
DATES += ("2099-12-31", "2999-12-31", "1753-01-01", "0001-01-01", "1980-01-01")
#: How many interquartile ranges a value must lie away from all others.
FAR = 3.0
#: The smallest share of the rows that a code must hold.
SMALLEST_SHARE = 0.002


class Sentinel(NamedTuple):
    """The value, its rows, and the range of all other values where they are numbers."""

    value: int | float | str
    rows: int
    low: float | None = None
    high: float | None = None


def find_sentinel(column: ColumnSummary) -> Sentinel | None:
    """The value of a column that is a placeholder for missing values, if there is one.

    Of numbers a usual code at an end that occurs repeatedly and lies far from the next value;
    of levels and texts a word for missing; of datetimes the first or last day of a calendar.
    """
    return sentinel_in(column.stats, column)


@singledispatch
def sentinel_in(_detail: Any, _column: ColumnSummary) -> Sentinel | None:
    """The placeholder among values of one kind; a kind registers its own."""
    return None


@sentinel_in.register
def _(_: DatetimeSummary, column: ColumnSummary) -> Sentinel | None:
    return _first(column.top_values, is_empty_date, column.rows) if _has_days(column) else None


@sentinel_in.register
def _(_: TextSummary | IdentifierSummary, column: ColumnSummary) -> Sentinel | None:
    return _first(column.top_values, is_word_for_missing, column.rows)


def could_be_sentinel(value: float) -> bool:
    """Whether a number is one of those that people write when there is none."""
    return value in USUAL or value in (0.0, -1.0)


def is_empty_date(text: str) -> bool:
    """Whether a datetime is one that stands where there is none."""
    return text.startswith(DATES)


def _has_days(column: ColumnSummary) -> bool:
    """Whether datetimes are on other days than the first of a year: else such a day is a year."""
    days = [level.value[5:10] for level in column.top_values]
    return any(day != "01-01" for day in days if day != "12-31")


@sentinel_in.register
def _level(detail: CategorySummary, column: ColumnSummary) -> Sentinel | None:
    """A word for missing that is no level among the others."""
    others = [level.value for level in detail.levels]
    return _first(detail.levels, lambda word: stands_for_missing(word, others), column.rows)


def _first(levels: tuple[Level, ...], says: object, rows: int) -> Sentinel | None:
    assert callable(says)
    for level in levels:
        if says(level.value) and level.count >= max(2, SMALLEST_SHARE * rows):
            return Sentinel(level.value, level.count)
    return None


@sentinel_in.register
def _number(detail: QuantitySummary, column: ColumnSummary) -> Sentinel | None:
    if detail.discrete and detail.n_finite < 50:
        return None
    if len(detail.lowest) < 3 or not known(detail.iqr):
        return None
    low_end, high_end = detail.lowest, detail.highest
    for end, inner_low, inner_high in (
        (low_end, low_end[1].value, high_end[0].value),
        (high_end, low_end[0].value, high_end[1].value),
    ):
        if _stands_in(end, float(detail.iqr), column.rows):
            return Sentinel(end[0].value, end[0].count, float(inner_low), float(inner_high))
    return None


def _stands_in(end: tuple[NumberCount, ...], iqr: float, rows: int) -> bool:
    value, count = end[0].value, end[0].count
    if value not in USUAL or count < max(2, SMALLEST_SHARE * rows):
        return False
    return abs(value - end[1].value) > FAR * iqr
