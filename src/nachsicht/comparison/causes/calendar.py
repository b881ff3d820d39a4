"""Shares of weekdays, hours, days of the month and months that changed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.context import ColumnChange
from nachsicht.model.column import DatetimeSummary
from nachsicht.stats.hypothesis_tests import counts_p_value

#: Both versions must span so many days for shares of weekdays and hours, days of the month, months.
_SPANS = {"weekday": 28.0, "hour": 7.0, "day": 120.0, "month": 700.0}
#: A place of a cycle was empty before if so many rows were expected there, had all as many.
_EXPECTED = 50
#: And what it holds now is more than a slip.
_FEWEST = 3

Cycle = Literal["weekday", "hour", "day", "month"]
_Counts = NDArray[np.float64]


class CalendarShift(NamedTuple):
    """A cycle whose shares changed: the place that moved most, from 0, and how far all moved.

    Where it ``appeared``, it had no row before.
    """

    cycle: Cycle
    place: int
    old_share: float
    share: float
    distance: float
    appeared: bool


def calendar_shift_in(
    change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary
) -> CalendarShift | None:
    """The cycle of the calendar whose shares changed most, if by more than chance.

    Rows come in batches, so that days differ by more than single rows would: counts are divided
    by how many times their variance over the calendar units exceeds their mean.
    """
    batch = max(_dispersion(a), _dispersion(b))
    found = []
    for cycle, old, new in _cycles(a, b):
        n, m = old.sum(), new.sum()
        before, now = old / n, new / m
        p_value = counts_p_value((old / batch).tolist(), (new / batch).tolist())
        empty = (old == 0) & (new >= _FEWEST) & (n >= _EXPECTED * len(old))
        appeared = cycle == "weekday" and bool(empty.any())
        if not appeared and not change.between.unlikely(p_value, len(_SPANS)):
            continue
        place = int(np.argmax(np.where(empty, now, -1) if appeared else np.abs(now - before)))
        found.append(
            CalendarShift(
                cycle,
                place,
                float(before[place]),
                float(now[place]),
                float(np.abs(now - before).sum() / 2),
                appeared,
            )
        )
    return max(found, key=lambda shift: (shift.appeared, shift.distance), default=None)


def _cycles(a: DatetimeSummary, b: DatetimeSummary) -> Iterator[tuple[Cycle, _Counts, _Counts]]:
    """The cycles that both versions span often enough, with their counts."""
    both: tuple[tuple[Cycle, _Counts, _Counts], ...] = (
        ("weekday", _counts(a.by_weekday), _counts(b.by_weekday)),
        ("hour", _counts(a.by_hour), _counts(b.by_hour)),
        ("day", _days(a), _days(b)),
        ("month", _counts(a.by_month), _counts(b.by_month)),
    )
    for cycle, old, new in both:
        spans = a.time_of_day or min(a.span_days, b.span_days) >= _SPANS[cycle]
        if spans and len(old) and len(old) == len(new) and old.sum() and new.sum():
            yield cycle, old, new


def _counts(counts: tuple[int, ...]) -> _Counts:
    return np.asarray(counts, np.float64)


def _days(moments: DatetimeSummary) -> _Counts:
    """Rows by day of the month."""
    if not moments.by_month_and_day:
        return np.zeros(0)
    days: _Counts = _counts(moments.by_month_and_day).reshape(12, 31).sum(axis=0)
    return days


def _dispersion(moments: DatetimeSummary) -> float:
    """Variance over mean of the rows in a calendar unit, at least 1."""
    counts = _counts(moments.counts)
    mean = counts.mean() if len(counts) else 0.0
    return max(1.0, float(counts.var() / mean)) if mean else 1.0
