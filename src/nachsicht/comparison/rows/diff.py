"""Rows of two versions: added, removed, changed, the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.by_key import (
    COMPARED,
    MatchedVersions,
    mostly_alike,
    row_numbers,
    rows_by_key,
)
from nachsicht.comparison.rows.cells import EXAMPLES, differing_cells, rewrite_of, where_of
from nachsicht.comparison.rows.keys import (
    Place,
    common_type,
    detect_keys,
    hash_keys,
)
from nachsicht.comparison.rows.lost_rows import level_lost, run_lost
from nachsicht.comparison.rows.match import (
    MatchedRows,
    RowsAtHand,
    match_if_key,
    match_rows,
    rows_without_equal,
)
from nachsicht.comparison.rows.nearly_equal import Rewritten, SharedColumn, rewritten_rows
from nachsicht.comparison.rows.where import MOST_DRAWN, evenly
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, LostRun, RowChanges
from nachsicht.table.result import RetainedData

#: This part of the rows of a lost run must have no equal row left.
_MOST = 0.5

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
    hashes, shared = _row_hashes(old, new, pairs)
    left = rows_without_equal(hashes, pmap)
    rows = _whole_rows(hashes, left, shared, pairs, step)
    removed = left[0]
    if rows.added and rows.removed:
        found = list(rewritten_rows(tables, shared, hashes, left, moved))
        removed = _all_but(left[0], [pair.old for pair in found], tables[0].num_rows)
        added = _all_but(left[1], [pair.new for pair in found], tables[1].num_rows)
        of_both = _all_but(np.arange(tables[1].num_rows), [added], tables[1].num_rows)
        rows = _with_nearly_equal(tables, pairs, rows, found, of_both)
    lost = level_lost(_sides(tables)[0], [one for one, _ in pairs], removed)
    # Rows that came in their place may be the same, rewritten.
    in_place = lost is not None and 2 * rows.added > lost.rows
    run = run_lost(tables[0].num_rows, removed)
    if run and not _known_by_place(run, removed, hashes[0]):
        run = None
    return msgspec.structs.replace(
        rows, lost_level=None if in_place else lost, lost_run=None if in_place else run
    )


def _known_by_place(run: LostRun, removed: NDArray[np.int64], hashes: NDArray[np.uint64]) -> bool:
    """Whether most rows of a run are gone themselves, and not one of several equal ones.

    Of equal rows of which some are gone, the last are taken to be gone.
    """
    inside = removed[(removed >= run.first - 1) & (removed < run.last)]
    kept = np.delete(hashes, removed)
    return bool(np.isin(hashes[inside], kept, invert=True).mean() > _MOST)


def _all_but(
    places: NDArray[np.int64], others: Sequence[NDArray[np.int64]], rows: int
) -> NDArray[np.int64]:
    """Some of so many rows, without others."""
    kept = np.zeros(rows, bool)
    kept[places] = True
    for other in others:
        kept[other] = False
    return np.flatnonzero(kept)


def _drawn_pairs(matched: MatchedRows) -> tuple[_Places, _Places]:
    few = evenly(np.arange(len(matched.old)), COMPARED)
    return matched.old[few], matched.new[few]


def _with_nearly_equal(
    tables: tuple[Any, Any],
    pairs: _Pairs,
    rows: RowChanges,
    found: Iterable[Rewritten],
    of_both: NDArray[np.int64],
) -> RowChanges:
    """Whole rows, with those that are one but for rewritten cells counted as changed.

    ``of_both`` are places in the newer version of all rows that are one with an older one.
    """
    cells: dict[str, CellChange] = {}
    changed, sides = 0, _sides(tables)
    drawn = evenly(of_both, MOST_DRAWN), len(of_both)
    for rewritten in found:
        changed += len(rewritten.new)
        for pair in rewritten.columns:
            mask = differing_cells(tables, pair, (rewritten.old, rewritten.new))
            if mask is None or not mask.any():
                continue
            one, n = cells.get(pair[1].name), int(mask.sum())
            if one:  # of the larger part the rule is known
                cells[one.column] = msgspec.structs.replace(one, rows=one.rows + n)
            else:
                places = rewritten.old[mask], rewritten.new[mask]
                rewrite = rewrite_of(tables, pairs, pair, places)
                few = row_numbers(sides, *(each[:EXAMPLES] for each in places))
                where = where_of(sides[1], pairs, pair[1], rewrite, drawn, places[1])
                cells[pair[1].name] = CellChange(pair[1].name, n, rewrite, few, where)
    return msgspec.structs.replace(
        rows,
        added=rows.added - changed,
        removed=rows.removed - changed,
        changed=changed,
        changed_cells=tuple(sorted(cells.values(), key=lambda cell: -cell.rows)),
    )


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
    old, new = _unlike(before, after, pairs, matched)
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


def _unlike(
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


def _whole_rows(
    hashes: tuple[Hashes, Hashes],
    left: tuple[_Places, _Places],
    shared: Sequence[SharedColumn],
    pairs: _Pairs,
    step: tuple[int | None, int],
) -> RowChanges:
    """Rows of one version that are in the other, each as often as it occurs."""
    compared = {column.pair[1].position for column in shared}
    return RowChanges(
        before=step[0],
        after=step[1],
        key=(),
        key_detected=False,
        added=len(left[1]),
        removed=len(left[0]),
        changed=0,
        unchanged=len(hashes[0]) - len(left[0]),
        duplicate_keys=(0, 0),
        changed_cells=(),
        examples=(),
        added_keys=(),
        removed_keys=(),
        not_compared=tuple(new.name for _, new in pairs if new.position not in compared),
    )


def _row_hashes(
    old: RetainedData, new: RetainedData, pairs: _Pairs
) -> tuple[tuple[Hashes, Hashes], list[SharedColumn]]:
    """Hashes of the rows over the columns that both versions have, and these columns."""
    one, other = old.table, new.table
    shared = list(_comparable(one, other, pairs))
    if _hashed_alike(old, new, pairs):
        return (old.rows, new.rows), [c._replace(salt=c.pair[0].position) for c in shared]
    types = [column.stored for column in shared]
    return (
        hash_keys(one, [column.pair[0].position for column in shared], types),
        hash_keys(other, [column.pair[1].position for column in shared], types),
    ), shared


def _comparable(one: Any, other: Any, pairs: _Pairs) -> Iterator[SharedColumn]:
    place = 0
    for pair in pairs:
        common = common_type(one.column(pair[0].position).type, other.column(pair[1].position).type)
        if common is not None:
            yield SharedColumn(pair, common, place)
            place += 1
