"""Rows of two versions that a database matched by their key, told of as if they were at hand."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa

from nachsicht._util.parallel import ParallelMap
from nachsicht.comparison.rows.by_key import MatchedVersions, rows_by_key
from nachsicht.comparison.rows.cell_counts import CellCounts, with_counts
from nachsicht.comparison.rows.keys import Place, detect_keys
from nachsicht.comparison.rows.match import RowsAtHand, names_rows
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, RowChanges
from nachsicht.table.matched import MatchableRows, MatchedInDatabase

_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]


def compare_rows_in_database(
    versions: tuple[MatchableRows, MatchableRows],
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    different: tuple[int, int],
    pmap: ParallelMap = map,
) -> RowChanges | None:
    """What became of the rows, by a key that is given or the first that names them.

    Parameters are those of `compare_rows`. None where there is no key, or no one database that
    holds both versions. A database's rows have no order, so nothing is told of where along them
    they are.
    """
    rows = pairs[0][0].rows if pairs else 0, pairs[0][1].rows if pairs else 0
    places = [(old.position, new.position) for old, new in pairs]
    if key:
        found = versions[0].matched_with(versions[1], key, places)
        return _told(found, pairs, key, step, pmap, detected=False) if found else None
    for candidate in detect_keys(pairs, different):
        if not candidate.certain:
            return None  # what dates and attributes name would have to be looked at, row by row
        found = versions[0].matched_with(versions[1], candidate.places, places)
        if found and names_rows(candidate, found.matched, found.repeated, rows, different):
            return _told(found, pairs, candidate.places, step, pmap, detected=True)
    return None


def _told(
    found: MatchedInDatabase,
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    pmap: ParallelMap,
    *,
    detected: bool,
) -> RowChanges:
    old, new = found.changed_rows
    changed = np.arange(old.num_rows)
    equal = old.num_rows + np.arange(found.equal_rows.num_rows)
    both = MatchedVersions(
        sides=(
            _side(pa.concat_tables([old, found.removed_rows])),
            _side(pa.concat_tables([new, found.equal_rows, found.added_rows])),
        ),
        old=changed,
        new=changed,
        matched=found.matched,
        drawn=_drawn(changed, equal, found),
        added=found.added,
        removed=found.removed,
        added_rows=old.num_rows + len(equal) + np.arange(found.added_rows.num_rows),
        removed_rows=old.num_rows + np.arange(found.removed_rows.num_rows),
        repeated=found.repeated,
    )
    told = rows_by_key(both, pairs, key, step, detected, pmap)
    names = {column.position: column.name for _, column in pairs}
    compared = list(found.by_column)
    counts = CellCounts(found.changed, np.array([*found.by_column.values()], np.int64))
    told = with_counts(told, counts, [names[place] for place in compared])
    in_key = {place for _, place in key}
    return msgspec.structs.replace(
        told,
        changed_cells=tuple(map(_without_numbers, told.changed_cells)),
        not_compared=tuple(
            name for place, name in names.items() if place not in in_key | {*compared}
        ),
        lost_level=None,
        lost_run=None,
    )


def _without_numbers(cell: CellChange) -> CellChange:
    """A column's changes without what tells of the order of the rows."""
    along = any(condition.by is None for condition in cell.where)
    return msgspec.structs.replace(cell, row_numbers=(), where=() if along else cell.where)


def _side(table: pa.Table) -> RowsAtHand:
    return RowsAtHand(table, table.num_rows, np.arange(table.num_rows))


def _drawn(
    changed: np.ndarray[tuple[int], np.dtype[np.int64]],
    equal: np.ndarray[tuple[int], np.dtype[np.int64]],
    found: MatchedInDatabase,
) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Places of matched rows, changed ones among them as often as among all."""
    spared = found.matched - found.changed
    few = round(len(equal) * found.changed / spared) if spared and len(equal) else len(changed)
    return np.concatenate((changed[:few], equal))
