"""What the page is given of the gaps of the whole table."""

from __future__ import annotations

from typing import Any

from nachsicht.model.comparison import ComparisonDocument, summaries_of
from nachsicht.model.gaps import GapPatterns
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument
from nachsicht.words import percent, phrase, whole

#: Patterns and pairs that are listed.
_LISTED = 12


def gaps_of(document: ComparisonDocument) -> dict[str, Any] | None:
    """Gaps of all versions side by side; None where no version has any."""
    versions = document.versions
    if not any(version.missing_cells for version in versions):
        return None
    newest = versions[-1].gaps
    return {
        "facts": [_facts(version) for version in versions],
        "columns": _columns(document),
        "patterns": _patterns([version.gaps for version in versions]),
        "further": phrase(
            "page.further_patterns",
            n=whole(newest.further_patterns),
            rows=whole(newest.further_rows),
        )
        if newest.further_patterns
        else "",
        "groups": [group.columns for group in newest.groups],
        "pairs": [
            (pair.one, pair.other, whole(pair.rows), percent(pair.shared))
            for pair in newest.pairs[:_LISTED]
        ],
    }


def gap_word(share: float, bounds: tuple[float, float]) -> str:
    """What a share of missing values means, in a word."""
    if share <= 0:
        return phrase("page.gaps_none")
    if share < bounds[0]:
        return phrase("page.gaps_some")
    return phrase("page.gaps_lot" if share < bounds[1] else "page.gaps_mostly")


def _among(version: ProfileDocument, column: str) -> list[str]:
    """Levels of other columns in which a column is missing far more than elsewhere."""
    return [
        phrase(
            "page.gaps_among",
            by=one.by,
            level=one.level or phrase("page.missing"),
            share=percent(one.missing / one.rows),
            missing=whole(one.missing),
            elsewhere=percent(one.elsewhere),
        )
        for one in version.gaps_among
        if one.column == column
    ]


def _by_moment(version: ProfileDocument, column: str) -> tuple[str, list[float]] | None:
    """The moment column that divides the rows, and the missing share in each of its units."""
    for table in version.gaps_by_level:
        by = version.column(table.by)
        if table.column == column and by is not None and by.kind is Kind.MOMENT:
            shares = [
                round(missing / rows, 3) if rows else 0.0
                for level, rows, missing in zip(
                    table.levels, table.rows, table.missing, strict=True
                )
                if level
            ]
            return table.by, shares
    return None


def _facts(version: ProfileDocument) -> dict[str, str]:
    rows, gaps = max(version.rows, 1), version.gaps
    touched = version.rows - gaps.complete_rows
    affected = sum(column.missing > 0 for column in version.columns)
    return {
        "missing_cells": f"{whole(version.missing_cells)} "
        f"({percent(version.missing_cells / max(version.cells, 1))})",
        "complete_rows": f"{whole(gaps.complete_rows)} ({percent(gaps.complete_rows / rows)})",
        "rows_with_gaps": f"{whole(touched)} ({percent(touched / rows)})",
        "columns_with_gaps": whole(affected),
        "columns_all_missing": whole(
            sum(column.missing == column.rows > 0 for column in version.columns)
        ),
    }


def _columns(document: ComparisonDocument) -> list[dict[str, Any]]:
    """Columns with gaps in any version, those with the most in the newest first."""
    found = []
    for across in document.columns:
        summaries = summaries_of(across, document.versions)
        shares = [summary.missing_share if summary else None for summary in summaries]
        if not any(shares):
            continue
        gaps = document.versions[-1].gaps
        places = next((p for p in gaps.places if p.column == across.name), None)
        newest = shares[-1] or 0.0
        found.append(
            {
                "name": across.name,
                "shares": [None if share is None else percent(share) for share in shares],
                "share": newest,
                "word": gap_word(newest, document.versions[-1].gap_bounds),
                "lost": whole(summaries[-1].missing) if summaries[-1] else "–",
                "among": _among(document.versions[-1], across.name),
                "over_time": _by_moment(document.versions[-1], across.name),
                "only": whole(gaps.only_missing.get(across.name, 0)),
                "block_rows": places.block_rows if places else 0,
                "places": [round(count / places.block_rows, 3) for count in places.missing]
                if places
                else [],
            }
        )
    return sorted(found, key=lambda column: (-column["share"], column["name"]))


def _patterns(gaps: list[GapPatterns]) -> list[dict[str, Any]]:
    """The patterns of the newest version, with the rows that had them in the others."""
    known = [{pattern.columns: pattern.rows for pattern in side.patterns} for side in gaps]
    return [
        {
            "columns": pattern.columns,
            "rows": [
                whole(side[pattern.columns])
                if pattern.columns in side
                else ("–" if counts.further_patterns else "0")
                for side, counts in zip(known, gaps, strict=True)
            ],
            "share": percent(pattern.rows / max(gaps[-1].rows, 1)),
        }
        for pattern in gaps[-1].patterns[:_LISTED]
    ]
