"""The statistics of a column as rows of a table: for each kind, those that serve a question."""

from __future__ import annotations

from functools import singledispatch
from typing import Any

from nachsicht.i18n import catalogue, count, number, percent, phrase, whole
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    Detail,
    IdentifierSummary,
    NestedSummary,
    Order,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.profile import ProfileDocument
from nachsicht.model.statistics import Statistic, known

#: Code of the statistic, rounded, and exact (or the reason why there is none).
Row = tuple[str, str, str]

#: Reasons for missing values that are told.
_MOST_REASONS = 6
#: Neighbours of fewer rows tell nothing.
_FEWEST_ROWS = 20
_IN_ORDER = {
    Order.INCREASING,
    Order.STRICTLY_INCREASING,
    Order.DECREASING,
    Order.STRICTLY_DECREASING,
}
QUANTITY = (
    *("mean", "std", "minimum", "median", "maximum", "range", "iqr", "mad"),
    *("cv", "skewness", "kurtosis", "sum"),
)


def statistics_of(column: ColumnSummary) -> list[Row]:
    """The rows of a column's kind; the words for the codes are in the catalogue."""
    return rows_of(column.stats, column.present) + _missing_reasons(column)


@singledispatch
def rows_of(_detail: Any, _present: int) -> list[Row]:
    """The rows of a summary, for so many present values; a kind registers its own."""
    return []


def differences_of(newer: ColumnSummary, older: ColumnSummary) -> dict[str, str]:
    """How much each number among the statistics rose or fell, by its code."""
    before = {code: exact for code, _, exact in statistics_of(older)}
    found = {}
    for code, _, exact in statistics_of(newer):
        new, old = _float(exact), _float(before.get(code, ""))
        if new is not None and old is not None and not isinstance(newer.stats, DatetimeSummary):
            found[code] = signed(new - old)
    return found


def neighbours(version: ProfileDocument) -> dict[str, float]:
    """Autocorrelations of quantities by their names, where the rows are in order of time."""
    details = {column.name: column.stats for column in version.columns}
    if not any(map(_rises_or_falls, details.values())):
        return {}
    known = {n: _autocorrelation(d) for n, d in details.items() if isinstance(d, QuantitySummary)}
    return {name: value for name, value in known.items() if value is not None}


def _rises_or_falls(detail: Detail | None) -> bool:
    """Whether rows are in the order of these datetimes."""
    return (
        isinstance(detail, DatetimeSummary) and not detail.time_of_day and detail.order in _IN_ORDER
    )


def _autocorrelation(detail: QuantitySummary) -> float | None:
    found = detail.autocorrelation
    return found if known(found) and detail.n_finite >= _FEWEST_ROWS else None


def _missing_reasons(column: ColumnSummary) -> list[Row]:
    """Why values are missing, where the file says so."""
    told = [f"{reason.value} {count(reason.count)}" for reason in column.missing_reasons]
    if len(told) > _MOST_REASONS:
        told[_MOST_REASONS:] = ["…"]
    return [("missing_reasons", " · ".join(told), "")] if told else []


def signed(difference: float) -> str:
    """A difference with its sign; a dash for none."""
    if difference == 0:
        return "–"
    return f"{'+' if difference > 0 else '−'}{number(abs(difference), 3)}"


def _float(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


@rows_of.register
def _quantity(detail: QuantitySummary, _: int) -> list[Row]:
    rows = [_shown(code, getattr(detail, code)) for code in QUANTITY]
    if detail.mode:
        rows.append(("mode", f"{number(detail.mode.value, 4)} ({count(detail.mode.count)})", ""))
    rows += [_count("zeros", detail.zeros), _count("negatives", detail.negatives)]
    rows.append(_count("infinite", detail.neg_inf + detail.pos_inf))
    if detail.outliers:
        beyond = detail.outliers.below + detail.outliers.above
        rows.append(_count("outliers", beyond))
        rows.append(_shown("outliers_z", detail.outliers.by_modified_z))
    if detail.normal:
        rows.append(_shown("ppcc", detail.normal.ppcc))
        if detail.normal.best_transform != "none":
            rows.append(("best_transform", _word(detail.normal.best_transform), ""))
    return rows + _order(detail.order) + _neighbours(detail)


@rows_of.register
def _category(detail: CategorySummary, present: int) -> list[Row]:
    rows = [
        _shown("evenness", detail.evenness),
        _count("levels_for_80pct", detail.levels_for_80pct),
    ]
    if detail.rare_levels:
        share = percent(detail.rare_rows / max(present, 1))
        text = phrase("page.rare_levels_of", levels=detail.rare_levels, share=share)
        rows.append(("rare_levels", text, ""))
    return rows


@rows_of.register
def _datetime(detail: DatetimeSummary, _: int) -> list[Row]:
    rows: list[Row] = [("minimum", detail.minimum, ""), ("maximum", detail.maximum, "")]
    if not detail.time_of_day:
        rows.append(("span_days", number(detail.span_days), repr(detail.span_days)))
    if detail.time_zone:
        rows.append(("time_zone", detail.time_zone, ""))
    units = _word(f"{detail.unit}s")
    facts = {"n": detail.empty_periods, "of": len(detail.counts), "unit": units}
    of = phrase("page.count_of", **facts)
    rows.append(("empty_periods", of, ""))
    if detail.gaps:
        longest = detail.gaps[0]
        rows.append(("longest_gap", f"{longest.first} … {longest.last}", ""))
    for code in ("in_future", "at_epoch", "at_midnight"):
        if getattr(detail, code):
            rows.append(_count(code, getattr(detail, code)))
    return rows + (_order(detail.order) if detail.order else [])


@rows_of.register
def _text(detail: TextSummary, _: int) -> list[Row]:
    rows = [
        _shown("characters", detail.char_count.median),
        _shown("words", detail.word_count.median),
        _count("blank", detail.blank),
        _count("edge_spaces", detail.leading_space + detail.trailing_space),
    ]
    looks = [(_word(name), count(n)) for name, n in detail.semantic_types.items()]
    return rows + [("semantic_types", f"{name}: {n}", "") for name, n in looks]


@rows_of.register
def _identifier(detail: IdentifierSummary, _: int) -> list[Row]:
    rows = [
        _count("duplicate_values", detail.duplicate_values),
        ("lengths", f"{detail.min_length} … {detail.max_length}", ""),
    ]
    if detail.sequence:
        rows.append(_count("missing_numbers", detail.sequence.missing_numbers))
    return rows + (_order(detail.order) if detail.order else [])


@rows_of.register
def _nested(detail: NestedSummary, _: int) -> list[Row]:
    rows = [_count("depth", detail.depth)]
    if detail.fields:
        rows.append(("fields", ", ".join(detail.fields), ""))
    if detail.lengths:
        rows += [_shown("entries", detail.lengths.median), _count("empty_lists", detail.empty)]
    return rows


def _order(order: Order) -> list[Row]:
    return [] if order in (Order.NONE, Order.CONSTANT) else [("order", _word(order), "")]


def _neighbours(detail: QuantitySummary) -> list[Row]:
    found = _autocorrelation(detail)
    return [] if found is None else [_shown("autocorrelation", found)]


def _word(code: str) -> str:
    word: str = catalogue()["values"][code]
    return word


def _count(code: str, count: int) -> Row:
    return (code, whole(count), str(count))


def _shown(code: str, value: Statistic) -> Row:
    if known(value):
        return (code, number(float(value), 4), repr(value))
    reason: str = catalogue()["reasons"][value.absent]  # type: ignore[union-attr]
    return (code, "–", reason)
