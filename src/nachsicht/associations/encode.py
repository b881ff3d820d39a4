"""Columns as relations look at them: numbers or levels, and which rows have a value."""

from __future__ import annotations

from collections.abc import Sequence
from functools import singledispatch
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht._util.by_type import has_own
from nachsicht._util.cached import kept
from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.codes import other_codes, rows_by_code
from nachsicht.arrow.numeric import LARGEST, SECONDS, as_numbers
from nachsicht.columns.levels import levels_in
from nachsicht.kernels.ranks import doubled_ranks
from nachsicht.model.column import CategorySummary, ColumnSummary, DatetimeSummary, QuantitySummary
from nachsicht.model.statistics import known

#: At most so many columns are related to each other.
MOST_COLUMNS = 2_000
#: Levels beyond the most frequent ones count as one.
MOST_LEVELS = 24
OTHER_LEVELS = "…"

Floats = NDArray[np.float64]
Codes = NDArray[np.int32]


class NumericVector(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A column of numbers: ``values`` of any numeric type, ``present`` where they count.

    Of datetimes ``ticks`` is the length of a unit of ``values`` in microseconds; of others it
    is 0.
    """

    name: str
    values: NDArray[Any]
    present: NDArray[np.bool_]
    ticks: float = 0.0

    @kept
    def whole(self) -> bool:
        """Whether every row has a value."""
        return bool(self.present.all())

    @kept
    def ranked(self) -> NDArray[np.integer[Any]]:
        """Twice the average rank among the present values, less its mean; 0 where missing."""
        values = self.values if self.whole else self.values[self.present]
        ranked = doubled_ranks(values)
        ranked -= len(values) + 1
        if self.whole:
            return ranked
        found = np.zeros(len(self.values), ranked.dtype)
        found[self.present] = ranked
        return found

    @property
    def to_one(self) -> float:
        """What brings the ranks between -1 and 1."""
        rows = len(self.present) if self.whole else int(np.count_nonzero(self.present))
        return 1 / max(rows, 1)

    def at(self, places: NDArray[np.int64]) -> NumericVector:
        """The column in some rows."""
        return NumericVector(self.name, self.values[places], self.present[places], self.ticks)

    def in_milliseconds(self) -> NDArray[Any]:
        """The values as they are; datetimes in milliseconds since 1970."""
        return self.values * (self.ticks / 1000) if self.ticks else self.values


class CodedVector(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A column of levels: for each row the place of its level in ``names``, -1 for missing.

    ``lumped`` is the number of rare levels that count as one, the last of ``names``.
    """

    name: str
    codes: Codes
    names: tuple[str, ...]
    lumped: int

    @kept
    def present(self) -> NDArray[np.bool_]:
        """Where there is a value."""
        return self.codes >= 0

    def at(self, places: NDArray[np.int64]) -> CodedVector:
        """The column in some rows."""
        return CodedVector(self.name, self.codes[places], self.names, self.lumped)


EncodedColumn = NumericVector | CodedVector


def encode_columns(
    columns: Sequence[ColumnSummary], rows: Any, pmap: ParallelMap = map
) -> tuple[list[EncodedColumn], dict[str, str]]:
    """The columns that can take part, and for all others the code of the reason.

    Parameters
    ----------
    columns : sequence of ColumnSummary
        All columns.
    rows : Arrow table
        With the same columns at the same positions.
    pmap : callable
        As `map`, on as many threads as it likes.
    """
    left_out: dict[str, str] = {}
    taking_part: list[ColumnSummary] = []
    for column in columns:
        reason = _reason_to_leave_out(column, len(taking_part))
        if reason:
            left_out[column.name] = reason
        else:
            taking_part.append(column)
    everywhere = np.ones(rows.num_rows, np.bool_)
    everywhere.flags.writeable = False  # it is that of most quantities
    found = pmap(lambda c: vector_of(c.stats, c, rows.column(c.position), everywhere), taking_part)
    encoded = []
    for column, side in zip(taking_part, found, strict=True):
        if side is None:
            left_out[column.name] = "stored_otherwise"
        else:
            encoded.append(side)
    return encoded, left_out


def _reason_to_leave_out(column: ColumnSummary, taken: int) -> str:
    if column.distinct < 2:
        return "never_varies"
    if not has_own(vector_of, column.stats):
        return str(column.kind)
    return "too_many_columns" if taken >= MOST_COLUMNS else ""


@singledispatch
def vector_of(
    _detail: Any, _column: ColumnSummary, _array: Any, _everywhere: NDArray[np.bool_]
) -> EncodedColumn | None:
    """A column as numbers or levels; a kind registers its own.

    None for numbers and datetimes that are stored as text. ``_everywhere`` is true for every row.
    """
    return None


@vector_of.register
def _levels(
    _: CategorySummary, column: ColumnSummary, array: Any, __: NDArray[np.bool_]
) -> EncodedColumn | None:
    names, codes = levels_in(array, None)
    return _lumped(column.name, names, codes)


@vector_of.register
def _numbers(
    _: QuantitySummary | DatetimeSummary,
    column: ColumnSummary,
    array: Any,
    everywhere: NDArray[np.bool_],
) -> EncodedColumn | None:
    numbers = local_numbers(array, everywhere if _all_finite(column) else None)
    if numbers is None:
        return None
    values, present = numbers
    ticks = _ticks_of(array.type)
    if ticks:
        held = values if present.all() else values[present]
        if max(-float(held.min(initial=0)), float(held.max(initial=0))) * ticks >= 2**63:
            ticks = 0.0  # millions of years from now: a number, but no date of a calendar
    return NumericVector(column.name, values, present, ticks)


def local_numbers(
    array: Any, everywhere: NDArray[np.bool_] | None = None
) -> tuple[NDArray[Any], NDArray[np.bool_]] | None:
    """As `as_numbers`; datetimes with a time zone by the clock of that zone."""
    if getattr(array.type, "tz", None):
        array = pc.local_timestamp(array)
    return as_numbers(array, everywhere)


def _all_finite(column: ColumnSummary) -> bool:
    detail = column.stats
    if not isinstance(detail, QuantitySummary) or detail.n_finite != column.rows:
        return False
    ends = detail.minimum, detail.maximum
    return all(known(end) and abs(float(end)) <= LARGEST for end in ends)


def _ticks_of(stored: Any) -> float:
    """Microseconds of a unit of a date or timestamp type; 0 of all others."""
    if pa.types.is_timestamp(stored):
        return SECONDS[stored.unit] * 1e6
    if pa.types.is_date(stored):
        return 86_400e6 if pa.types.is_date32(stored) else 1e3
    return 0.0


def _lumped(name: str, names: Sequence[str], codes: NDArray[np.integer[Any]]) -> CodedVector:
    """The most frequent levels in the order of their names, and one for all others."""
    counts = rows_by_code(codes, len(names) + 1)[:-1]
    kept = np.flatnonzero(counts)
    lumped = max(len(kept) - (MOST_LEVELS - 1), 0) if len(kept) > MOST_LEVELS else 0
    if lumped:
        # Of many levels most are too rare to be examined by name.
        least = np.partition(counts, -(MOST_LEVELS - 1))[-(MOST_LEVELS - 1)]
        maybe = np.flatnonzero(counts >= least).tolist()
        by_name = sorted(maybe, key=lambda i: (-int(counts[i]), names[i]))
        kept = np.array(by_name[: MOST_LEVELS - 1])
    kept = np.array(sorted(kept.tolist(), key=lambda i: names[i]), np.int64)
    new = np.full(len(names) + 1, len(kept), np.int32)
    new[kept] = np.arange(len(kept))
    new[-1] = -1
    labels = [names[int(i)] for i in kept] + [OTHER_LEVELS] * bool(lumped)
    return CodedVector(name, other_codes(codes, new), tuple(labels) or (OTHER_LEVELS,), lumped)


def ranks(values: NDArray[Any]) -> Floats:
    """Average ranks, from 1; equal values share the mean of theirs."""
    return doubled_ranks(values) / 2
