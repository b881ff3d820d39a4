"""Dates, times and times of day, counted by calendar unit."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.format import DAY, MICROSECOND, datetime_text
from nachsicht.columns.numeric_state import NumberPart, observe_numbers
from nachsicht.kernels.ranks import runs_of
from nachsicht.model.column import DatetimeSummary, EmptyPeriods, Order
from nachsicht.stats.quantiles import knots_of, scaled_knots
from nachsicht.stats.sorted_array import SortedNumbers

#: Calendar units, the finest first: microseconds for those of fixed length.
_FIXED = {
    "second": MICROSECOND,
    "minute": 60 * MICROSECOND,
    "hour": 3600 * MICROSECOND,
    "day": DAY,
}
UNITS = (*_FIXED, "month", "year")
#: 1970-01-01 was a Thursday; weekdays are counted from Monday.
THURSDAY = 3
#: So many stretches without a row are kept.
MOST_STRETCHES = 5
#: So many units at most; with more, the next coarser unit is taken.
MOST_UNITS = 800


class TimeType(msgspec.Struct, frozen=True):
    """What of a stored type matters for reading its microseconds."""

    day_only: bool
    clock: bool
    time_zone: str | None

    def text(self, microseconds: int) -> str:
        """ISO text of a value."""
        return datetime_text(microseconds, day_only=self.day_only, clock=self.clock)


def time_type(stored: Any) -> TimeType:
    """Describe an Arrow date, timestamp or time-of-day type."""
    return TimeType(
        day_only=pa.types.is_date(stored),
        clock=pa.types.is_time(stored),
        time_zone=getattr(stored, "tz", None),
    )


def observe_datetimes(array: Any) -> NumberPart:
    """Datetimes as microseconds by the clock of their time zone; finer fractions are cut."""
    if getattr(array.type, "tz", None):
        array = pc.local_timestamp(array)
    stored = array.type
    if pa.types.is_time32(stored):
        array = array.cast(pa.time32("ms")).cast(pa.int32()).cast(pa.int64())
        return _times(observe_numbers(array), 1000)
    if pa.types.is_time64(stored):
        return observe_numbers(array.cast(pa.time64("us"), safe=False).cast(pa.int64()))
    if pa.types.is_date32(stored):
        return _times(observe_numbers(array.cast(pa.int32())), DAY)
    if pa.types.is_date64(stored):
        return _times(observe_numbers(array.cast(pa.int64())), 1000)
    if stored.unit == "ns":
        return _times(observe_numbers(array.cast(pa.int64())), 1 / 1000)
    factor = {"s": MICROSECOND, "ms": 1000, "us": 1}[stored.unit]
    return _times(observe_numbers(array.cast(pa.int64())), factor)


def _times(part: NumberPart, factor: float) -> NumberPart:
    if factor == 1:
        return part
    if factor < 1:
        chunks = tuple(chunk // round(1 / factor) for chunk in part.chunks)
    else:
        chunks = tuple(chunk * int(factor) for chunk in part.chunks)
    return NumberPart(chunks, part.missing, 0, 0, part.order)


def summarise_datetimes(
    numbers: SortedNumbers, of: TimeType, now: int | None = None, order: Order | None = None
) -> DatetimeSummary | None:
    """Range, counts by the finest calendar unit that fits, and what stands out.

    Parameters
    ----------
    numbers : SortedNumbers
        Microseconds since 1970, or since midnight.
    of : TimeType
        What the stored type says.
    now : int, optional
        Microseconds; later values are in the future.
    order : Order, optional
        Whether they rise or fall from row to row.

    Returns
    -------
    DatetimeSummary, or None without values
    """
    if not numbers.n:
        return None
    values = numbers.values
    low, high = int(values[0]), int(values[-1])
    unit = _unit_for(low, high, of)
    places, held = _units_in(values, unit)
    counts = np.zeros(places[-1] - places[0] + 1, np.int64)
    counts[places - places[0]] = held
    days, rows = _units_in(values, "day")
    by_date = _by_month_and_day(days, rows)
    return DatetimeSummary(
        minimum=of.text(low),
        maximum=of.text(high),
        span_days=(high - low) / DAY,
        time_of_day=of.clock,
        time_zone=of.time_zone,
        unit=unit,
        first=int(places[0]),
        counts=tuple(counts.tolist()),
        by_month=() if of.clock else tuple(by_date.sum(axis=1).tolist()),
        by_weekday=() if of.clock else _cycle((days + THURSDAY) % 7, 7, rows),
        by_hour=() if of.day_only else _by_hour(*_units_in(values, "hour")),
        by_month_and_day=() if of.clock else tuple(by_date.ravel().tolist()),
        ecdf=knots_of(numbers),
        gaps=_stretches(counts, int(places[0]), unit, of),
        empty_periods=int((counts == 0).sum()),
        in_future=_later(values, now) if not of.clock else 0,
        at_epoch=0 if of.clock else _at(values, np.zeros(1, np.int64)),
        at_midnight=0 if of.day_only else _at(values, unit_starts(days, "day")),
        order=order,
    )


def scaled_datetimes(summary: DatetimeSummary, factor: float) -> DatetimeSummary:
    """The summary of a part of the rows, its counts brought up to all rows."""

    def up(counts: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(round(count * factor) for count in counts)

    return msgspec.structs.replace(
        summary,
        counts=up(summary.counts),
        by_month=up(summary.by_month),
        by_weekday=up(summary.by_weekday),
        by_hour=up(summary.by_hour),
        by_month_and_day=up(summary.by_month_and_day),
        ecdf=scaled_knots(summary.ecdf, factor, round(summary.ecdf.le[-1] * factor)),
        in_future=None if summary.in_future is None else round(summary.in_future * factor),
        at_epoch=round(summary.at_epoch * factor),
        at_midnight=round(summary.at_midnight * factor),
    )


def _later(values: NDArray[np.int64], now: int | None) -> int | None:
    return None if now is None else len(values) - int(np.searchsorted(values, now, "right"))


def _at(values: NDArray[np.int64], places: NDArray[np.int64]) -> int:
    """How many of the sorted datetimes are one of some different ones."""
    up_to = np.searchsorted(values, places, "right") - np.searchsorted(values, places, "left")
    return int(up_to.sum())


def _units_in(values: NDArray[np.int64], unit: str) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The different calendar units of sorted datetimes, counted from 1970, and the rows of each."""
    first, last = places_in(values[[0, -1]], unit).tolist()
    if last - first > len(values):
        return runs_of(places_in(values, unit))
    # Where each unit begins is looked up many times faster than every value is divided.
    begins = unit_starts(np.arange(first + 1, last + 1), unit)
    reached = np.searchsorted(values, begins, "left")
    rows = np.diff(reached, prepend=0, append=len(values))
    held = np.flatnonzero(rows)
    return held + first, rows[held]


