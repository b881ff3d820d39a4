"""What the page is given: the part of a comparison that it shows, with numbers for people.

The page draws what stands here and computes nothing but sums of neighbouring bins.
"""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    IdentifierSummary,
    Level,
    MomentSummary,
    NumberCount,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.comparison import ColumnAcross, ComparisonDocument
from nachsicht.model.profile import ProfileDocument
from nachsicht.model.statistics import Statistic, known
from nachsicht.words import catalogue, number, percent, size, whole

#: Rows of the table of statistics of a quantity, in the order of reading.
STATISTICS = (
    "mean",
    "sd",
    "minimum",
    "median",
    "maximum",
    "range",
    "iqr",
    "mad",
    "variation",
    "skewness",
    "kurtosis",
    "sum",
)


def payload_of(document: ComparisonDocument) -> dict[str, Any]:
    """The page's data, as plain values."""
    return {
        "title": document.title,
        "compared": len(document.versions) > 1,
        "verdict": msgspec.to_builtins(document.verdict),
        "findings": [msgspec.to_builtins(finding) for finding in document.findings],
        "versions": [_version(version) for version in document.versions],
        "columns": [_column(column, document.versions) for column in document.columns],
    }


def _version(version: ProfileDocument) -> dict[str, Any]:
    cells = version.cells
    repeated = version.repeats.repeated_rows
    origin = version.origin
    return {
        "label": version.label,
        "rows": version.rows,
        "columns": len(version.columns),
        "facts": {
            "rows": whole(version.rows),
            "columns_n": whole(len(version.columns)),
            "missing_cells": _counted_share(version.missing_cells, cells),
            "repeated_rows": _counted_share(repeated, version.rows),
            "memory": size(version.memory_bytes),
        },
        "origin": {
            "source": origin.source,
            "format": origin.format,
            "file_size": size(origin.source_bytes) if origin.source_bytes is not None else "–",
            "made_at": origin.made_at,
            "seconds": number(origin.seconds),
            "made_with": f"Nachsicht {origin.nachsicht_version}, Python {origin.python_version}",
            "notes": "; ".join(origin.notes) or "–",
        },
    }


def _counted_share(count: int, of: int) -> str:
    return f"{whole(count)} ({percent(count / of)})" if of else whole(count)


def _column(across: ColumnAcross, versions: tuple[ProfileDocument, ...]) -> dict[str, Any]:
    summaries = [
        version.column(name) if name is not None else None
        for version, name in zip(versions, across.names, strict=True)
    ]
    newest = next(summary for summary in reversed(summaries) if summary)
    last = across.steps[-1] if across.steps else None
    return {
        "name": across.name,
        "names": across.names,
        "kind": across.kind,
        "reason": newest.kind_reason,
        "weight": across.weight,
        "spread": msgspec.to_builtins(across.spread),
        "change": last.distance if last else None,
        "measure": last.measure if last else "",
        "versions": [_summary(summary) if summary else None for summary in summaries],
    }


def _summary(column: ColumnSummary) -> dict[str, Any]:
    return {
        "name": column.name,
        "stored": column.stored_type,
        "rows": column.rows,
        "present": column.present,
        "missing": column.missing,
        "missing_share": column.missing_share,
        "missing_text": percent(column.missing_share),
        "distinct": column.distinct,
        "typical": typical(column),
        "frequent": [_level(level) for level in column.frequent],
        "statistics": _statistics(column),
        "quantiles": _quantiles(column),
        "lowest": _ends(column, "lowest"),
        "highest": _ends(column, "highest"),
    }


def typical(column: ColumnSummary) -> str:
    """The typical value in a few characters: a median, a range of dates, a frequent level."""
    detail = column.detail
    if isinstance(detail, QuantitySummary):
        return number(float(detail.median)) if known(detail.median) else "–"
    if isinstance(detail, TextSummary):
        median = detail.characters.median
        return f"{number(float(median))} characters" if known(median) else "–"
    if isinstance(detail, CategorySummary) and column.frequent:
        top = column.frequent[0]
        return f"{_short(top.value)} {percent(top.count / max(column.present, 1))}"
    if isinstance(detail, MomentSummary):
        return f"{detail.minimum[:10]} … {detail.maximum[:10]}"
    if isinstance(detail, IdentifierSummary) and detail.shapes:
        return _short(detail.shapes[0].value)
    return "–"


def _short(text: str, most: int = 18) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _level(level: Level) -> dict[str, Any]:
    return {"value": level.value, "count": level.count}


def _statistics(column: ColumnSummary) -> list[tuple[str, str, str]]:
    """(code of the statistic, rounded, exact), the words being the page's."""
    detail = column.detail
    rows: list[tuple[str, str, str]] = []
    if isinstance(detail, QuantitySummary):
        rows += [(code, *_shown(getattr(detail, code))) for code in STATISTICS]
        infinite = detail.infinite_below + detail.infinite_above
        counts = (("zeros", detail.zeros), ("negatives", detail.negatives), ("infinite", infinite))
        rows += [(code, whole(count), str(count)) for code, count in counts]
    elif isinstance(detail, CategorySummary):
        rows.append(("evenness", *_shown(detail.evenness)))
    elif isinstance(detail, MomentSummary):
        rows += [
            ("minimum", detail.minimum, detail.minimum),
            ("maximum", detail.maximum, detail.maximum),
        ]
        if not detail.clock:
            rows.append(("span_days", number(detail.span_days), repr(detail.span_days)))
    elif isinstance(detail, TextSummary):
        rows += [
            ("characters", *_shown(detail.characters.median)),
            ("words", *_shown(detail.words.median)),
            ("blank", whole(detail.blank), str(detail.blank)),
        ]
    elif isinstance(detail, IdentifierSummary):
        rows.append(("repeated_values", whole(detail.repeated_values), str(detail.repeated_values)))
    return rows


def _shown(value: Statistic) -> tuple[str, str]:
    if known(value):
        return number(float(value), 4), repr(value)
    reason: str = catalogue()["reasons"][value.absent]  # type: ignore[union-attr]
    return "–", reason


def _quantiles(column: ColumnSummary) -> list[tuple[float, str]]:
    if not isinstance(column.detail, QuantitySummary):
        return []
    return [(point.share, number(point.value, 4)) for point in column.detail.quantiles]


def _ends(column: ColumnSummary, which: str) -> list[dict[str, Any]]:
    if not isinstance(column.detail, QuantitySummary):
        return []
    ends: tuple[NumberCount, ...] = getattr(column.detail, which)
    return [{"value": number(float(end.value), 6), "count": end.count} for end in ends[:5]]
