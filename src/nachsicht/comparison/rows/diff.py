"""Rows of two versions: added, removed, changed, the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.buffers import missing_in, taken, values_of
from nachsicht.arrow.hashing import Hashes, hash_values
from nachsicht.columns.cell_text import cell_text
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.rows.keys import (
    FEWEST_SHARED,
    NEARLY,
    Place,
    common_type,
    comparable_type,
    could_be_key,
    detect_keys,
    hash_keys,
    key_type,
    one_array,
)
from nachsicht.comparison.rows.lost_level import level_lost
from nachsicht.comparison.rows.nearly_equal import Rewritten, SharedColumn, rewritten_rows
from nachsicht.comparison.rows.rewrites import explain_rewrite
from nachsicht.comparison.rows.where import where_rewritten
from nachsicht.kernels.ranks import order_of
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, ChangedCell, Condition, Rewrite, RowChanges
from nachsicht.table.result import RetainedData

#: Examples of changed cells, of each of the columns that changed most.
_EXAMPLES, _EXAMPLE_COLUMNS = 3, 6
#: Other columns whose values may have been written into one.
_MOST_OTHERS = 30
#: Of so many columns, the most rewritten ones, it is looked for where their rows are.
_MOST_PLACED = 10
_NOBODY = np.empty(0, np.int64)
#: Examples of added and removed keys.
_KEYS = 5

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]
#: Applies a function to many things, on several threads or one.


class _Matched(msgspec.Struct, frozen=True):
    """Places of the rows that both versions have, and of those that only one has."""

    old: _Places
    new: _Places
    added: _Places
    removed: _Places
    repeated: tuple[int, int]


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
        return _by_key(old, new, pairs, key, step, False, _match(tables, key, pmap), pmap)
    for candidate in detect_keys(pairs, different):
        matched = _match_if_key(tables, candidate, different, pmap)
        if matched is not None:
            return _by_key(old, new, pairs, candidate, step, True, matched, pmap)
    hashes, shared = _row_hashes(old, new, pairs)
    left = _without_equal(hashes, pmap)
    rows = _whole_rows(hashes, left, shared, pairs, step)
    removed = left[0]
    if rows.added and rows.removed:
        found = list(rewritten_rows(tables, shared, hashes, left, moved))
        rows = _with_nearly_equal(tables, pairs, rows, found)
        removed = np.setdiff1d(removed, np.concatenate([_NOBODY, *(pair.old for pair in found)]))
    lost = level_lost(tables[0], [one for one, _ in pairs], removed)
    # Rows that came in their place may be the same, rewritten.
    in_place = lost is not None and 2 * rows.added > lost.rows
    return msgspec.structs.replace(rows, lost_level=None if in_place else lost)


def _without_equal(hashes: tuple[Hashes, Hashes], pmap: ParallelMap) -> tuple[_Places, _Places]:
    """Places of the rows of each that the other does not have, or not as often: the last ones."""
    orders = list(pmap(order_of, hashes))
    ranked = [side[order] for side, order in zip(hashes, orders, strict=True)]

    def left(side: int) -> _Places:
        own, other = ranked[side], ranked[1 - side]
        starts = np.ones(len(own), bool)
        starts[1:] = own[1:] != own[:-1]
        nth = np.arange(len(own))
        nth -= np.maximum.accumulate(np.where(starts, nth, 0))
        equal = np.searchsorted(other, own, "right") - np.searchsorted(other, own, "left")
        return np.sort(orders[side][nth >= equal])

    old, new = pmap(left, (0, 1))
    return old, new


def _with_nearly_equal(
    tables: tuple[Any, Any], pairs: _Pairs, rows: RowChanges, found: Iterable[Rewritten]
) -> RowChanges:
    """Whole rows, with those that are one but for rewritten cells counted as changed."""
    cells: dict[str, CellChange] = {}
    changed = 0
    for rewritten in found:
        matched = _Matched(rewritten.old, rewritten.new, _NOBODY, _NOBODY, (0, 0))
        changed += len(rewritten.new)
        for pair in rewritten.columns:
            mask = _differing(tables, pair, matched)
            if mask is None or not mask.any():
                continue
            one, n = cells.get(pair[1].name), int(mask.sum())
            if one:  # of the larger part the rule is known
                cells[one.column] = msgspec.structs.replace(one, rows=one.rows + n)
            else:
                rewrite = _rewrite(tables, pairs, pair, matched, mask)
                few, everywhere = _row_numbers(matched, mask), np.arange(tables[1].num_rows)
                where = _where(tables[1], pairs, pair[1], everywhere, rewritten.new[mask])
                cells[pair[1].name] = CellChange(pair[1].name, n, rewrite, few, where)
    return msgspec.structs.replace(
        rows,
        added=rows.added - changed,
        removed=rows.removed - changed,
        changed=changed,
        changed_cells=tuple(sorted(cells.values(), key=lambda cell: -cell.rows)),
    )


def _match_if_key(
    tables: tuple[Any, Any], key: Sequence[Place], different: tuple[int, int], pmap: ParallelMap
) -> _Matched | None:
    """The rows matched by columns, if these name the rows of both and share some of them."""
    extra = [table.num_rows - rows for table, rows in zip(tables, different, strict=True)]
    for table, places, most in zip(tables, zip(*key, strict=True), extra, strict=True):
        if not could_be_key(table, places, most):
            return None
    matched = _match(tables, key, pmap)
    slack: float = 1 - NEARLY if len(key) == 1 else 0.0
    repeated = any(
        rows > 2 * (most + slack * table.num_rows)
        for rows, most, table in zip(matched.repeated, extra, tables, strict=True)
    )
    fewest = FEWEST_SHARED * min(table.num_rows for table in tables)
    return None if repeated or len(matched.old) <= fewest else matched


def _match(tables: tuple[Any, Any], key: Sequence[Place], pmap: ParallelMap) -> _Matched:
    types = [key_type(tables[0].column(a), tables[1].column(b)) for a, b in key]

    def ranked(side: int) -> tuple[_Places, Hashes]:
        hashes = hash_keys(tables[side], [places[side] for places in key], types)
        order = order_of(hashes)
        return order, hashes[order]

    (old_order, old_ranked), (new_order, new_ranked) = pmap(ranked, (0, 1))
    once_old, once_new = _once(old_ranked), _once(new_ranked)
    at = np.searchsorted(old_ranked, new_ranked)
    capped = np.minimum(at, max(len(old_ranked) - 1, 0))
    known = (old_ranked[capped] == new_ranked) if len(old_ranked) else np.zeros(len(at), bool)
    back = np.searchsorted(new_ranked, old_ranked)
    capped_back = np.minimum(back, max(len(new_ranked) - 1, 0))
    kept = (new_ranked[capped_back] == old_ranked) if len(new_ranked) else np.zeros(len(back), bool)
    both = known & once_new
    if len(old_ranked):
        both &= once_old[capped]
    in_new_order = np.argsort(new_order[both], kind="stable")
    return _Matched(
        old_order[capped[both]][in_new_order],
        new_order[both][in_new_order],
        np.sort(new_order[~known]),
        np.sort(old_order[~kept]),
        (int((~once_old).sum()), int((~once_new).sum())),
    )


def _once(ranked: Hashes) -> NDArray[np.bool_]:
    """Where a sorted value stands alone."""
    differs = ranked[1:] != ranked[:-1]
    edge = np.ones(1, bool)
    alone: NDArray[np.bool_] = np.concatenate((edge, differs)) & np.concatenate((differs, edge))
    return alone[: len(ranked)]


def _by_key(
    before: RetainedData,
    after: RetainedData,
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    found: bool,
    matched: _Matched,
    pmap: ParallelMap,
) -> RowChanges:
    in_key = {b for _, b in key}
    others = [pair for pair in pairs if pair[1].position not in in_key]
    tables, in_all, everywhere = (before.table, after.table), len(matched.old), matched.new
    matched = _unlike(before, after, pairs, matched)
    masks = list(pmap(lambda pair: _differing(tables, pair, matched) if in_all else None, others))
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
    rewrites = list(pmap(lambda entry: _rewrite(tables, pairs, entry[2], matched, entry[1]), cells))
    wheres = pmap(
        lambda entry: _where(tables[1], pairs, entry[2][1], everywhere, matched.new[entry[1]]),
        cells[:_MOST_PLACED],
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
        for i in np.flatnonzero(mask)[:_EXAMPLES]
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
            CellChange(new.name, rows, rewrite, _row_numbers(matched, mask), where)
            for (rows, mask, (_, new)), rewrite, where in zip(cells, rewrites, places, strict=True)
        ),
        examples=tuple(examples),
        added_keys=tuple(show.of_new(int(i)) for i in matched.added[:_KEYS]),
        removed_keys=tuple(show.of_old(int(i)) for i in matched.removed[:_KEYS]),
        not_compared=tuple(skipped),
        lost_level=level_lost(tables[0], [old for old, _ in pairs], matched.removed),
    )


def _where(
    table: Any, pairs: _Pairs, column: ColumnSummary, rows: _Places, changed: _Places
) -> tuple[Condition, ...]:
    """Where the rows are of which a column was rewritten, by the columns that were not."""
    others = [new for _, new in pairs if new is not column]
    return where_rewritten(table, others, rows, changed)


def _row_numbers(matched: _Matched, mask: NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    few = np.flatnonzero(mask)[:_EXAMPLES]
    return tuple(zip((matched.old[few] + 1).tolist(), (matched.new[few] + 1).tolist(), strict=True))


def _unlike(
    before: RetainedData, after: RetainedData, pairs: _Pairs, matched: _Matched
) -> _Matched:
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


def _differing(
    tables: tuple[Any, Any], pair: tuple[ColumnSummary, ColumnSummary], matched: _Matched
) -> NDArray[np.bool_] | None:
    """Where a column differs among the matched rows; None where its types cannot be compared."""
    old = one_array(tables[0].column(pair[0].position))
    new = one_array(tables[1].column(pair[1].position))
    common = comparable_type(old.type, new.type)
    if common is None:
        return None
    one, other = _taken(old, matched.old, common), _taken(new, matched.new, common)
    if pa.types.is_nested(common):
        unlike: NDArray[np.bool_] = hash_values(one) != hash_values(other)
        return unlike
    gaps = missing_in(one), missing_in(other)
    if pa.types.is_null(common):
        return np.zeros(len(matched.old), bool)
    unequal = pc.not_equal(one, other)
    differs = values_of(unequal).copy()
    differs[gaps[0] | gaps[1]] = False
    found: NDArray[np.bool_] = differs | (gaps[0] != gaps[1])
    return found


def _rewrite(
    tables: tuple[Any, Any],
    pairs: _Pairs,
    pair: tuple[ColumnSummary, ColumnSummary],
    matched: _Matched,
    mask: NDArray[np.bool_],
) -> Rewrite | None:
    """The rule by which the differing cells of a column were rewritten."""
    stored = [t.column(c.position).type for t, c in zip(tables, pair, strict=True)]
    common = comparable_type(*stored)
    if pa.types.is_nested(common):
        return None
    places = matched.old[mask], matched.new[mask]

    def others(among: _Places) -> list[tuple[str, Any]]:
        """What columns beside hold now, and held before: values may have changed places."""
        found = []
        for beside in [other for other in pairs if other[1] is not pair[1]][:_MOST_OTHERS]:
            for side in (1, 0):
                column = tables[side].column(beside[side].position)
                if common_type(column.type, common) is not None:
                    cells = one_array(taken(column, places[side][among]))
                    found.append((beside[1].name, cells))
        return found

    def pairs_at(among: _Places) -> tuple[Any, Any]:
        cells = (
            one_array(taken(table.column(column.position), rows[among]))
            for table, column, rows in zip(tables, pair, places, strict=True)
        )
        one, other = (c if c.type == common else c.cast(common, safe=False) for c in cells)
        return one, other

    return explain_rewrite(len(places[0]), pairs_at, others, set(levels_of(pair[0].stats) or ()))


def _taken(column: Any, places: _Places, common: Any) -> Any:
    if column.type != common:
        column = column.cast(common, safe=False)
    in_place = len(places) == len(column) and (
        len(places) == 0 or (places[0] == 0 and bool((np.diff(places) == 1).all()))
    )
    return column if in_place else taken(column, places)


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
