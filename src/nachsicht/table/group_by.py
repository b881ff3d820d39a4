"""The rows that share a value of a column, as groups that can be compared."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.numeric import as_numbers
from nachsicht.columns.infer.parse_text import datetimes_of
from nachsicht.columns.levels import levels_in
from nachsicht.config.settings import check_name
from nachsicht.errors import SettingsError

#: At most so many groups are compared with the rest, the largest ones.
MOST_GROUPS = 12
#: A column with more values does not divide the rows into groups.
MOST_LEVELS = 1000
#: Smaller groups tell little.
FEWEST_ROWS = 10


class LevelRows(msgspec.Struct, frozen=True):
    """The rows of a level, or all others that have a value.

    ``codes`` are the levels of all rows, from 0; rows without a value have another number than the
    first ``levels``.
    """

    codes: NDArray[np.integer[Any]]
    code: int
    levels: int
    others: bool = False

    @property
    def count(self) -> int:
        """How many rows there are."""
        return int(np.count_nonzero(self._marked(0, len(self.codes))))

    def places(self, start: int = 0, stop: int | None = None) -> NDArray[np.int64]:
        """The places of those among the rows from ``start`` on, before ``stop``."""
        return (
            np.flatnonzero(self._marked(start, len(self.codes) if stop is None else stop)) + start
        )

    def _marked(self, start: int, stop: int) -> NDArray[np.bool_]:
        codes = self.codes[start:stop]
        if not self.others:
            return np.asarray(codes == self.code)
        return np.asarray((codes != self.code) & (codes >= 0) & (codes < self.levels))


class Group(msgspec.Struct, frozen=True):
    """A level, its rows, and all other rows that have a value."""

    label: str
    rows: LevelRows
    others: LevelRows


def _groups(codes: NDArray[np.integer[Any]], levels: int, chosen: dict[int, str]) -> list[Group]:
    """Groups by the codes of all rows; those that are chosen, with their labels."""
    codes = codes.astype(np.int16 if levels < 1 << 15 else np.int32)
    return [
        Group(label, LevelRows(codes, code, levels), LevelRows(codes, code, levels, others=True))
        for code, label in chosen.items()
    ]


def groups_in(table: Any, by: str, names: Sequence[str]) -> list[Group]:
    """The groups of a column: those named, in this order, or the largest ones.

    Raises
    ------
    SettingsError
        If the column or a named group is not there, or there are not two groups.
    """
    levels, codes = levels_in(_column(table, by), None)
    counts = np.bincount(codes, minlength=len(levels) + 1)
    by_name = {level: code for code, level in enumerate(levels) if counts[code]}
    if len(by_name) > MOST_LEVELS:
        raise SettingsError("too_many_groups", where=by, n=len(by_name))
    chosen = list(names) or _largest(by_name, counts)
    for name in chosen:
        if name not in by_name:
            raise SettingsError(
                "no_group", where=by, name=name, list=", ".join(sorted(by_name)[:20])
            )
    if len(chosen) < 2:
        raise SettingsError("too_few_groups", where=by)
    return _groups(codes, len(levels), {by_name[name]: name for name in chosen})


def slices_in(table: Any, by: str) -> list[Group] | None:
    """Rows by calendar unit of a datetime column, one after the other; None of other columns.

    By month where that makes no more than the most groups, else by year; units with too few
    rows are left out.

    Raises
    ------
    SettingsError
        If there are not two such units.
    """
    if by not in table.schema.names:
        return None
    column = _as_datetimes(table.column(table.schema.names.index(by)))
    if not (pa.types.is_timestamp(column.type) or pa.types.is_date(column.type)):
        return None
    for unit in ("month", "year"):
        levels, codes = levels_in(column, unit)
        counts = np.bincount(codes, minlength=len(levels) + 1)[:-1]
        fit = np.flatnonzero(counts >= FEWEST_ROWS)
        if np.count_nonzero(counts) <= MOST_GROUPS and len(fit) > 1:
            break
    if len(fit) < 2:
        raise SettingsError("too_few_periods", where=by)
    chosen = {int(i): levels[i] for i in fit[-MOST_GROUPS:]}
    return _groups(codes, len(levels), chosen)


def _as_datetimes(column: Any) -> Any:
    """Dates and times that are stored as texts, as what they are; other columns as they are."""
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
        return column
    whole = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    coded = whole if pa.types.is_dictionary(whole.type) else pc.dictionary_encode(whole)
    found = (
        datetimes_of(coded.dictionary.cast(pa.large_string())) if len(coded.dictionary) else None
    )
    return column if found is None else found[0].take(coded.indices)


def slices_at(table: Any, by: str, cuts: Sequence[str]) -> list[Group]:
    """Rows before, between and from some values of a datetime or quantity column on, in order.

    Rows without a value belong to none.

    Raises
    ------
    SettingsError
        If the column cannot be cut there, or a slice would be empty.
    """
    column = _as_datetimes(_column(table, by))
    numbers = as_numbers(column)
    if numbers is None:
        raise SettingsError("cannot_be_split", where=by)
    values, present = numbers
    edges = np.array([_cut(cut, column.type, by) for cut in cuts])
    if (edges[1:] <= edges[:-1]).any():
        raise SettingsError("cuts_do_not_rise", where=by)
    codes = np.where(present, np.searchsorted(edges, values, side="right"), -1)
    groups = _groups(codes, len(cuts) + 1, dict(enumerate(_slice_labels(cuts))))
    for group in groups:
        if group.rows.count < FEWEST_ROWS:
            raise SettingsError("slice_too_small", where=by, label=group.label, n=group.rows.count)
    return groups


def _column(table: Any, by: str) -> Any:
    names = table.schema.names
    if by not in names:
        try:
            check_name(by, names, "by")
        except SettingsError as error:
            raise SettingsError("no_column_by", where="by", todo=error.todo, by=by) from None
    return table.column(names.index(by))


def _slice_labels(cuts: Sequence[str]) -> list[str]:
    """What the rows before, between and after some values are called, in every language."""
    between = (f"{at} … < {to}" for at, to in pairwise(cuts))
    return [f"< {cuts[0]}", *between, f"≥ {cuts[-1]}"]


def _cut(text: str, stored: Any, by: str) -> Any:
    """A value of a column's type, in the unit in which it is reckoned with."""
    types = pa.types
    timed = types.is_timestamp(stored) or types.is_date(stored)
    try:
        if not timed:
            return float(text)
        moment = pa.scalar(text).cast(pa.timestamp("us")).cast(_without_zone(stored))
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, ValueError) as error:
        code = "not_a_date" if timed else "not_a_number"
        raise SettingsError(code, where=by, text=text) from error
    width = pa.int32() if types.is_date32(stored) else pa.int64()
    return moment.cast(width).as_py()


def _without_zone(stored: Any) -> Any:
    return pa.timestamp(stored.unit) if pa.types.is_timestamp(stored) else stored


def _largest(by_name: dict[str, int], counts: Any) -> list[str]:
    fit = [name for name in by_name if counts[by_name[name]] >= FEWEST_ROWS]
    return sorted(sorted(fit, key=lambda name: (-counts[by_name[name]], name))[:MOST_GROUPS])
