"""Findings about dates and times: the cause first, else what is seen."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from nachsicht.columns.infer.sentinels import is_empty_date
from nachsicht.comparison.causes.calendar import CalendarShift, calendar_shift_in
from nachsicht.comparison.causes.datetime import (
    Shift,
    clock_shift_in,
    exchange_in,
    shift_in,
    times_lost,
    times_moved,
)
from nachsicht.comparison.causes.spikes import Spike
from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.findings.text import SURGE, spiked
from nachsicht.model.column import DatetimeSummary
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.stats.ecdf import largest_difference
from nachsicht.stats.hypothesis_tests import ks_p_value, usual_distance

#: From this share of the rows on, dates of two versions show whether they are as before.
_MUCH_IN_COMMON = 0.5
_WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_MONTHS = (
    *("january", "february", "march", "april", "may", "june"),
    *("july", "august", "september", "october", "november", "december"),
)


def datetime_findings(
    change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary
) -> Iterator[Finding | None]:
    """What happened to dates and times."""
    found = [*spiked(change, is_empty_date, _goes_on(change))] or [_empty_date(change, a, b)]
    yield from found
    if change.curves is None:
        return
    lost = times_lost(a, b)
    if lost:
        yield change.finding(
            "time_of_day_lost",
            lost[1] - lost[0],
            {"share": lost[1], "old_share": lost[0]},
        )
        return
    exchanged = exchange_in(change, a, b)
    if exchanged:
        part: dict[str, Fact] = {} if exchanged.part == 1 else {"part": exchanged.part}
        yield change.finding(
            "day_month_swapped",
            exchanged.distance,
            {"distance": exchanged.distance, "residual": exchanged.left_over, **part},
            form="part" if part else "",
        )
        return
    clock = clock_shift_in(change, a, b)
    if clock:
        yield _shifted(change, "timezone_shifted", "hours", clock)
        return
    shift = shift_in(change, a, b) if not any(found) else None
    if shift:
        yield _shifted(change, "dates_shifted", "days", shift)
        return
    one, other = change.curves
    moved = times_moved(one, other)
    usual = usual_distance(one.rows, other.rows, 1e-5) + one.uncertainty + other.uncertainty
    p_value = ks_p_value(moved or 0.0, one.rows, other.rows)
    if any(found):
        return
    redistributed = moved and moved > usual and change.between.unlikely(p_value)
    calendar = calendar_shift_in(change, a, b)
    if calendar and (calendar.appeared or not redistributed):
        yield _calendar(change, calendar)
    elif moved and redistributed:
        yield change.finding("dates_redistributed", moved, {"distance": moved})


def _calendar(change: ColumnChange, found: CalendarShift) -> Finding | None:
    """Shares of a cycle of the calendar that changed, or a weekday that has rows now."""
    names = {"weekday": _WEEKDAYS, "month": _MONTHS}.get(found.cycle)
    named: Fact = names[found.place] if names else found.place + (found.cycle == "day")
    return change.finding(
        "dates_redistributed",
        found.distance,
        {
            found.cycle: named,
            "old_share": found.old_share,
            "new_share": found.share,
            "distance": found.distance,
        },
        form="new_weekday" if found.appeared else found.cycle,
        at_least=Severity.CHECK if found.appeared else None,
    )


def _empty_date(change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary) -> Finding | None:
    """The first or last day of a calendar at an end, too seldom to be among the frequent."""
    for old, new, end in ((a.minimum, b.minimum, 0), (a.maximum, b.maximum, -1)):
        if old == new or not is_empty_date(new):
            continue
        rows = b.ecdf.le[end] - b.ecdf.lt[end]
        share = rows / change.new.present
        return change.finding(
            "sentinel_value_new",
            share,
            {"value": new, "rows": rows, "share": share},
        )
    return None


def _shifted(change: ColumnChange, code: FindingCode, unit: str, shift: Shift) -> Finding | None:
    amount = shift.days if unit == "days" else shift.hours
    whole_unit = abs(amount - round(amount)) < 1e-6
    part: dict[str, Fact] = {} if shift.part == 1 else {"part": shift.part}
    if unit == "days" and not whole_unit and abs(shift.hours) < 48:
        code, unit, amount = "timezone_shifted", "hours", shift.hours
    return change.finding(
        code,
        max(shift.distance, 0.01),
        {unit: amount, "distance": shift.distance, "residual": shift.left_over, **part},
        form=f"{'part_' if part else ''}{'later' if amount > 0 else 'earlier'}",
        at_most=_as_a_later_delivery(change, shift),
    )


def _as_a_later_delivery(change: ColumnChange, shift: Shift) -> Severity | None:
    """How urgent a shift is at most, since a window that goes on looks the same; None if none does.

    Where the versions have little of their period in common, a window of whole months moved on.
    Where they have much, dates are as before in it, and so are the rows, unless deliveries often go
    on by such a step; with other rows it may be either.
    """
    assert change.curves is not None
    one, other = change.curves
    # Of the rows of each, those in the period of both.
    _, before = one.shares(other.values[[0]])
    _, after = other.shares(one.values[[-1]])
    if max(1 - float(before[0]), float(after[0])) < _MUCH_IN_COMMON:
        return Severity.NOTE if shift.could_be_a_window or _moves_on(change) else None
    if not _moves_on(change):
        return None
    often = shift.could_be_a_rhythm or not change.between.other_rows
    return Severity.NOTE if often else Severity.CHECK


def _goes_on(change: ColumnChange) -> Callable[[Spike], bool]:
    """Whether a date has more rows only since the newer version covers another period.

    Its share is held against that of the older rows in the period that is covered now.
    """

    def only_since(spike: Spike) -> bool:
        if change.curves is None:
            return False
        one, other = change.curves
        low, high = one.shares(other.values[[0, -1]])
        inside = float(high[1] - low[0])
        return inside <= 0 or spike.share - min(spike.old_share / inside, 1.0) < SURGE

    return only_since


def _moves_on(change: ColumnChange) -> bool:
    """Whether dates are as before in the period of both, and go on behind it: a later delivery."""
    if change.curves is None:
        return False
    one, other = change.curves
    low, high = max(one.values[0], other.values[0]), min(one.values[-1], other.values[-1])
    later = one.values[0] <= other.values[0] and one.values[-1] <= other.values[-1]
    before, after = one.up_to(low, high), other.up_to(low, high)
    if not (later and before and after and before.rows and after.rows):
        return False
    return largest_difference(before, after) <= usual_distance(before.rows, after.rows)