def _by_month_and_day(days: NDArray[np.int64], rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """Rows by month (12) and day of the month (31)."""
    dates = days.astype("datetime64[D]")
    months = dates.astype("datetime64[M]")
    day = (dates - months.astype("datetime64[D]")).astype(np.int64)
    places = months.astype(np.int64) % 12 * 31 + day
    return np.bincount(places, rows, 12 * 31).astype(np.int64).reshape(12, 31)


def _by_hour(hours: NDArray[np.int64], rows: NDArray[np.int64]) -> tuple[int, ...]:
    return _cycle(hours % 24, 24, rows)


def _cycle(places: NDArray[np.int64], length: int, rows: NDArray[np.int64]) -> tuple[int, ...]:
    return tuple(np.bincount(places, rows, length).astype(np.int64).tolist())


def _stretches(
    counts: NDArray[np.int64], first: int, unit: str, of: TimeType
) -> tuple[EmptyPeriods, ...]:
    """The longest runs of units without a row, in their order of length."""
    filled = np.flatnonzero(counts)
    lengths = np.diff(filled) - 1
    longest = np.argsort(-lengths, kind="stable")[:MOST_STRETCHES]
    return tuple(
        EmptyPeriods(
            unit_text(first + int(filled[i]) + 1, unit, of),
            unit_text(first + int(filled[i + 1]) - 1, unit, of),
            int(lengths[i]),
        )
        for i in longest
        if lengths[i] > 0
    )


def unit_text(place: int, unit: str, of: TimeType) -> str:
    """A calendar unit as text: 2025, 2025-03, 2025-03-01, or with the time."""
    text = of.text(int(unit_starts(np.array([place]), unit)[0]))
    return text[: {"year": 4, "month": 7, "day": 10}.get(unit, len(text))]


def coarsen_counts(
    unit: str, first: int, counts: tuple[int, ...], to: str
) -> tuple[int, NDArray[np.int64]]:
    """Counts by one calendar unit as counts by a coarser one: its first place, and the counts."""
    places = np.arange(first, first + len(counts))
    if unit != to:
        places = places_in(unit_starts(places, unit), to)
    summed = np.bincount(places - places[0], weights=counts).astype(np.int64)
    return int(places[0]), summed


def unit_starts(places: NDArray[np.int64], unit: str) -> NDArray[np.int64]:
    """The first microsecond of each calendar unit."""
    if unit in _FIXED:
        return places * _FIXED[unit]
    months = places.astype("datetime64[M]" if unit == "month" else "datetime64[Y]")
    starts: NDArray[np.int64] = months.astype("datetime64[us]").astype(np.int64)
    return starts


def microseconds_of(ticks: NDArray[np.int64], stored: Any) -> NDArray[np.int64]:
    """Datetimes of a date or timestamp type in microseconds; finer fractions are cut."""
    times, over = _ticks_of(stored)
    return ticks * times // over


def in_stored_unit(microseconds: NDArray[np.int64], stored: Any) -> NDArray[np.int64]:
    """Of datetimes, the first of a date or timestamp type that are not before them."""
    times, over = _ticks_of(stored)
    return -(-microseconds * over // times)


def _ticks_of(stored: Any) -> tuple[int, int]:
    """So many microseconds are so many units of a date or timestamp type."""
    if pa.types.is_timestamp(stored):
        return {"s": (MICROSECOND, 1), "ms": (1000, 1), "us": (1, 1), "ns": (1, 1000)}[stored.unit]
    return (DAY, 1) if pa.types.is_date32(stored) else (1000, 1)


def _unit_for(low: int, high: int, of: TimeType) -> str:
    candidates = [
        unit for unit in UNITS if not (of.day_only and unit in ("second", "minute", "hour"))
    ]
    ends = np.array([low, high])
    for unit in candidates[:-1]:
        first, last = places_in(ends, unit)
        if last - first < MOST_UNITS:
            return unit
    return candidates[-1]


def places_in(microseconds: NDArray[np.int64], unit: str) -> NDArray[np.int64]:
    """In which calendar unit, counted from 1970, each datetime lies."""
    if unit in _FIXED:
        return microseconds // _FIXED[unit]
    days = microseconds // DAY
    first, last = (int(days.min()), int(days.max())) if len(days) else (0, 0)
    if last - first > len(days):
        return _of_days(days, unit)
    # Every day is examined once, not every datetime.
    return _of_days(np.arange(first, last + 1), unit).take(days - first)


def _of_days(days: NDArray[np.int64], unit: str) -> NDArray[np.int64]:
    """In which month or year, counted from 1970, each day lies."""
    letter = "M" if unit == "month" else "Y"
    places: NDArray[np.int64] = (
        days.astype("datetime64[D]").astype(f"datetime64[{letter}]").astype(np.int64)
    )
    return places
