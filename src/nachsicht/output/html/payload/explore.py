"""What the page is given to explore: evenly drawn rows of every version, cell by cell."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.i18n import number, phrase, whole
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.profile import ProfileDocument

#: Fewer rows are read, not explored.
_FEWEST = 20
#: Half of a 95 % interval, in standard errors.
_NORMAL_95 = 1.96


def explore_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """The rows of every version, under the names of the newest; None where none are kept."""
    kept = [version.sampled_rows for version in document.versions]
    newest = kept[-1]
    if newest is None or newest.rows < _FEWEST or len(newest.columns) < 2:
        return None
    versions = []
    for i, sampled in enumerate(kept):
        names = {own: c.name for c in document.columns if (own := c.names[i])}
        versions.append(
            {
                "rows": sampled.rows if sampled else 0,
                "columns": [
                    {**msgspec.to_builtins(column), "name": names.get(column.name, column.name)}
                    for column in (sampled.columns if sampled else ())
                ],
            }
        )
    return {
        "sentence": _sentence(document.versions[-1]),
        "first": [name for name in _first(document) if name],
        "versions": versions,
        "left_out": list(newest.left_out),
    }


def _first(document: ComparisonDocument) -> list[str | None]:
    """Columns that stand first: the outcome, then those of the most urgent findings."""
    outcome = document.versions[-1].outcome
    named = [name for finding in document.findings for name in finding.columns]
    return [outcome.column if outcome else None, *dict.fromkeys(named)]


def _sentence(version: ProfileDocument) -> str:
    """How many rows these are, and how far shares may be off."""
    rows = version.sampled_rows.rows if version.sampled_rows else 0
    if rows >= version.rows:
        return phrase("page.explore_all", n=whole(rows))
    spread = (0.25 / rows * (1 - rows / version.rows)) ** 0.5
    off = number(100 * _NORMAL_95 * spread, 2)
    return phrase("page.explore_drawn", n=whole(rows), all=whole(version.rows), off=off)
