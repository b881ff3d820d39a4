"""Rows of two versions: added, removed, changed, the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.hashing import Hashes
from nachsicht.columns.cell_text import cell_text
from nachsicht.comparison.rows.cells import (
    EXAMPLES,
    differing_cells,
    rewrite_of,
    row_numbers,
    where_of,
)
from nachsicht.comparison.rows.keys import (
    KeyCandidate,
    Place,
    common_type,
    detect_keys,
    hash_keys,
)
from nachsicht.comparison.rows.lost_rows import level_lost, run_lost
from nachsicht.comparison.rows.match import (
    MatchedRows,
    match_if_key,
    match_rows,
    rows_without_equal,
)
from nachsicht.comparison.rows.nearly_equal import Rewritten, SharedColumn, rewritten_rows
from nachsicht.comparison.rows.where import evenly
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, ChangedCell, LostRun, RowChanges
from nachsicht.table.result import RetainedData

#: Of so many columns, those that changed most, changed cells are shown.
_EXAMPLE_COLUMNS = 6
#: Of so many columns, the most rewritten ones, it is looked for where their rows are.
_MOST_PLACED = 10
#: Of rows that dates and attributes name, so many are looked at; at most this part of their cells
#: differs.
_COMPARED, _MOST_UNLIKE = 2_000, 0.5
_NOBODY = np.empty(0, np.int64)
#: This part of the rows of a lost run must have no equal row left.
_MOST = 0.5
#: Examples of added and removed keys.
_KEYS = 5

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
        if matched is not None and _names_the_same(tables, pairs, candidate, matched):
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
    lost = level_lost(tables[0], [one for one, _ in pairs], removed)
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


def _names_the_same(
    tables: tuple[Any, Any], pairs: _Pairs, candidate: KeyCandidate, matched: MatchedRows
) -> bool:
    """Whether rows with the same dates and attributes are the same: most of their cells are.

    Dates that were shifted make a key of other rows. An identifier is taken at its word.
    """
    if candidate.certain:
        return True
    few = evenly(np.arange(len(matched.old)), _COMPARED)
    some = msgspec.structs.replace(matched, old=matched.old[few], new=matched.new[few])
    in_key = {new for _, new in candidate.places}
    masks = [differing_cells(tables, p, some) for p in pairs if p[1].position not in in_key]
    shares = [float(mask.mean()) for mask in masks if mask is not None]
    return not shares or float(np.mean(shares)) <= _MOST_UNLIKE


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
    changed = 0
    for rewritten in found:
        matched = MatchedRows(rewritten.old, rewritten.new, _NOBODY, _NOBODY, (0, 0))
        changed += len(rewritten.new)
        for pair in rewritten.columns:
            mask = differing_cells(tables, pair, matched)
            if mask is None or not mask.any():
                continue
            one, n = cells.get(pair[1].name), int(mask.sum())
            if one:  # of the larger part the rule is known
                cells[one.column] = msgspec.structs.replace(one, rows=one.rows + n)
            else:
                rewrite = rewrite_of(tables, pairs, pair, matched, mask)
                few = row_numbers(matched, mask)
                where = where_of(tables[1], pairs, pair[1], rewrite, of_both, rewritten.new[mask])
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
    in_key = {b for _, b in key}
    others = [pair for pair in pairs if pair[1].position not in in_key]
    tables, in_all, everywhere = (before.table, after.table), len(matched.old), matched.new
    matched = _unlike(before, after, pairs, matched)
    masks = list(
        pmap(lambda pair: differing_cells(tables, pair, matched) if in_all else None, others)
    )
    changed = np.zeros(len(matched.old), bool)
    cells, skipped = [], []
    for (old, new), mask in zip(others, masks, strict=True):
        if mask is None:
            if in_all:
                skipped.append(new.name)
            continue
        changed |= mask
        if mask.any():
            cells.append((int(mask.sum()), mask, (old, new)))
    cells.sort(key=lambda entry: (-entry[0], entry[2][1].position))
    rewrites = list(
        pmap(lambda entry: rewrite_of(tables, pairs, entry[2], matched, entry[1]), cells)
    )
    wheres = pmap(
        lambda entry: where_of(
            tables[1], pairs, entry[0][2][1], entry[1], everywhere, matched.new[entry[0][1]]
        ),
        list(zip(cells, rewrites, strict=True))[:_MOST_PLACED],
    )
    places = [*wheres, *((),) * max(len(cells) - _MOST_PLACED, 0)]
    names = {new.position: new.name for _, new in pairs}
    old_places = {new.position: old.position for old, new in pairs}
    show = _KeyTexts(tables, key)
    examples = [
        ChangedCell(
            show.of_new(int(matched.new[i])),
            new.name,
            _text(tables[0].column(old_places[new.position]), int(matched.old[i])),
            _text(tables[1].column(new.position), int(matched.new[i])),
        )
        for _, mask, (_, new) in cells[:_EXAMPLE_COLUMNS]
        for i in np.flatnonzero(mask)[:EXAMPLES]
    ]
    return RowChanges(
        before=step[0],
        after=step[1],
        key=tuple(names[b] for _, b in key),
        key_detected=found,
        added=len(matched.added),
        removed=len(matched.removed),
        changed=int(changed.sum()),
        unchanged=in_all - int(changed.sum()),
        duplicate_keys=matched.repeated,
        changed_cells=tuple(
            CellChange(new.name, rows, rewrite, row_numbers(matched, mask), where)
            for (rows, mask, (_, new)), rewrite, where in zip(cells, rewrites, places, strict=True)
        ),
        examples=tuple(examples),
        added_keys=tuple(show.of_new(int(i)) for i in matched.added[:_KEYS]),
        removed_keys=tuple(show.of_old(int(i)) for i in matched.removed[:_KEYS]),
        not_compared=tuple(skipped),
        lost_level=level_lost(tables[0], [old for old, _ in pairs], matched.removed),
        lost_run=run_lost(tables[0].num_rows, matched.removed),
    )


def _unlike(
    before: RetainedData, after: RetainedData, pairs: _Pairs, matched: MatchedRows
) -> MatchedRows:
    """The matched rows but for those that are equal in all columns, by the hashes at hand."""
    if not _hashed_alike(before, after, pairs):
        return matched
    unlike = before.rows[matched.old] != after.rows[matched.new]
    return msgspec.structs.replace(matched, old=matched.old[unlike], new=matched.new[unlike])


def _hashed_alike(old: RetainedData, new: RetainedData, pairs: _Pairs) -> bool:
    """Whether equal rows have equal hashes: these tell where a value stands, and how stored."""
    one, other = old.table, new.table
    return one.num_columns == other.num_columns == len(pairs) and all(
        a.position == b.position and one.column(a.position).type == other.column(b.position).type
        for a, b in pairs
    )


class _KeyTexts:
    """Keys of single rows, as a person reads them."""

    def __init__(self, tables: tuple[Any, Any], key: Sequence[Place]) -> None:
        self._old = [tables[0].column(a) for a, _ in key]
        self._new = [tables[1].column(b) for _, b in key]

    def of_old(self, row: int) -> tuple[str, ...]:
        return tuple(_text(column, row) or "" for column in self._old)

    def of_new(self, row: int) -> tuple[str, ...]:
        return tuple(_text(column, row) or "" for column in self._new)


def _text(column: Any, row: int) -> str | None:
    return cell_text(column.slice(row, 1))


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
