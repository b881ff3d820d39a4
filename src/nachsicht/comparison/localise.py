"""Where a change sits, by what profiles keep: the level of another column that holds most of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Literal, NamedTuple, cast

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.columns.datetime import observe_datetimes
from nachsicht.columns.levels import MOST_LEVELS, in_order
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.context import ColumnChange, Version, VersionPair
from nachsicht.i18n import plain_number
from nachsicht.model.column import ColumnSummary, DatetimeSummary
from nachsicht.model.profile import GroupStats, MissingByLevel, ProfileDocument
from nachsicht.stats.ecdf import Curve
from nachsicht.stats.hypothesis_tests import shares_p_value

#: A level holds a change if it has this part of it, at odds so many times those of its rows.
_MOST, _ODDS = 0.6, 4.0
#: And its part of the change is so much larger than that of the rows.
_LEAST_BEYOND = 0.2
#: Other levels stay where they are if their means move by chance; those of few rows tell nothing.
_FEWEST_IN_LEVEL, _STILL = 5, 4.0
#: A stretch of fewer rows says nothing.
_FEWEST_IN_STRETCH = 10
#: Microseconds.
_DAY = 86_400e6


class Place(NamedTuple):
    """A level of a column, its part of the change, and its share of the rows.

    With ``cut`` it is no level but the end of a range, after or before which there are no rows
    any more.
    """

    by: str
    level: str | None
    part: float
    share: float
    cut: Literal["", "after", "before"] = ""


def where_missing_rose(change: ColumnChange) -> Place | None:
    """The level that holds most of the new missing values.

    The new missing values of a level are those beyond its former share (for a level that was
    not there, such as a new month: beyond the column's).
    """
    old, new = change.between.old.profile, change.between.new.profile
    before = {
        (table.by, level): gap / rows
        for table in _missing_by_level(old, change.old.name)
        for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        if rows
    }
    places = []
    for table in _missing_by_level(new, change.new.name):
        risen = [
            max(0.0, gap - before.get((table.by, level), change.old.missing_share) * rows)
            for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        ]
        places += _places(table.by, table.levels, risen, table.rows)
    return _largest(places)


def where_distribution_moved(change: ColumnChange) -> Place | None:
    """The level whose rows moved most of the mean."""
    before = {
        (table.by, level): group
        for table in _group_stats(change.between.old.profile, change.old.name)
        for level, *group in zip(table.levels, table.rows, table.means, table.stds, strict=True)
    }
    places = []
    for table in _group_stats(change.between.new.profile, change.new.name):
        shared = [
            (level, group[0], group[0] * (group[1] - before[table.by, level][1]))
            for level, *group in zip(table.levels, table.rows, table.means, table.stds, strict=True)
            if (table.by, level) in before
        ]
        if shared:
            names, rows, moved = zip(*shared, strict=True)
            # Movement against the others' adds nothing to the change.
            way = 1 if sum(moved) > 0 else -1
            places += _places(table.by, names, [max(0.0, way * m) for m in moved], rows)
    return _largest([place for place in places if _others_stayed(change, place, before)])


def _others_stayed(
    change: ColumnChange, place: Place, before: Mapping[tuple[str, str | None], list[Any]]
) -> bool:
    """Whether the means of the other levels moved no farther than chance moves them."""
    squares, others = 0.0, 0
    for table in _group_stats(change.between.new.profile, change.new.name):
        if table.by != place.by:
            continue
        for level, n, mean, std in zip(
            table.levels, table.rows, table.means, table.stds, strict=True
        ):
            old = before.get((table.by, level))
            if old is None or level == place.level or min(n, old[0]) < _FEWEST_IN_LEVEL:
                continue
            variance = std**2 / n + old[2] ** 2 / max(old[0], 1)
            if variance > 0:
                squares, others = squares + (mean - old[1]) ** 2 / variance, others + 1
    # The mean square of standard normal deviates is 1, give or take the root of 2 / others.
    return not others or squares / others < 1 + _STILL * (2 / others) ** 0.5


def ratios_in(change: ColumnChange, place: Place) -> tuple[float, float]:
    """New over old mean and standard deviation of a quantity in one level; 0 if unknown."""
    known = []
    for version, name in (
        (change.between.old.profile, change.old.name),
        (change.between.new.profile, change.new.name),
    ):
        for table in _group_stats(version, name):
            if table.by == place.by and place.level in table.levels:
                at = table.levels.index(place.level)
                known.append((table.means[at], table.stds[at]))
    if len(known) < 2 or not known[0][0] or not known[0][1]:
        return 0.0, 0.0
    return known[1][0] / known[0][0], known[1][1] / known[0][1]


def loss_of_rows(between: VersionPair, lost: int) -> Place | None:
    """The level that lost most of the rows that are fewer now."""
    places = []
    old, new = between.old.profile, between.new.profile
    for column in old.columns:
        after = new.column(column.name)
        counts = rows_by_level(old, column.name)
        if after is None or counts is None or len(counts) > MOST_LEVELS + 1:
            continue
        now = rows_by_level(new, column.name)
        if now is None:
            continue
        names = sorted(counts, key=in_order)
        gone = [float(max(0, counts[name] - now.get(name, 0))) for name in names]
        if sum(gone) < 2 * lost:  # else levels were exchanged, not lost
            places += _places(column.name, names, gone, [counts[name] for name in names])
    return _largest(places)


def cut_end(between: VersionPair, lost: int) -> Place | None:
    """The moment or value after (or before) which there are no rows any more.

    Most of the rows lie in the same range as before; it only ends earlier, or begins later.
    Of a quantity, what lay beyond must be just the rows that were lost.
    """
    part = lost / between.rows[0]
    places = []
    for column in between.old.profile.columns:
        after = between.new.profile.column(column.name)
        if after is None or after.kind is not column.kind:
            continue
        curves = between.old.curve(column), between.new.curve(after)
        if curves[0] is None or curves[1] is None:
            continue
        place = _cut_end(between, column.name, curves[0], curves[1], after)
        moments = isinstance(after.stats, DatetimeSummary)
        if place and (moments or abs(place.share - part) < 0.01 + 0.25 * part):
            places.append(place)
    return max(places, key=lambda place: (place.share, place.by), default=None)


def _cut_end(
    between: VersionPair, name: str, one: Curve, other: Curve, after: ColumnSummary
) -> Place | None:
    before = float(one.shares(other.values[[0]])[0][0])
    beyond = 1 - float(one.shares(other.values[[-1]])[1][0])
    ends: tuple[tuple[float, float, Literal["after", "before"], int], ...] = (
        (beyond, before, "after", -1),
        (before, beyond, "before", 0),
    )
    for share, rest, cut, end in ends:
        gone = shares_p_value(share * one.rows, one.rows, 0, other.rows)
        if between.unlikely(gone) and rest < 0.005 and share < 0.9 and other.rows < one.rows:
            return Place(name, _end_text(after, end, other), 1.0, share, cut)
    return None


class Stretch(NamedTuple):
    """A stretch of a datetime column in which the newer version has no rows, and older ones had."""

    column: str
    first: str
    last: str
    rows: int
    share: float
    #: Microseconds since 1970 of the first and the last row.
    ends: tuple[float, float]


def empty_stretch(between: VersionPair) -> Stretch | None:
    """The stretch of time, between rows that are there, that most rows are missing from."""
    found = []
    for column in between.old.profile.columns:
        after = between.new.profile.column(column.name)
        if after is None or not isinstance(column.stats, DatetimeSummary):
            continue
        if not isinstance(after.stats, DatetimeSummary):
            continue
        found.append(_empty_stretch(between, column, after))
    stretches = [stretch for stretch in found if stretch]
    return max(stretches, key=lambda s: (s.rows, s.column), default=None)


def _empty_stretch(between: VersionPair, old: ColumnSummary, new: ColumnSummary) -> Stretch | None:
    before, after = between.old.curve(old), between.new.curve(new)
    if before is None or after is None or len(after.values) < 2 or not before.rows:
        return None
    # Between the values that profiles keep: most rows that are fewer than elsewhere.
    below, at_most = (shares * before.rows for shares in before.shares(after.values))
    held = (after.below[1:] - after.at_most[:-1]) * before.rows / after.rows
    if (below[1:] - at_most[:-1] - held).max() < _FEWEST_IN_STRETCH:
        return None
    one, other = _moments_in(between.old, old), _moments_in(between.new, new)
    if one is None or other is None:
        return None
    lost = np.searchsorted(one, other[1:], "left") - np.searchsorted(one, other[:-1], "right")
    at = int(np.argmax(lost))
    rows = int(lost[at])
    # Of rows that are alike, so many in a row are of the older version by chance, somewhere.
    of_old = (len(one) - rows) / max(len(one) - rows + len(other), 1)
    if rows < _FEWEST_IN_STRETCH or not between.unlikely(len(lost) * of_old**rows):
        return None
    first = int(np.searchsorted(one, other[at], "right"))
    inside = one[first : first + rows]
    ends = float(inside[0]), float(inside[-1])
    first_day, last_day = (_moment_text(end, day=not (inside % _DAY).any()) for end in ends)
    return Stretch(old.name, first_day, last_day, rows, rows / len(one), ends)


def _moments_in(version: Version, column: ColumnSummary) -> NDArray[np.int64] | None:
    """All datetimes of a column in rising order, where its data is at hand and stored as such."""
    if version.data is None:
        return None
    values = version.data.table.column(column.position)
    if not (pa.types.is_timestamp(values.type) or pa.types.is_date(values.type)):
        return None
    return np.sort(np.concatenate(observe_datetimes(values).chunks))


def _moment_text(microseconds: float, *, day: bool) -> str:
    text = str(np.datetime64(int(microseconds), "us"))
    return text[:10] if day else text[:16].replace("T", " ")


def _end_text(column: ColumnSummary, end: int, curve: Curve) -> str:
    if isinstance(column.stats, DatetimeSummary):
        return (column.stats.maximum if end else column.stats.minimum)[:10]
    return plain_number(float(curve.values[end]), 6)


def rows_by_level(version: ProfileDocument, name: str) -> Mapping[str | None, int] | None:
    """Rows by level of a category, or by the calendar of a datetime."""
    column = version.column(name)
    if column is None:
        return None
    if not isinstance(column.stats, DatetimeSummary):
        known = levels_of(column.stats)
        return cast("Mapping[str | None, int] | None", known)
    for gaps in version.missing_by_level:
        if gaps.by == name:
            return dict(zip(gaps.levels, gaps.rows, strict=True))
    # Of a sample of the rows, brought up to all of them.
    drawn = max(version.relations.sampled_rows, 1)
    spreads = [table for table in version.group_stats if table.by == name]
    fullest = max(spreads, key=lambda table: sum(table.rows), default=None)
    if fullest is None:
        return None
    return {
        level: round(rows * version.rows / drawn)
        for level, rows in zip(fullest.levels, fullest.rows, strict=True)
    }


def _places(
    by: str, levels: Iterable[str | None], parts: list[float], rows: Iterable[int]
) -> list[Place]:
    counts = list(rows)
    total, whole = sum(parts), sum(counts)
    if total <= 0 or whole <= 0:
        return []
    return [
        Place(by, level, part / total, n / whole)
        for level, part, n in zip(levels, parts, counts, strict=True)
    ]


def _largest(places: list[Place]) -> Place | None:
    fit = [p for p in places if p.level is not None and p.part >= _MOST and _out_of_proportion(p)]
    return max(fit, key=lambda p: (p.part - p.share, p.by, p.level), default=None)


def _out_of_proportion(place: Place) -> bool:
    """Whether a level holds much more of the change than of the rows; else it tells nothing."""
    if place.part - place.share < _LEAST_BEYOND:
        return False
    return place.part * (1 - place.share) > _ODDS * place.share * (1 - place.part)


def _missing_by_level(version: ProfileDocument, column: str) -> list[MissingByLevel]:
    return [table for table in version.missing_by_level if table.column == column]


def _group_stats(version: ProfileDocument, column: str) -> list[GroupStats]:
    return [table for table in version.group_stats if table.column == column]
