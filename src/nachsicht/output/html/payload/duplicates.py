"""What the page is given of duplicate rows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nachsicht.i18n import count, count_share, phrase, whole
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.profile import Duplicates, ProfileDocument
from nachsicht.output.html.payload.by_version import Row, counted

#: Columns of which a group of equal rows shows the cells.
_CELLS = 6


def duplicates_payload(document: ComparisonDocument) -> dict[str, Any]:
    """Duplicates of every version, and how many more or fewer there are."""
    return {
        "facts": _facts(document.versions),
        "versions": [_looks(version) for version in document.versions],
    }


def _facts(versions: Sequence[ProfileDocument]) -> list[Row]:
    duplicates = [version.duplicates for version in versions]
    rows = [version.rows for version in versions]
    about = [look.uncertainty > 0 for look in duplicates]
    return [
        counted("duplicate_rows", [look.duplicate_rows for look in duplicates], rows, about),
        counted("rows_once", [look.distinct_rows for look in duplicates], rows, about),
    ]


def _looks(version: ProfileDocument) -> list[dict[str, Any]]:
    """Rows compared in all columns, and in others where that says more."""
    found = [_look(version, version.duplicates)] if version.duplicates.duplicate_rows else []
    for duplicates in version.duplicates_by_subset:
        if duplicates.duplicate_rows > version.duplicates.duplicate_rows:
            found.append(_look(version, duplicates))
    return found


def _look(version: ProfileDocument, duplicates: Duplicates) -> dict[str, Any]:
    left_out = [c.name for c in version.columns if c.name not in duplicates.columns]
    return {
        "sentence": phrase(
            "page.duplicates_sentence",
            n=duplicates.duplicate_rows,
            rows=("≈ " if duplicates.uncertainty else "") + count(duplicates.duplicate_rows),
            share=count_share(duplicates.duplicate_rows, version.rows),
            columns=_columns(duplicates, left_out),
        ),
        "runs": [
            phrase(
                "page.duplicates_run",
                first=whole(block.first_row),
                last=whole(block.last_row),
                original=whole(block.first_original_row),
            )
            for block in duplicates.runs
        ],
        "block_rows": duplicates.block_rows,
        "counts_by_block": [
            round(n / duplicates.block_rows, 3) for n in duplicates.counts_by_block
        ],
        "columns": list(version.excerpt.columns[:_CELLS]),
        "groups": [
            [whole(group.rows), _numbers(group.row_numbers, group.rows), list(group.cells[:_CELLS])]
            for group in duplicates.groups
        ],
    }


def _columns(duplicates: Duplicates, left_out: list[str]) -> str:
    if not duplicates.columns:
        return phrase("page.in_all_columns")
    if len(left_out) < len(duplicates.columns):
        return phrase("page.in_all_but", list=", ".join(left_out))
    return phrase("page.in_columns", list=", ".join(duplicates.columns))


def _numbers(places: tuple[int, ...], rows: int) -> str:
    return ", ".join(map(whole, places)) + (" …" if rows > len(places) else "")
