"""Rows of two versions: added, removed, changed, the same."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.by_key import COMPARED, MatchedVersions, mostly_alike, rows_by_key
from nachsicht.comparison.rows.keys import Place, detect_keys, hash_keys
from nachsicht.comparison.rows.match import (
    MatchedRows,
    RowsAtHand,
    match_if_key,
    match_rows,
    rows_without_equal,
)
from nachsicht.comparison.rows.nearly_equal import SharedColumn
from nachsicht.comparison.rows.where import MOST_DRAWN, evenly
from nachsicht.comparison.rows.whole_rows import UnmatchedRows, shared_columns, whole_rows
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import RowChanges
from nachsicht.table.result import RetainedData

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]


def compare_rows(
    old: RetainedData,
    new: RetainedData,
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    different: tuple[int, int],
    pmap: ParallelMap = map,
    moved: Sequence[int] = (),
) -> RowChanges:
    """What became of the rows between two versions.

    Parameters
    ----------
    old, new : RetainedData
        The data of both.
    pairs : sequence of (old column, new column)
        The columns that both versions have.
    key : sequence of (old place, new place)
        The columns that name a row; with none, they are found where that is plain, and
        otherwise whole rows are compared.
    step : (int, int)
        Positions of the two versions.
    different : (int, int)
        How many different rows each version has.
    pmap : callable, optional
        Applies a function to all columns, as `map` does.
    moved : sequence of int
        Places in the newer version of columns whose distribution changed.
    """
    tables = old.table, new.table
    if key:
        return _by_key(old, new, pairs, key, step, False, match_rows(tables, key, pmap), pmap)
    for candidate in detect_keys(pairs, different):
        matched = match_if_key(tables, candidate, different, pmap)
        if matched is not None and mostly_alike(tables, pairs, candidate, _drawn_pairs(matched)):
            return _by_key(old, new, pairs, candidate.places, step, True, matched, pmap)
    shared, hashes = hashes_of_rows(old, new, pairs)
    left = rows_without_equal(hashes, pmap)
    in_both = np.ones(tables[1].num_rows, bool)
    in_both[left[1].places] = False
    return whole_rows(
        UnmatchedRows(
            sides=_sides(tables),
            left=(left[0].places, left[1].places),
            hashes=(hashes[0][left[0].places], hashes[1][left[1].places]),
            equal_kept=left[0].equal_kept,
            unchanged=tables[0].num_rows - len(left[0].places),
            drawn=evenly(np.flatnonzero(in_both), MOST_DRAWN),
        ),
        pairs,
        shared,
        step,
        moved,
    )


def _drawn_pairs(matched: MatchedRows) -> tuple[_Places, _Places]:
    few = evenly(np.arange(len(matched.old)), COMPARED)
    return matched.old[few], matched.new[few]


def _by_key(
    before: RetainedData,
    after: RetainedData,
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    found: bool,
    matched: MatchedRows,
    pmap: ParallelMap,
) -> RowChanges:
    old, new = unlike_rows(before, after, pairs, matched)
    both = MatchedVersions(
        sides=_sides((before.table, after.table)),
        old=old,
        new=new,
        matched=len(matched.old),
        drawn=evenly(matched.new, MOST_DRAWN),
        added=len(matched.added),
        removed=len(matched.removed),
        added_rows=matched.added,
        removed_rows=matched.removed,
        repeated=matched.repeated,
    )
    return rows_by_key(both, pairs, key, step, found, pmap)


def _sides(tables: tuple[Any, Any]) -> tuple[RowsAtHand, RowsAtHand]:
    old, new = (RowsAtHand(table, table.num_rows) for table in tables)
    return old, new


def unlike_rows(
    before: RetainedData, after: RetainedData, pairs: _Pairs, matched: MatchedRows
) -> tuple[_Places, _Places]:
    """The matched rows but for those that are equal in all columns, by the hashes at hand."""
    if not _hashed_alike(before, after, pairs):
        return matched.old, matched.new
    unlike = before.rows[matched.old] != after.rows[matched.new]
    return matched.old[unlike], matched.new[unlike]


def _hashed_alike(old: RetainedData, new: RetainedData, pairs: _Pairs) -> bool:
    """Whether equal rows have equal hashes: these tell where a value stands, and how stored."""
    one, other = old.table, new.table
    return one.num_columns == other.num_columns == len(pairs) and all(
        a.position == b.position and one.column(a.position).type == other.column(b.position).type
        for a, b in pairs
    )


def hashes_of_rows(
    before: RetainedData, after: RetainedData, pairs: _Pairs
) -> tuple[list[SharedColumn], tuple[Hashes, Hashes]]:
    """The columns that are compared, and hashes of the rows of both over these."""
    tables = before.table, after.table
    alike = _hashed_alike(before, after, pairs)
    shared = shared_columns((tables[0].schema, tables[1].schema), pairs, alike=alike)
    if alike:
        return shared, (before.rows, after.rows)
    types = [column.stored for column in shared]
    old, new = (
        hash_keys(table, [column.pair[side].position for column in shared], types)
        for side, table in enumerate(tables)
    )
    return shared, (old, new)
