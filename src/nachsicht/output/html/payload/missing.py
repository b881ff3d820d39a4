"""What the page is given of missing values in the whole table."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from typing import Any

from nachsicht.i18n import count, count_share, percent, phrase, whole
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import ComparisonDocument, summaries_of
from nachsicht.model.kinds import Kind
from nachsicht.model.missing import MissingPatterns
from nachsicht.model.profile import ProfileDocument
from nachsicht.output.html.payload.by_version import Row, columns_counted, counted

#: Patterns and pairs that are listed.
_LISTED = 12
#: Columns whose missing values are drawn.
_DRAWN = 60


def missing_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """Missing values of all versions side by side; None where no version has any."""
    versions = document.versions
    if not any(version.missing_cells for version in versions):
        return None
    newest = versions[-1].missing_patterns
    return {
        "facts": _facts(versions),
        "columns": _columns(document),
        "matrices": [_matrix(version) for version in versions],
        "patterns": _patterns([version.missing_patterns for version in versions]),
        "further": phrase(
            "page.further_patterns",
            n=whole(newest.other_patterns),
            rows=count(newest.other_rows),
        )
        if newest.other_patterns
        else "",
        "groups": [group.columns for group in newest.groups],
        "pairs": [
            (pair.x, pair.y, count(pair.rows), percent(pair.jaccard))
            for pair in newest.pairs[:_LISTED]
        ],
    }


def amount_word(share: float, bounds: tuple[float, float]) -> str:
    """What a share of missing values means, in a word."""
    if share <= 0:
        return phrase("page.missing_none")
    if share < bounds[0]:
        return phrase("page.missing_some")
    return phrase("page.missing_many" if share < bounds[1] else "page.missing_mostly")


def _among(version: ProfileDocument, column: str) -> list[str]:
    """Levels of other columns in which a column is missing far more than elsewhere."""
    told = {one.by for one in version.missing_ranges if one.column == column}
    return [
        phrase(
            "page.missing_hotspot",
            by=one.by,
            level=phrase("page.missing") if one.level is None else one.level,
            share=percent(one.missing / one.rows),
            missing=whole(one.missing),
            elsewhere=percent(one.elsewhere),
        )
        for one in version.missing_hotspots
        if one.column == column and one.by not in told
    ]


def _matrix(version: ProfileDocument) -> dict[str, Any] | None:
    """The missing cells of a few rows, and the tree of the columns; cells are in base64."""
    found = version.missing_matrix
    if found is None:
        return None
    more = phrase("page.further_columns", n=found.left_out) if found.left_out else ""
    return {
        "columns": found.columns,
        "rows": found.rows,
        "cells": base64.b64encode(found.cells).decode(),
        "merges": found.merges,
        "caption": phrase("page.missing_matrix_caption", n=found.rows, label=version.label),
        "more": more,
    }


def _where(version: ProfileDocument, column: str) -> list[str]:
    """The neighbouring rows, and the time, in which a column is missing far more than elsewhere."""
    return [
        phrase(
            "page.missing_in_rows" if one.by is None else "page.missing_in_time",
            by=one.by,
            first=one.first,
            last=one.last,
            share=percent(one.missing / max(one.rows, 1)),
            missing=whole(one.missing),
            elsewhere=percent(one.elsewhere),
        )
        for one in version.missing_ranges
        if one.column == column
    ]


def _by_moment(version: ProfileDocument, column: str) -> tuple[str, list[float]] | None:
    """The moment column that divides the rows, and the missing share in each of its units."""
    for table in version.missing_by_level:
        by = version.column(table.by)
        if table.column == column and by is not None and by.kind is Kind.DATETIME:
            shares = [
                round(missing / rows, 3) if rows else 0.0
                for level, rows, missing in zip(
                    table.levels, table.rows, table.missing, strict=True
                )
                if level is not None
            ]
            return table.by, shares
    return None


def _facts(versions: Sequence[ProfileDocument]) -> list[Row]:
    rows = [version.rows for version in versions]
    complete = [version.missing_patterns.complete_rows for version in versions]
    touched = [total - whole for total, whole in zip(rows, complete, strict=True)]
    affected = [sum(c.missing > 0 for c in version.columns) for version in versions]
    empty = [sum(c.missing == c.rows > 0 for c in version.columns) for version in versions]
    cells = [version.cells for version in versions]
    return [
        counted("missing_cells", [version.missing_cells for version in versions], cells),
        counted("complete_rows", complete, rows),
        counted("rows_with_missing", touched, rows),
        columns_counted("columns_with_missing", affected),
        columns_counted("columns_all_missing", empty),
    ]


def _columns(document: ComparisonDocument) -> list[dict[str, Any]]:
    """Columns with missing values in any version, those with the most in the newest first."""
    found = []
    for across in document.columns:
        summaries = summaries_of(across, document.versions)
        shares = [summary.missing_share if summary else None for summary in summaries]
        if any(shares):
            found.append((across.name, shares, summaries))
    found.sort(key=lambda column: (-(column[1][-1] or 0.0), column[0]))
    return [
        {
            "name": name,
            "shares": [s and count_share(s.missing, s.rows) for s in summaries],
            "change": _change(shares),
            "views": [
                _view(version, summary) if summary else None
                for version, summary in zip(document.versions, summaries, strict=True)
            ]
            if place < _DRAWN
            else [],
        }
        for place, (name, shares, summaries) in enumerate(found)
    ]


def _change(shares: Sequence[float | None]) -> float | None:
    """By how many points of a hundred the newest share is above the one before."""
    if len(shares) < 2 or shares[-1] is None or shares[-2] is None:
        return None
    return round(100 * (shares[-1] - shares[-2]), 2)


def _view(version: ProfileDocument, column: ColumnSummary) -> dict[str, Any]:
    """The missing values of a column in one version."""
    name = column.name
    places = next((p for p in version.missing_patterns.counts_by_block if p.column == name), None)
    return {
        "word": amount_word(column.missing_share, version.missing_thresholds),
        "lost": count(column.missing),
        "among": [*_where(version, name), *_among(version, name)],
        "over_time": _by_moment(version, name),
        "only": count(version.missing_patterns.sole_missing.get(name, 0)),
        "block_rows": places.block_rows if places else 0,
        "places": [round(count / places.block_rows, 3) for count in places.missing]
        if places
        else [],
    }


def _patterns(gaps: Sequence[MissingPatterns]) -> list[dict[str, Any]]:
    """The patterns of the newest version, with the rows that had them in the others."""
    known = [{pattern.columns: pattern.rows for pattern in side.patterns} for side in gaps]
    found = []
    for pattern in gaps[-1].patterns[:_LISTED]:
        rows = [
            side.get(pattern.columns, None if counts.other_patterns else 0)
            for side, counts in zip(known, gaps, strict=True)
        ]
        _, texts, change = counted("", rows)
        share = percent(pattern.rows / max(gaps[-1].rows, 1))
        found.append({"columns": pattern.columns, "rows": [texts, change], "share": share})
    return found
