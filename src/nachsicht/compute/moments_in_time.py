"""Dates, times and times of day, counted by calendar unit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.numbers import NumberPart, SortedNumbers, observe_numbers
from nachsicht.compute.texts import DAY, MICROSECOND, moment_text
from nachsicht.model.column import MomentSummary

#: Calendar units, the finest first: microseconds for those of fixed length.
_FIXED = {
    "second": MICROSECOND,
    "minute": 60 * MICROSECOND,
    "hour": 3600 * MICROSECOND,
    "day": DAY,
}
UNITS = (*_FIXED, "month", "year")
#: So many units at most; with more, the next coarser unit is taken.
MOST_UNITS = 800


@dataclass(frozen=True)
class TimeType:
    """What of a stored type matters for reading its microseconds."""

    day_only: bool
    clock: bool
    time_zone: str | None

    def text(self, microseconds: int) -> str:
        """ISO text of a value."""
        return moment_text(microseconds, day_only=self.day_only, clock=self.clock)


def time_type(stored: Any) -> TimeType:
    """Describe an Arrow date, timestamp or time-of-day type."""
    return TimeType(
        day_only=pa.types.is_date(stored),
        clock=pa.types.is_time(stored),
        time_zone=getattr(stored, "tz", None),
    )


def observe_moments(array: Any) -> NumberPart:
    """Moments as microseconds; finer fractions are cut."""
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
    return NumberPart(chunks, part.missing, 0, 0)


def summarise_moments(numbers: SortedNumbers, of: TimeType) -> MomentSummary | None:
    """Range and counts by the finest calendar unit that fits; None without values."""
    if not numbers.n:
        return None
    values = numbers.values
    low, high = int(values[0]), int(values[-1])
    unit = _unit_for(low, high, of)
    places = _places(values, unit)
    counts = np.bincount(places - places[0])
    return MomentSummary(
        of.text(low),
        of.text(high),
        (high - low) / DAY,
        of.clock,
        of.time_zone,
        unit,
        int(places[0]),
        tuple(counts.tolist()),
    )


def coarsen_counts(
    unit: str, first: int, counts: tuple[int, ...], to: str
) -> tuple[int, NDArray[np.int64]]:
    """Counts by one calendar unit as counts by a coarser one: its first place, and the counts."""
    places = np.arange(first, first + len(counts))
    if unit != to:
        starts = places * _FIXED[unit] if unit in _FIXED else _month_start(places, unit)
        places = _places(starts, to)
    summed = np.bincount(places - places[0], weights=counts).astype(np.int64)
    return int(places[0]), summed


def _month_start(places: NDArray[np.int64], unit: str) -> NDArray[np.int64]:
    months = places.astype("datetime64[M]" if unit == "month" else "datetime64[Y]")
    starts: NDArray[np.int64] = months.astype("datetime64[us]").astype(np.int64)
    return starts


def _unit_for(low: int, high: int, of: TimeType) -> str:
    candidates = [
        unit for unit in UNITS if not (of.day_only and unit in ("second", "minute", "hour"))
    ]
    ends = np.array([low, high])
    for unit in candidates[:-1]:
        first, last = _places(ends, unit)
        if last - first < MOST_UNITS:
            return unit
    return candidates[-1]


def _places(microseconds: NDArray[np.int64], unit: str) -> NDArray[np.int64]:
    """In which calendar unit, counted from 1970, each moment lies."""
    if unit in _FIXED:
        return microseconds // _FIXED[unit]
    moments = microseconds.astype("datetime64[us]")
    letter = "M" if unit == "month" else "Y"
    places: NDArray[np.int64] = moments.astype(f"datetime64[{letter}]").astype(np.int64)
    return places
