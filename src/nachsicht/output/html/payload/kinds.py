"""What the page shows of a column besides its statistics, by kind."""

from __future__ import annotations

from collections.abc import Sequence
from functools import singledispatch
from typing import Any

from nachsicht.i18n import count, number, percent, phrase, whole
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    IdentifierSummary,
    Level,
    NestedSummary,
    NumberCount,
    Quantile,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.statistics import known

#: Patterns that are listed, and the smallest and largest values.
_PATTERNS, _ENDS = 10, 5
_NOTHING: dict[str, Any] = {
    "typical": "–",
    "rare_values": [],
    "patterns": [],
    "cycles": {},
    "words": [],
    "quantiles": [],
    "lowest": [],
    "highest": [],
}


def kind_payload(column: ColumnSummary) -> dict[str, Any]:
    """The same entries for every kind; those that a kind does not have are empty.

    ``typical`` is the typical value in a few characters: a median, a range of dates, a frequent
    level. ``cycles`` are rows by month, weekday and hour.
    """
    return _NOTHING | shown_of(column.stats, column)


@singledispatch
def shown_of(_detail: Any, _column: ColumnSummary) -> dict[str, Any]:
    """The entries that a kind has; a kind registers its own."""
    return {}


@shown_of.register
def _quantity(detail: QuantitySummary, _: ColumnSummary) -> dict[str, Any]:
    return {
        "typical": typical_text(detail),
        "quantiles": [(point.share, quantile_text(point, 4)) for point in detail.quantiles],
        "lowest": _ends(detail.lowest),
        "highest": _ends(detail.highest),
    }


def distinct_text(column: ColumnSummary) -> str:
    """How many different values there are; of levels and few numbers each has rows enough."""
    few = isinstance(column.stats, QuantitySummary) and column.stats.discrete
    as_levels = few or isinstance(column.stats, CategorySummary)
    return whole(column.distinct) if as_levels else count(column.distinct)


def typical_text(detail: QuantitySummary) -> str:
    """The median, or the range in which it lies where no more is told."""
    if known(detail.median):
        return number(float(detail.median))
    middle = next((point for point in detail.quantiles if point.share == 0.5), None)
    return quantile_text(middle, 3) if middle else "–"


def quantile_text(point: Quantile, digits: int) -> str:
    """A quantile, or the range in which it lies."""
    low = number(point.value, digits)
    high = low if point.up_to is None else number(point.up_to, digits)
    return low if high == low else f"{low} … {high}"


@shown_of.register
def _category(_: CategorySummary, column: ColumnSummary) -> dict[str, Any]:
    shown: dict[str, Any] = {}
    if column.top_values:
        top = column.top_values[0]
        shown["typical"] = f"{_short(top.value)} {percent(top.count / max(column.present, 1))}"
    if column.distinct > len(column.top_values):
        shown["rare_values"] = _levels(column.rare_values)
    return shown


@shown_of.register
def _datetime(detail: DatetimeSummary, _: ColumnSummary) -> dict[str, Any]:
    cycles = {"month": detail.by_month, "weekday": detail.by_weekday, "hour": detail.by_hour}
    return {
        "typical": f"{detail.minimum[:10]} … {detail.maximum[:10]}",
        "cycles": {name: rows for name, rows in cycles.items() if rows},
    }


@shown_of.register
def _text(detail: TextSummary, _: ColumnSummary) -> dict[str, Any]:
    length = typical_text(detail.char_count)
    typical = "–" if length == "–" else phrase("page.n_characters", n=length)
    return {
        "typical": typical,
        "patterns": _levels(detail.patterns[:_PATTERNS]),
        "words": _levels(detail.frequent_words),
    }


@shown_of.register
def _identifier(detail: IdentifierSummary, _: ColumnSummary) -> dict[str, Any]:
    patterns = detail.patterns[:_PATTERNS]
    typical = {"typical": _short(patterns[0].value)} if patterns else {}
    return {**typical, "patterns": _levels(patterns)}


@shown_of.register
def _nested(detail: NestedSummary, _: ColumnSummary) -> dict[str, Any]:
    median = detail.lengths.median if detail.lengths else None
    return {"typical": phrase("page.n_entries", n=number(float(median)))} if known(median) else {}


def level_payload(level: Level) -> dict[str, Any]:
    """A value and its rows."""
    return {"value": level.value, "count": level.count}


def _levels(levels: Sequence[Level]) -> list[dict[str, Any]]:
    return [level_payload(level) for level in levels]


def _ends(values: Sequence[NumberCount]) -> list[dict[str, Any]]:
    return [{"value": number(float(v.value), 6), "count": v.count} for v in values[:_ENDS]]


def _short(text: str, most: int = 18) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
