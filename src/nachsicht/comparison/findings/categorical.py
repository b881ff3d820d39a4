"""Findings about the levels of a category or flag: the cause first, else what is seen."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping

from nachsicht.arrow.text_values import stands_for_missing
from nachsicht.comparison.causes import levels as level_causes
from nachsicht.comparison.causes.levels import (
    Renaming,
    exchanged,
    mapped_levels,
    relabelled,
)
from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.distances import total_variation
from nachsicht.findings.thresholds import smallest_size
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.stats.hypothesis_tests import shares_p_value

Counts = Mapping[str, int]
#: Levels of so few rows may be some of many; a closed set has none, and so many rows a level.
_SELDOM, _FILLED = 4, 20
#: New levels of fewer rows are a slip; and even of a closed set chance must be small.
_FEWEST_ROWS, _CLOSED = 4, 0.15
#: More often than this, chance leaves out a spelling of so many rows.
_BY_CHANCE = 0.01
#: From so many rows on, a level that came or went where none is rare is to be looked at.
_MANY_ROWS = 20
#: A level of so many rows that lost half of its share is to be looked at.
_LARGE_LEVEL = 0.05
#: Pairs of an old level and a new one that have one cause.
Recognise = Callable[[Counts, Counts], list[tuple[str, str]]]


def level_findings(change: ColumnChange, old: Counts, new: Counts) -> Iterator[Finding | None]:
    """What happened to the levels; every cause found is undone before the next is looked for."""
    now = dict(new)
    if change.between.in_time:
        causes, now = _causes(change, old, new)
        yield from causes
    reported = False
    compared: tuple[tuple[FindingCode, set[str], Counts, Counts], ...] = (
        ("new_levels", set(now) - set(old), now, new),
        ("missing_levels", set(old) - set(now), old, old),
    )
    for code, names, holder, rows in compared:
        finding = _levels(change, code, names, holder, sum(rows.values()))
        reported = reported or finding is not None
        yield finding
    before, after = _of_known_levels(old, now)
    left = total_variation(before, after)
    if not reported and left >= smallest_size("category_shift", change.between.settings):
        yield _shares_moved(change, before, after, left)


def _of_known_levels(old: Counts, now: Counts) -> tuple[Counts, Counts]:
    """Counts of the levels that both know, and of all others together, where not all are kept.

    A level that one of them does not know may be among those that it did not keep.
    """
    if "\0further" not in {*old, *now}:
        return old, now
    known = (set(old) & set(now)) - {"\0further"}
    one, other = (
        {**{level: side[level] for level in known}, "\0further": rest}
        for side, rest in (
            (side, sum(count for level, count in side.items() if level not in known))
            for side in (old, now)
        )
    )
    return one, other


def _causes(
    change: ColumnChange, old: Counts, new: Counts
) -> tuple[list[Finding | None], dict[str, int]]:
    """Causes that are recognised, and the levels with each of them undone."""
    found, now = _sentinels(change, old, new)
    causes: tuple[tuple[FindingCode, Recognise], ...] = (
        ("garbled_text_new", level_causes.damaged),
        ("text_truncated", level_causes.cut),
        ("respelled", level_causes.respelled),
        ("respelled", level_causes.misspelt),
    )
    for code, recognise in causes:
        renaming = mapped_levels(old, now, recognise(old, now))
        if renaming:
            found.append(_mapped(change, code, renaming, old, now))
            now = _undone(renaming, now)
    renamed = relabelled(old, now) or exchanged(old, now)
    if renamed:
        found.append(_relabelled(change, renamed))
        now = _undone(renamed, now)
    return found, now


def _sentinels(
    change: ColumnChange, old: Counts, new: Counts
) -> tuple[list[Finding | None], dict[str, int]]:
    """New levels that are words for missing, and the levels without them."""
    found: list[Finding | None] = []
    now = dict(new)
    total = sum(new.values())
    for level, count in new.items():
        if level in old or not stands_for_missing(level, new):
            continue
        share = count / total
        del now[level]
        found.append(
            change.finding(
                "sentinel_value_new",
                share,
                {"value": level, "rows": count, "share": share},
            )
        )
    return found, now if now else dict(new)


def _undone(found: Renaming, now: Counts) -> dict[str, int]:
    back = {after: before for before, after in found.pairs}
    undone: dict[str, int] = {}
    for level, count in now.items():
        name = back.get(level, level)
        undone[name] = undone.get(name, 0) + count
    return undone


def _mapped(
    change: ColumnChange, code: FindingCode, found: Renaming, old: Counts, now: Counts
) -> Finding | None:
    first = found.old[0]
    fresh = tuple(after for before, after in found.pairs if before == first)
    n, m = max(sum(old.values()), 1), max(sum(now.values()), 1)
    together = (now.get(first, 0) + sum(now[level] for level in fresh)) / m
    # A spelling of few rows may be one that the older rows happen not to have.
    fresh_rows = sum(now[level] for level in set(found.new))  # several may have become one
    by_chance = shares_p_value(0, n, fresh_rows, m) > _BY_CHANCE
    facts: dict[str, Fact] = {
        "old_spelling": first,
        "old_spellings": found.old,
        "new_spellings": found.new,
        "share": found.share,
        "within": abs(together - old[first] / n),
        "length": max(map(len, found.new)),
        "rows": fresh_rows,
        "old_share": 0.0,
        "old_longest": max(map(len, old)),
        "spellings": (first, *fresh),
    }
    one = len(set(found.old)) == 1
    return change.finding(
        code,
        found.share,
        facts,
        form="" if one or code != "respelled" else "many",
        at_most=Severity.NOTE if code == "respelled" and by_chance else None,
    )


def _relabelled(change: ColumnChange, found: Renaming) -> Finding | None:
    return change.finding(
        "relabelled",
        found.share,
        {
            "old_levels": found.old,
            "new_levels": found.new,
            "share": found.share,
            "residual": found.left_over,
        },
    )


def _levels(
    change: ColumnChange, code: FindingCode, names: set[str], holder: Counts, total: int
) -> Finding | None:
    """New or gone levels, if chance does not bring or take them at these row counts."""
    if "\0further" in change_levels(change):
        return None  # not all levels of both versions are known
    rows = sum(holder[name] for name in names)
    others = change.old.present if code == "new_levels" else change.new.present
    chance = shares_p_value(0, others, rows, total)
    # In a long tail, so many rows are of levels that the other version happens not to have.
    counts = level_causes.levels_of((change.old if code == "new_levels" else change.new).stats)
    seldom = sum(count == 1 for count in (counts or {}).values())
    expected = seldom / max(others, 1) * total
    if rows <= 2 * expected + 5 * math.sqrt(expected):  # several rows of a level come together
        return None
    if not rows or not (change.between.unlikely(chance) or _closed_set(change, code, rows, chance)):
        return None
    listed = sorted(names, key=lambda name: (-holder[name], name))
    # Where no level is rare, one of many rows does not come or go by itself.
    closed = rows >= _MANY_ROWS and min(counts.values(), default=0) > _SELDOM if counts else False
    return change.finding(
        code,
        rows / total,
        {"levels": tuple(listed), "share": rows / total},
        at_least=Severity.CHECK if closed else None,
    )


def _closed_set(change: ColumnChange, code: str, rows: int, chance: float) -> bool:
    """Whether the older version knew all levels, so that a new one is news however rare.

    What is unseen has about the share of what was seen once (Good, *Biometrika* 40, 1953).
    """
    known = level_causes.levels_of(change.old.stats) or {}
    seldom = sum(count <= _SELDOM for count in known.values())
    return (
        code == "new_levels"
        and not seldom
        and rows >= _FEWEST_ROWS
        and chance < _CLOSED
        and change.old.present > _FILLED * len(known)
    )


def change_levels(change: ColumnChange) -> set[str]:
    """All levels of both versions, with the mark of those beyond the cap."""
    found: set[str] = set()
    for column in (change.old, change.new):
        found |= set(level_causes.levels_of(column.stats) or ())
    return found


def _shares_moved(
    change: ColumnChange, old: Counts, new: Counts, distance: float
) -> Finding | None:
    """Names the level whose share moved most."""
    if change.not_significant:
        return None
    n, m = max(sum(old.values()), 1), max(sum(new.values()), 1)
    names = sorted({*old, *new} - {"\0further"})
    level = max(names, key=lambda name: abs(new.get(name, 0) / m - old.get(name, 0) / n))
    old_share, new_share = old.get(level, 0) / n, new.get(level, 0) / m
    halved = new_share < old_share / 2 and old_share >= _LARGE_LEVEL
    return change.finding(
        "category_shift",
        distance,
        {
            "distance": distance,
            "level": level,
            "old_share": old_share,
            "new_share": new_share,
        },
        at_least=Severity.CHECK if halved else None,
    )
