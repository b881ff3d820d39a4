"""One value that fills more rows than before: a placeholder for missing, or a filling."""

from __future__ import annotations

import msgspec

from nachsicht.comparison.context import ColumnChange
from nachsicht.model.column import ColumnSummary, Level
from nachsicht.stats.hypothesis_tests import shares_p_value

#: A value must fill so large a part of its rows anew to count at all.
_SMALLEST_RISE = 0.002


class Spike(msgspec.Struct, frozen=True):
    """A value, its rows now, and its shares of the present rows before and now.

    ``bounded``: the share before is at most ``old_share``; nobody knows how much less.
    """

    value: str
    rows: int
    old_share: float
    share: float
    bounded: bool = False

    @property
    def rise(self) -> float:
        """By how much the share rose."""
        return self.share - self.old_share


def spikes_in(change: ColumnChange) -> list[Spike]:
    """Frequent values that hold more rows than before and than chance gives, largest first."""
    old, new = change.old, change.new
    before = {level.value: level.count for level in old.top_values}
    unlisted = _most_unlisted(old)
    found = []
    for level in new.top_values:
        known: float | None = before.get(level.value)
        if known is None:
            known = _count_in_curve(change, level)
        most = unlisted if known is None else known
        if _risen(change, most, level):
            shares = most / max(old.present, 1), level.count / new.present
            bounded = known is None and unlisted > 0
            found.append(Spike(level.value, level.count, *shares, bounded))
    return sorted(found, key=lambda spike: -spike.rise)


def _risen(change: ColumnChange, before: float, level: Level) -> bool:
    old, new = change.old, change.new
    if level.count < 3 or not old.present:
        return False
    rise = level.count / new.present - before / old.present
    if rise < _SMALLEST_RISE:
        return False
    p_value = shares_p_value(before, old.present, level.count, new.present)
    return change.between.unlikely(p_value, len(new.top_values))


def _most_unlisted(column: ColumnSummary) -> int:
    """How many rows a value can hold at most that is not among the frequent ones."""
    if len(column.top_values) >= column.distinct or not column.top_values:
        return 0
    return column.top_values[-1].count


def _count_in_curve(change: ColumnChange, level: Level) -> float | None:
    """Rows that held a number before that was not among the frequent values; None if unknown."""
    value = number_in(level.value)
    if value is None or change.curves is None or not change.curves[0].complete:
        return None
    return change.curves[0].share_at(value) * change.curves[0].rows


def number_in(text: str) -> float | None:
    """The number that a frequent value is written as; None for other values."""
    try:
        return float(text)
    except ValueError:
        return None
