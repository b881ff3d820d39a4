"""One value that fills more rows than before: a placeholder for missing, or a filling."""

from __future__ import annotations

import msgspec

from nachsicht.comparison.context import ColumnChange
from nachsicht.model.column import ColumnSummary, Level
from nachsicht.stats.hypothesis_tests import shares_p_value

#: A value must fill so large a part of its rows anew to count at all.
_SMALLEST_RISE = 0.002


class Spike(msgspec.Struct, frozen=True):
    """A value, its rows now, and its shares of the present rows before and now."""

    value: str
    rows: int
    old_share: float
    share: float

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
        count = before.get(level.value)
        known = count if count is not None else _count_in_curve(change, level, unlisted)
        if _risen(change, known, level):
            found.append(
                Spike(
                    level.value,
                    level.count,
                    known / max(old.present, 1),
                    level.count / new.present,
                )
            )
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


def _count_in_curve(change: ColumnChange, level: Level, most: int) -> float:
    """Rows that held a value before, where it was not among the frequent ones."""
    if change.curves is None or not change.curves[0].complete:
        return most
    value = number_in(level.value)
    if value is None:
        return most
    return min(change.curves[0].share_at(value) * change.curves[0].rows, most)


def number_in(text: str) -> float | None:
    """The number that a frequent value is written as; None for other values."""
    try:
        return float(text)
    except ValueError:
        return None
