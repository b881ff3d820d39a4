"""Why datetimes changed: shifted by days, by hours, day and month exchanged, times lost."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.columns.datetime import coarsen_counts
from nachsicht.comparison.context import ColumnChange
from nachsicht.model.column import DatetimeSummary
from nachsicht.stats.ecdf import Curve, largest_difference
from nachsicht.stats.hypothesis_tests import counts_p_value, shares_p_value, usual_distance

_DAY = 86400e6
#: More datetimes at midnight, by so much and less likely than this, have lost their time of day.
_MORE_AT_MIDNIGHT, _CHANCE = 0.03, 1e-6
_HOUR, _WEEK = 3600e6, 7 * 86400e6
_SHARES = np.linspace(0.02, 0.98, 49)
#: A pattern that is shifted must fit this well, and the unshifted one this badly.
_FITS, _DIFFERS = 1e-3, 1e-9
#: A shift that is a large part of the span is a later period, not a mistake.
_LARGEST_SHIFT = 0.5
#: Less than this part, or all but this, is no part.
_LEAST_PART = 0.1
#: Days by which a month may miss thirty of them.
_MONTH_SLACK = 3.0
#: Days by which deliveries often go on: a day, weeks, a month, a quarter, half a year, a year.
_RHYTHMS = ((1, 1), (7, 7), (14, 14), (28, 31), (90, 92), (181, 184), (364, 366))

_Counts = NDArray[np.float64]


class Shift(msgspec.Struct, frozen=True):
    """All datetimes, or a part of them, lie later (or earlier) by a constant."""

    microseconds: float
    distance: float
    left_over: float
    part: float = 1.0

    @property
    def days(self) -> float:
        """In days."""
        return self.microseconds / _DAY

    @property
    def hours(self) -> float:
        """In hours."""
        return self.microseconds / _HOUR

    @property
    def could_be_a_window(self) -> bool:
        """Whether a window of whole months that moved on would look the same."""
        months = self.days / 30.4375
        return months > 0.9 and abs(months - round(months)) * 30.4375 <= _MONTH_SLACK

    @property
    def could_be_a_rhythm(self) -> bool:
        """Whether deliveries often go on by such a step."""
        return any(low <= self.days <= high for low, high in _RHYTHMS)


def shift_in(change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary) -> Shift | None:
    """The constant by which all datetimes moved; None if that does not explain the change."""
    if change.curves is None:
        return None
    one, other = change.curves
    distance = largest_difference(one, other)
    usual = usual_distance(one.rows, other.rows) + one.uncertainty + other.uncertainty
    span = float(np.ptp(one.values))
    # Where both ends moved by the same number of days, less is needed to tell a shift.
    ends = np.round((other.values[[0, -1]] - one.values[[0, -1]]) / _DAY)
    clear = usual if ends[0] == ends[1] != 0 else usual_distance(one.rows, other.rows, 1e-5)
    if span > 0 and distance > clear:
        for unit in (_DAY,) if not a.by_hour else (_DAY, _HOUR / 2, _HOUR / 60):
            left, moved = _best_shift(one, other, unit)
            explained = left <= max(usual, 0.1 * distance) and left < distance / 3
            if moved and abs(moved) < _LARGEST_SHIFT * span and explained:
                return Shift(moved, distance, left)
    # Weekdays tell days only where the datetimes stayed in their range.
    away = abs(float(np.median(other.quantiles(_SHARES) - one.quantiles(_SHARES))))
    found = _shift_of_weekdays(change, a, b) if away < _WEEK / 2 + 0.02 * span else None
    if found and ends[0] == ends[1] and (ends[0] - found.days) % 7 == 0:
        return msgspec.structs.replace(found, microseconds=float(ends[0]) * _DAY)
    return found


def _best_shift(one: Curve, other: Curve, unit: float) -> tuple[float, float]:
    """What a shift by whole units leaves over, and that shift.

    Where values are sparse the quantiles lie apart by different amounts: each of these is tried.
    Where many shifts fit about as well, as where values are spread evenly, the ends tell.
    """
    apart = np.round((other.quantiles(_SHARES) - one.quantiles(_SHARES)) / unit)
    ends = np.round((other.values[[0, -1]] - one.values[[0, -1]]) / unit)

    def best_of(units: Iterable[float]) -> tuple[float, float]:
        return min((largest_difference(one.mapped(1.0, n * unit), other), n * unit) for n in units)

    _, moved = best_of({*apart.tolist(), float(np.round(np.median(apart)))})
    best = best_of([moved / unit + step for step in range(-3, 4)])
    if ends[0] == ends[1] != 0:
        by_ends = best_of([float(ends[0])])
        if by_ends[0] <= usual_distance(one.rows, other.rows):
            return by_ends
    return best


def _shift_of_weekdays(
    change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary
) -> Shift | None:
    """A shift by a few days, seen in the weekdays where the range hardly shows it."""
    turned = _turned(change, a.by_weekday, b.by_weekday, range(-3, 4))
    if turned is None:
        return None
    days, distance, left = turned
    return Shift(days * _DAY, distance, left)


def clock_shift_in(change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary) -> Shift | None:
    """The hours by which the clock was shifted; None if that does not explain the change."""
    hours = range(-11, 13)
    turned = _turned(change, a.by_hour, b.by_hour, hours)
    if turned is not None:
        return Shift(turned[0] * _HOUR, *turned[1:])
    return _part_of_clock(change, a.by_hour, b.by_hour, hours)


def _part_of_clock(
    change: ColumnChange, old: Sequence[int], new: Sequence[int], turns: Sequence[int]
) -> Shift | None:
    """The hours by which the clock of a part of the rows was shifted."""
    if not old or not new or not change.between.unlikely(counts_p_value(old, new)):
        return None
    one, other = np.asarray(old, np.float64), np.asarray(new, np.float64)
    fits = [(_in_part(one, np.roll(one, turn), other), turn) for turn in turns if turn]
    found, turn = min(fits, key=lambda fit: (fit[0].left_over, abs(fit[1])))
    return Shift(turn * _HOUR, found.distance, found.left_over, found.part) if found.fits else None


class _Part(msgspec.Struct, frozen=True):
    """The part of the rows that fits best if moved, and how far all are without and with it."""

    part: float
    distance: float
    left_over: float
    fits: bool


def _in_part(old: _Counts, moved: _Counts, new: _Counts) -> _Part:
    """Which part of the rows was moved, by least squares, if a part was."""
    n, m = old.sum(), new.sum()
    apart, change = (moved - old) / n, new / m - old / n
    part = float((apart @ change) / max(float(apart @ apart), 1e-12))
    mixed = (1 - part) * old + part * moved
    distance, left = _apart(old, new), _apart(mixed, new)
    p_value = counts_p_value(mixed.tolist(), new.tolist()) if 0 < part < 1 else None
    fits = p_value is not None and p_value > _FITS and left < distance / 2
    return _Part(part, distance, left, fits and _LEAST_PART <= part <= 1 - _LEAST_PART)


def _turned(
    change: ColumnChange, old: Sequence[int], new: Sequence[int], turns: Sequence[int]
) -> tuple[int, float, float] | None:
    """The turn of a cycle (hours, weekdays) after which both have the same shares."""
    if not old or not new or not sum(old) or not sum(new):
        return None
    before = counts_p_value(old, new)
    if before is None or before > _DIFFERS or not change.between.unlikely(before):
        return None
    fits = [
        (_apart(np.roll(old, turn), np.asarray(new)), abs(turn), turn) for turn in turns if turn
    ]
    left, _, turn = min(fits)
    p_value = counts_p_value(np.roll(old, turn).tolist(), new)
    distance = _apart(np.asarray(old), np.asarray(new))
    if p_value is None or p_value < _FITS or left > distance / 3:
        return None
    return turn, distance, left


def _apart(old: NDArray[Any], new: NDArray[Any]) -> float:
    """Total variation of counts in the same order."""
    return float(np.abs(old / old.sum() - new / new.sum()).sum() / 2)


class Exchanged(msgspec.Struct, frozen=True):
    """Day and month changed places wherever the day could be a month, in a part of the rows."""

    distance: float
    left_over: float
    part: float = 1.0


def exchange_in(change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary) -> Exchanged | None:
    """Whether day and month were exchanged: the datetimes fit only so.

    By single days where the profile counts them; else by month and day of the month.
    """
    return _exchange_by_days(change, a, b) or _exchange_by_months(change, a, b)


def _exchange_by_days(
    change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary
) -> Exchanged | None:
    old, new = _days(a), _days(b)
    if old is None or new is None:
        return None
    exchanged = _exchanged(old[0]), old[1]
    before, after, now = _by_month(old, exchanged, new)
    unlikely = change.between.unlikely(counts_p_value(before, now))
    fits = counts_p_value(after, now)
    distance, left = _apart(before, now), _apart(after, now)
    explained = fits is not None and fits > _FITS and left < distance / 2
    if unlikely and explained:
        return Exchanged(distance, left)
    part = _in_part(*(counts.astype(np.float64) for counts in (before, after, now)))
    return Exchanged(distance, part.left_over, part.part) if unlikely and part.fits else None


def _by_month(*sides: tuple[NDArray[np.int64], NDArray[np.int64]]) -> list[NDArray[np.int64]]:
    """Rows by calendar month, of all sides over the same months."""
    months = [
        days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) for days, _ in sides
    ]
    first, last = min(m.min() for m in months), max(m.max() for m in months)
    return [
        np.bincount(m - first, counts, int(last - first) + 1).astype(np.int64)
        for m, (_, counts) in zip(months, sides, strict=True)
    ]


def _days(moments: DatetimeSummary) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
    """Days since 1970 and their counts; None where only coarser units are counted."""
    if moments.time_of_day or moments.unit in ("month", "year"):
        return None
    first, counts = coarsen_counts(moments.unit, moments.first, moments.counts, "day")
    return np.arange(first, first + len(counts)), counts


def _exchanged(days: NDArray[np.int64]) -> NDArray[np.int64]:
    """The days with day and month exchanged, where the day could be a month."""
    dates = days.astype("datetime64[D]")
    years = dates.astype("datetime64[Y]")
    months = (dates.astype("datetime64[M]") - years.astype("datetime64[M]")).astype(np.int64)
    day = (dates - dates.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64)
    swapped = (years.astype("datetime64[M]") + day).astype("datetime64[D]") + months
    found: NDArray[np.int64] = np.where(day < 12, swapped, dates).astype(np.int64)
    return found


def _exchange_by_months(
    change: ColumnChange, a: DatetimeSummary, b: DatetimeSummary
) -> Exchanged | None:
    if not a.by_month_and_day or not b.by_month_and_day:
        return None
    old = np.array(a.by_month_and_day, float).reshape(12, 31)
    new = np.array(b.by_month_and_day, float).reshape(12, 31)
    exchanged = old.copy()
    exchanged[:, :12] = old[:, :12].T
    before, after = _month_p_value(old, new), _month_p_value(exchanged, new)
    if before is None or after is None or not change.between.unlikely(before) or after < _FITS:
        return None
    distance = _apart(_months(old), _months(new))
    left = _apart(_months(exchanged), _months(new))
    return Exchanged(distance, left) if left < distance / 3 else None


def _months(table: _Counts) -> NDArray[np.int64]:
    """Rows by month, those with a day that could be a month apart from the others."""
    both = np.concatenate((table[:, :12].sum(axis=1), table[:, 12:].sum(axis=1)))
    return both.astype(np.int64)


def _month_p_value(old: _Counts, new: _Counts) -> float | None:
    return counts_p_value(_months(old).tolist(), _months(new).tolist())


def times_lost(a: DatetimeSummary, b: DatetimeSummary) -> tuple[float, float] | None:
    """Shares of datetimes at midnight before and now, where more are there than by chance."""
    rows = sum(a.counts), sum(b.counts)
    if not all(rows) or not a.by_hour:
        return None
    old = a.at_midnight / rows[0]
    new = b.at_midnight / rows[1] if b.by_hour else 1.0
    if old < 0.5 and new > 0.95:
        return old, new
    at_midnight = b.at_midnight if b.by_hour else rows[1]
    p_value = shares_p_value(a.at_midnight, rows[0], at_midnight, rows[1])
    return (old, new) if new - old > _MORE_AT_MIDNIGHT and p_value < _CHANCE else None


def times_moved(one: Curve, other: Curve) -> float | None:
    """How far datetimes moved within a range that stayed the same; None where it did not."""
    low, high = max(one.values[0], other.values[0]), min(one.values[-1], other.values[-1])
    span = max(one.values[-1], other.values[-1]) - min(one.values[0], other.values[0])
    if span <= 0 or (high - low) / span < 0.9:
        return None
    return largest_difference(one, other)
