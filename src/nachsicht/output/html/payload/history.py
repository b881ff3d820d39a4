"""The data of a history's page: the versions, what happened, and the course of every column."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite
from typing import Any

import numpy as np

from nachsicht.comparison.courses.course import ColumnCourse, Courses, reason_of, severity_of
from nachsicht.comparison.courses.happenings import Happening
from nachsicht.i18n import number, percent, phrase, whole
from nachsicht.model.findings import Finding, Severity
from nachsicht.tables.courses import CoursesPart, detail_of, most_urgent, state_of, title_of

#: Between these shares of the versions before, a number of a column is usual.
_USUAL = (0.05, 0.95)
#: So many relations are listed.
_MOST_RELATIONS = 12
#: No more digits than a drawing can show; of shares, so many decimals.
_DIGITS, _DECIMALS = 5, 4


def history_payload(
    part: CoursesPart,
    title: str,
    moments: Sequence[str],
    logo: str | None = None,
    step: Sequence[Finding] = (),
) -> dict[str, Any]:
    """Everything that the page of a history shows, in the current language."""
    found = part.found
    by_column: dict[str, list[Happening]] = {}
    for each in found.happened:
        by_column.setdefault(each.column, []).append(each)
    places = {label: place for place, label in enumerate(found.labels)}
    return {
        "title": title,
        "logo": logo,
        "verdict": {"headline": part.headline, "detail": part.detail},
        "judged": part.enough,
        "versions": {
            "labels": found.labels,
            "moments": tuple(moments),
            "rows": found.rows,
            "marks": _marks(found.happened, places),
        },
        "findings": [_finding(group, places) for group in _in_order(found)],
        "step": [
            {
                "severity": finding.severity,
                "title": finding.title,
                "sentence": finding.sentence,
                "columns": finding.columns,
                "accepted": finding.accepted,
            }
            for finding in step
        ],
        "whole": _whole(found),
        "relations": _relations(found),
        "columns": [
            _column(column, by_column.get(column.name, []), places) for column in found.columns
        ],
    }


def _in_order(found: Courses) -> list[tuple[Happening, ...]]:
    """What happened to the newest version first, then by severity, then the surest first.

    What is accepted comes last.
    """
    return sorted(
        found.together,
        key=lambda group: (
            reason_of(group) is not None,
            not group[0].newest,
            severity_of(group).rank,
        ),
    )


def _finding(group: Sequence[Happening], places: dict[str, int]) -> dict[str, Any]:
    first = group[0]
    return {
        "severity": severity_of(group),
        "accepted": reason_of(group),
        "form": first.form,
        "title": title_of(group),
        "columns": list(dict.fromkeys(each.column for each in group if each.column)),
        "sentences": [(each.column, detail_of(each)) for each in group if len(group) > 1],
        "first": places[first.first],
        "last": places[first.last],
    }


def _marks(happened: Sequence[Happening], places: dict[str, int]) -> dict[str, Severity]:
    """By the place of a version, how urgent what happened there is; a season is no place."""
    found: dict[int, Severity] = {}
    for each in happened:
        if each.form == "season" or each.severity is Severity.NOTE or each.accepted is not None:
            continue
        first, last = places[each.first], places[each.last]
        for place in range(first, (last if each.form == "spike" else first) + 1):
            known = found.get(place, each.severity)
            found[place] = min(known, each.severity, key=lambda severity: severity.rank)
    return {str(place): severity for place, severity in sorted(found.items())}


def _column(
    column: ColumnCourse, happened: Sequence[Happening], places: dict[str, int]
) -> dict[str, Any]:
    urgent = most_urgent([e for e in happened if e.form != "season" and e.accepted is None])
    shares = _largest_shares(column)
    return {
        "name": column.name,
        "kind": column.kind,
        "state": state_of(happened),
        "severity": urgent.severity if urgent else None,
        "about_missing": urgent is not None and urgent.statistic == "missing_share",
        "unusual": "".join(" " if step < 0 else str(step) for step in column.unusual),
        "marks": _marks(happened, places),
        "typical": _typical(column, shares),
        "missing_now": _against_past(column.missing, percent),
        "quantiles": [_digits(values) for values in column.quantiles],
        "missing": _decimals(column.missing),
        "distinct": _digits(column.distinct),
        "shares": [[level, _decimals(values)] for level, values in shares],
    }


def _whole(found: Courses) -> list[tuple[str, str, str]]:
    """Of the table as a whole: what, the newest number, and what was usual before."""
    missing = np.array([column.missing for column in found.columns]).reshape(-1, len(found.rows))
    there = np.isfinite(missing)
    cells = np.where(there, missing, 0.0).sum(axis=0) / np.maximum(there.sum(axis=0), 1)
    repeated = np.array(found.duplicates) / np.maximum(found.rows, 1)
    columns = there.sum(axis=0)
    return [
        (phrase("page.rows"), *_against_past(found.rows, _count)),
        (phrase("page.history_columns"), *_against_past(columns.tolist(), _count)),
        (phrase("page.missing_cells"), *_against_past(cells.tolist(), percent)),
        (phrase("page.repeated_rows"), *_against_past(repeated.tolist(), percent)),
    ]


def _relations(found: Courses) -> list[dict[str, str]]:
    """The relations of the newest version that are farthest from usual, and what was usual."""
    known = [pair for pair in found.relations if isfinite(pair.values[-1])]

    def away(values: Sequence[float]) -> float:
        past = [value for value in values[:-1] if isfinite(value)]
        return abs(values[-1] - float(np.median(past))) if past else 0.0

    known.sort(key=lambda pair: -away(pair.values))
    lines = []
    for pair in known[:_MOST_RELATIONS]:
        now, usual = _against_past(pair.values, _two_decimals)
        lines.append({"x": pair.x, "y": pair.y, "now": now, "usual": usual})
    return lines


def _count(value: float) -> str:
    return whole(round(value))


def _two_decimals(value: float) -> str:
    return number(round(value, 2))


def _largest_shares(column: ColumnCourse) -> list[tuple[str, tuple[float, ...]]]:
    """The levels that are followed, the largest of the newest version that has any first."""
    newest = next((i for i in range(len(column.missing) - 1, -1, -1) if _has_any(column, i)), 0)
    return sorted(column.shares.items(), key=lambda entry: -_or_zero(entry[1][newest]))


def _has_any(column: ColumnCourse, place: int) -> bool:
    return any(isfinite(values[place]) for values in column.shares.values())


def _or_zero(value: float) -> float:
    return value if isfinite(value) else 0.0


def _typical(
    column: ColumnCourse, shares: Sequence[tuple[str, tuple[float, ...]]]
) -> tuple[str, str, str]:
    """What the number is of (nothing of a quantity), the newest, and what was usual before."""
    if column.quantiles:
        return ("", *_against_past(column.quantiles[len(column.quantiles) // 2], number))
    if shares:
        level, values = shares[0]
        return (level, *_against_past(values, percent))
    distinct = _against_past(column.distinct, _count)
    return (phrase("page.distinct"), *distinct)


def _against_past(values: Sequence[float], text: Any) -> tuple[str, str]:
    """The newest number, and between which those of the versions before it are usually."""
    newest = text(values[-1]) if isfinite(values[-1]) else "–"
    past = [value for value in values[:-1] if isfinite(value)]
    if not past:
        return newest, ""
    low, high = (text(float(bound)) for bound in np.quantile(past, _USUAL, method="nearest"))
    return newest, low if low == high else f"{low} … {high}"


def _digits(values: Sequence[float]) -> list[float | None]:
    return [float(f"{value:.{_DIGITS}g}") if isfinite(value) else None for value in values]


def _decimals(values: Sequence[float]) -> list[float | None]:
    return [round(value, _DECIMALS) if isfinite(value) else None for value in values]
