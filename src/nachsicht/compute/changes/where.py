"""Where a change sits: the level of another column that holds most of it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from nachsicht.compute.changes.change import Between, Change
from nachsicht.compute.changes.level_causes import levels_of
from nachsicht.compute.levels_in import MOST_LEVELS
from nachsicht.model.column import MomentSummary
from nachsicht.model.profile import GapsByLevel, ProfileDocument, SpreadByLevel

#: A level holds a change if it has this part of it, at odds so many times those of its rows.
_MOST, _ODDS = 0.6, 4.0


class Place(NamedTuple):
    """A level of a column, its part of the change, and its share of the rows."""

    by: str
    level: str
    part: float
    share: float


def rise_of_gaps(change: Change) -> Place | None:
    """The level that holds most of the new gaps.

    The new gaps of a level are those beyond its former missing share (for a level that was
    not there, such as a new month: beyond the column's).
    """
    old, new = change.between.old.profile, change.between.new.profile
    before = {
        (table.by, level): gap / rows
        for table in _gaps(old, change.old.name)
        for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        if rows
    }
    places = []
    for table in _gaps(new, change.new.name):
        risen = [
            max(0.0, gap - before.get((table.by, level), change.old.missing_share) * rows)
            for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        ]
        places += _places(table.by, table.levels, risen, table.rows)
    return _largest(places)


def move_of_spread(change: Change) -> Place | None:
    """The level whose rows moved most of the mean."""
    before = {
        (table.by, level): mean
        for table in _spreads(change.between.old.profile, change.old.name)
        for level, mean in zip(table.levels, table.means, strict=True)
    }
    places = []
    for table in _spreads(change.between.new.profile, change.new.name):
        shared = [
            (level, rows, rows * (mean - before[table.by, level]))
            for level, rows, mean in zip(table.levels, table.rows, table.means, strict=True)
            if (table.by, level) in before
        ]
        if shared:
            names, rows, moved = zip(*shared, strict=True)
            # Movement against the others' adds nothing to the change.
            way = 1 if sum(moved) > 0 else -1
            places += _places(table.by, names, [max(0.0, way * m) for m in moved], rows)
    return _largest(places)


def loss_of_rows(between: Between, lost: int) -> Place | None:
    """The level that lost most of the rows that are fewer now."""
    places = []
    old, new = between.old.profile, between.new.profile
    for column in old.columns:
        after = new.column(column.name)
        counts = _counts(old, column.name)
        if after is None or counts is None or len(counts) > MOST_LEVELS + 1:
            continue
        now = _counts(new, column.name)
        if now is None:
            continue
        names = sorted(counts)
        gone = [float(max(0, counts[name] - now.get(name, 0))) for name in names]
        if sum(gone) < 2 * lost:  # else levels were exchanged, not lost
            places += _places(column.name, names, gone, [counts[name] for name in names])
    return _largest(places)


def _counts(version: ProfileDocument, name: str) -> dict[str, int] | None:
    """Rows by level of a category, or by the calendar of a moment."""
    column = version.column(name)
    if column is None:
        return None
    if isinstance(column.detail, MomentSummary):
        tables = [table for table in version.spread_by_level if table.by == name]
        tables = sorted(tables, key=lambda table: -sum(table.rows))
        return dict(zip(tables[0].levels, tables[0].rows, strict=True)) if tables else None
    return levels_of(column.detail)


def _places(by: str, levels: Iterable[str], parts: list[float], rows: Iterable[int]) -> list[Place]:
    counts = list(rows)
    total, whole = sum(parts), sum(counts)
    if total <= 0 or whole <= 0:
        return []
    return [
        Place(by, level, part / total, n / whole)
        for level, part, n in zip(levels, parts, counts, strict=True)
    ]


def _largest(places: list[Place]) -> Place | None:
    fit = [p for p in places if p.level and p.part >= _MOST and _out_of_proportion(p)]
    return max(fit, key=lambda p: (p.part - p.share, p.by, p.level), default=None)


def _out_of_proportion(place: Place) -> bool:
    return place.part * (1 - place.share) > _ODDS * place.share * (1 - place.part)


def _gaps(version: ProfileDocument, column: str) -> list[GapsByLevel]:
    return [table for table in version.gaps_by_level if table.column == column]


def _spreads(version: ProfileDocument, column: str) -> list[SpreadByLevel]:
    return [table for table in version.spread_by_level if table.column == column]
