"""The table as a whole in a few numbers, each with what it was in the version before."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

from nachsicht.i18n import catalogue, count, percent, phrase, size, whole
from nachsicht.model.column import DatetimeSummary
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.profile import ProfileDocument

#: Letters of a date without a time of day.
_DATE = 10


def overview_payload(document: ComparisonDocument) -> list[dict[str, str]]:
    """Rows, columns, missing cells, complete rows, duplicates, memory and the period covered."""
    newest = document.versions[-1]
    compared = len(document.versions) > 1 and document.grouped_by is None
    older = document.versions[-2] if compared else None
    found = []
    for name, number_of, note_of in _NUMBERS:
        value = number_of(newest)
        if not value:
            continue
        was = number_of(older) if older else ""
        same = was == value
        notes = [
            note_of(newest),
            phrase("page.as_before" if same else "page.was", value=was) if was else "",
        ]
        found.append({"name": name, "value": value, "note": " · ".join(filter(None, notes))})
    return found


def _rows(version: ProfileDocument) -> str:
    return count(version.rows)


def _columns(version: ProfileDocument) -> str:
    return whole(len(version.columns))


def kinds_of(version: ProfileDocument) -> str:
    """How many columns there are of each kind, the most frequent first."""
    counts = Counter(str(column.kind) for column in version.columns)
    return ", ".join(f"{n} {catalogue()['kinds'][kind]}" for kind, n in counts.most_common())


def _missing(version: ProfileDocument) -> str:
    return percent(version.missing_cells / version.cells) if version.cells else ""


def _complete(version: ProfileDocument) -> str:
    return percent(version.missing_patterns.complete_rows / version.rows) if version.rows else ""


def _duplicates(version: ProfileDocument) -> str:
    about = "≈ " if version.duplicates.uncertainty else ""
    return about + count(version.duplicates.duplicate_rows)


def _memory(version: ProfileDocument) -> str:
    return size(version.memory_bytes) if version.memory_bytes else ""


def _period(version: ProfileDocument) -> str:
    """From the first to the last date of the column that rows are drawn over, or of any."""
    named = version.over_time.time_column if version.over_time else None
    moments = {
        column.name: column.stats
        for column in version.columns
        if isinstance(column.stats, DatetimeSummary) and not column.stats.time_of_day
    }
    chosen = moments.get(named or "") or next(iter(moments.values()), None)
    if chosen is None:
        return ""
    return f"{chosen.minimum[:_DATE]} – {chosen.maximum[:_DATE]}"


def _nothing(_: ProfileDocument) -> str:
    return ""


def _counted(rows_of: Callable[[ProfileDocument], int]) -> Callable[[ProfileDocument], str]:
    return lambda version: count(rows_of(version))


_NUMBERS: tuple[tuple[str, Callable[[ProfileDocument], str], Any], ...] = (
    ("rows", _rows, _nothing),
    ("columns_n", _columns, kinds_of),
    ("missing_cells", _missing, _counted(lambda version: version.missing_cells)),
    ("complete_rows", _complete, _counted(lambda v: v.missing_patterns.complete_rows)),
    ("duplicate_rows", _duplicates, _nothing),
    ("memory", _memory, _nothing),
    ("period", _period, _nothing),
)
