"""Columns whose levels divide the rows: categories, flags, and datetimes by calendar unit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in, values_of
from nachsicht.arrow.format import number_text
from nachsicht.arrow.types import is_text_or_levels
from nachsicht.columns.datetime import (
    coarsen_counts,
    in_stored_unit,
    microseconds_of,
    places_in,
    unit_starts,
)
from nachsicht.kernels import ranking
from nachsicht.model.column import CategorySummary, ColumnSummary, DatetimeSummary

#: Columns with more levels than this are not used to divide the rows.
MOST_LEVELS = 24
#: At most so many columns are used, those with the fewest missing values first.
MOST_COLUMNS = 12
_CALENDAR = ("month", "year")
#: Each datetime is compared with the beginnings of all of so few units.
_FEW_UNITS = 128


class Grouper(msgspec.Struct, frozen=True):
    """A column that divides the rows; datetimes do so by a calendar unit."""

    position: int
    unit: str | None = None


def columns_to_split_by(columns: Sequence[ColumnSummary]) -> tuple[Grouper, ...]:
    """The categories, flags and datetimes that divide the rows in a handful of levels."""
    fit = []
    for column in columns:
        if isinstance(column.stats, CategorySummary) and 2 <= column.distinct <= MOST_LEVELS:
            fit.append((column.missing, column.position, Grouper(column.position)))
        elif isinstance(column.stats, DatetimeSummary) and column.text_format is None:
            unit = _calendar_unit(column.stats)
            if unit:
                fit.append((column.missing, column.position, Grouper(column.position, unit)))
    return tuple(split for _, _, split in sorted(fit, key=lambda entry: entry[:2])[:MOST_COLUMNS])


def _calendar_unit(moments: DatetimeSummary) -> str | None:
    """The finest calendar unit that divides the rows in at most so many parts."""
    if moments.time_of_day or moments.unit in ("second", "minute"):
        return None
    for unit in _CALENDAR if moments.unit != "year" else ("year",):
        _, counts = coarsen_counts(moments.unit, moments.first, moments.counts, unit)
        if np.count_nonzero(counts) >= 2 and len(counts) <= MOST_LEVELS:
            return unit
    return None


def in_order(level: str | None) -> tuple[bool, str]:
    """A key that puts levels in the order of their names, rows without a value first."""
    return level is not None, level or ""


def levels_in(column: Any, unit: str | None) -> tuple[list[str], NDArray[np.integer[Any]]]:
    """Names of the levels, and for each row the place of its level.

    Rows without a value have the place behind the last name.
    """
    if isinstance(column, pa.ChunkedArray):
        column = column.combine_chunks()
    if unit:
        return _calendar_levels(column, unit)
    if pa.types.is_boolean(column.type):
        codes = values_of(column).astype(np.int32)
        if column.null_count:
            codes[missing_in(column)] = 2
        return ["false", "true"], codes
    if not pa.types.is_dictionary(column.type):
        column = pc.dictionary_encode(column)
    codes, words = values_of(column.indices), column.dictionary
    names = words.to_pylist()
    if not is_text_or_levels(words.type) or words.null_count:
        names = [_name(level) for level in names]
    if column.null_count or words.null_count or pa.types.is_floating(words.type):
        codes = np.where(missing_in(column), len(names), codes)
    return names, codes


def _calendar_levels(column: Any, unit: str) -> tuple[list[str], NDArray[np.int32]]:
    if getattr(column.type, "tz", None):
        column = pc.local_timestamp(column)
    moments = values_of(column)
    if column.null_count:
        missing = missing_in(column)
        moments = moments[~missing]
    if not len(moments):
        return [], np.zeros(len(column), np.int32)
    ends = np.array([moments.min(), moments.max()], np.int64)
    first, last = places_in(microseconds_of(ends, column.type), unit).tolist()
    letter = "M" if unit == "month" else "Y"
    names = np.arange(first, last + 1).astype(f"datetime64[{letter}]").astype(str)
    # Limits are brought to the unit of the datetimes, not all of these to that of the limits.
    begins = in_stored_unit(unit_starts(np.arange(first + 1, last + 1), unit), column.type)
    if len(begins) <= _FEW_UNITS:
        codes = np.empty(len(moments), np.int32)
        ranking.reached(moments.astype(np.int64, copy=False), begins, codes)
    else:  # as where a date stands for none, thousands of years from the others
        codes = np.searchsorted(begins, moments, "right").astype(np.int32)
    if column.null_count:
        codes, present = np.full(len(column), len(names), np.int32), codes
        codes[~missing] = present
    return names.tolist(), codes


def _name(level: Any) -> str:
    """A level as its summary writes it."""
    if isinstance(level, bool):
        return str(level).lower()
    return number_text(level) if isinstance(level, float) else str(level)
