"""All rows that one version alone has, or that were rewritten, as one table."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.buffers import arrow_of, taken
from nachsicht.comparison.rows.cells import differing_cells
from nachsicht.comparison.rows.diff import hashes_of_rows, unlike_rows
from nachsicht.comparison.rows.keys import Place, common_type, one_array
from nachsicht.comparison.rows.match import match_rows, rows_without_equal
from nachsicht.comparison.rows.nearly_equal import rewritten_rows
from nachsicht.model.column import ColumnSummary
from nachsicht.table.result import RetainedData

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]

#: What may be said of a row, in the order in which rows of one place stand.
CHANGES = ("removed", "added", "before", "after")
_REMOVED, _ADDED, _BEFORE, _AFTER = range(4)
#: The columns that come first.
LEADING = ("change", "old_row", "new_row")


class RowPlaces(NamedTuple):
    """Places of rows in the older and the newer version; rewritten ones stand beside each other."""

    removed: _Places
    added: _Places
    before: _Places
    after: _Places


def changed_places(
    old: RetainedData,
    new: RetainedData,
    pairs: _Pairs,
    key: Sequence[Place],
    moved: Sequence[int] = (),
    pmap: ParallelMap = map,
) -> RowPlaces:
    """Where the rows are that came, went, or were rewritten.

    Parameters
    ----------
    old, new : RetainedData
        The data of both.
    pairs : sequence of (old column, new column)
        The columns that both versions have.
    key : sequence of (old place, new place)
        The columns that name a row; with none, whole rows are compared, and those that agree but
        for a cell, or a few, are rewritten.
    moved : sequence of int
        Places in the newer version of columns whose distribution changed.
    pmap : callable, optional
        Applies a function to all columns, as `map` does.
    """
    tables = old.table, new.table
    if key:
        matched = match_rows(tables, key, pmap)
        places = unlike_rows(old, new, pairs, matched)
        changed = np.zeros(len(places[0]), bool)
        in_key = {b for _, b in key}
        others = [pair for pair in pairs if pair[1].position not in in_key]
        for mask in pmap(lambda pair: differing_cells(tables, pair, places), others):
            if mask is not None:
                changed |= mask
        return RowPlaces(matched.removed, matched.added, places[0][changed], places[1][changed])
    shared, hashes = hashes_of_rows(old, new, pairs)
    left = [side.places for side in rows_without_equal(hashes, pmap)]
    found = (
        [
            *rewritten_rows(
                tables,
                shared,
                (left[0], left[1]),
                (hashes[0][left[0]], hashes[1][left[1]]),
                moved,
            )
        ]
        if len(left[0]) and len(left[1])
        else []
    )
    none = np.empty(0, np.int64)
    before = np.concatenate([none, *(each.old for each in found)])
    after = np.concatenate([none, *(each.new for each in found)])
    return RowPlaces(np.setdiff1d(left[0], before), np.setdiff1d(left[1], after), before, after)


def listed_rows(tables: tuple[Any, Any], pairs: _Pairs, places: RowPlaces) -> Any:
    """The rows at some places, each as it is in the version that it is of.

    Returns
    -------
    Arrow table
        ``change`` says what a row is: ``removed``, ``added``, or ``before`` and ``after`` of one
        that was rewritten; ``old_row`` and ``new_row`` are its numbers from 1 in the versions that
        have it. Then the columns of the newer version, under its names, and those that only the
        older one has. Rows stand in the order of the newer version, removed ones first.
    """
    changes = np.repeat(np.arange(4), [len(part) for part in places])
    removed, added, before, after = places
    old_rows = np.concatenate((removed, np.full(len(added), -1), before, before))
    new_rows = np.concatenate((np.full(len(removed), -1), added, after, after))
    order = np.lexsort((changes, old_rows, new_rows))
    changes, old_rows, new_rows = changes[order], old_rows[order], new_rows[order]
    is_old = (changes == _REMOVED) | (changes == _BEFORE)
    words = pa.DictionaryArray.from_arrays(pa.array(changes, pa.int8()), list(CHANGES))
    columns: dict[str, Any] = {
        LEADING[0]: words.cast(pa.string()),
        LEADING[1]: _numbers(old_rows),
        LEADING[2]: _numbers(new_rows),
    }
    sides = (tables[0], old_rows[is_old]), (tables[1], new_rows[~is_old])
    back = np.argsort(np.concatenate((np.flatnonzero(is_old), np.flatnonzero(~is_old))))
    older = {new.position: old.position for old, new in pairs}
    for position, name in enumerate(tables[1].schema.names):
        of = older.get(position)
        columns[_free(name, columns)] = _joined(sides, (of, position), back)
    only_old = set(range(tables[0].num_columns)) - {*older.values()}
    for position in sorted(only_old):
        name = tables[0].schema.names[position]
        columns[_free(name, columns)] = _joined(sides, (position, None), back)
    return pa.table(columns)


def _numbers(places: _Places) -> Any:
    return pa.array(places + 1, pa.int64(), mask=places < 0)


def _joined(
    sides: tuple[tuple[Any, _Places], tuple[Any, _Places]],
    positions: tuple[int | None, int | None],
    back: _Places,
) -> Any:
    """A column of the rows of both versions, in their order; null where a version lacks it."""
    parts = [
        None if position is None else one_array(taken(table.column(position), places))
        for (table, places), position in zip(sides, positions, strict=True)
    ]
    there = [part for part in parts if part is not None]
    stored = there[0].type if len(there) == 1 else common_type(there[0].type, there[1].type)
    filled = [
        pa.nulls(len(places), stored or pa.large_string()) if part is None else _as(part, stored)
        for part, (_, places) in zip(parts, sides, strict=True)
    ]
    return pa.concat_arrays(filled).take(arrow_of(back))


def _as(part: Any, stored: Any) -> Any:
    """Values as those of a type; as texts where both versions have none in common."""
    if stored is not None:
        return part.cast(stored, safe=False)
    return pa.array([None if v is None else str(v) for v in part.to_pylist()], pa.large_string())


def _free(name: str, taken_names: dict[str, Any]) -> str:
    """A name that no column has so far."""
    while name in taken_names:
        name += "_"
    return name
