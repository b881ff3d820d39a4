"""Rows without a key: equal in all columns that both versions have, or nearly so."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.by_key import row_numbers
from nachsicht.comparison.rows.cells import EXAMPLES, differing_cells, rewrite_of, where_of
from nachsicht.comparison.rows.keys import common_type
from nachsicht.comparison.rows.lost_rows import level_lost, run_lost
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.comparison.rows.nearly_equal import Rewritten, SharedColumn, rewritten_rows
from nachsicht.comparison.rows.where import MOST_DRAWN, evenly
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, LostRun, RowChanges

#: This part of the rows of a lost run must have no equal row left.
_MOST = 0.5

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]


class UnmatchedRows(msgspec.Struct, frozen=True, kw_only=True):
    """Two versions whose whole rows were compared, and the rows without an equal in the other.

    Attributes
    ----------
    sides : (RowsAtHand, RowsAtHand)
        The older and the newer version.
    left : (array of int64, array of int64)
        Places of the rows that have no equal.
    hashes : (array of uint64, array of uint64)
        Of these rows, over the columns that are compared.
    equal_kept : array of bool
        Whether the newer version has a row that equals one left of the older, only less often.
    unchanged : int
        Rows that both versions have.
    drawn : array of int64
        Places in the newer version of evenly drawn ones of these.
    """

    sides: tuple[RowsAtHand, RowsAtHand]
    left: tuple[_Places, _Places]
    hashes: tuple[Hashes, Hashes]
    equal_kept: NDArray[np.bool_]
    unchanged: int
    drawn: _Places

    @property
    def tables(self) -> tuple[Any, Any]:
        """The rows at hand of both versions."""
        return self.sides[0].table, self.sides[1].table


def whole_rows(
    both: UnmatchedRows,
    pairs: _Pairs,
    shared: Sequence[SharedColumn],
    step: tuple[int | None, int],
    moved: Sequence[int],
) -> RowChanges:
    """What became of rows that no key names.

    Parameters
    ----------
    both : UnmatchedRows
        Which rows have no equal.
    pairs : sequence of (old column, new column)
        The columns that both versions have.
    shared : sequence of SharedColumn
        Those of them that are compared.
    step : (int, int)
        Positions of the two versions.
    moved : sequence of int
        Places in the newer version of columns whose distribution changed.
    """
    rows = counted_rows((len(both.left[0]), len(both.left[1])), both.unchanged, pairs, shared, step)
    gone = np.ones(len(both.left[0]), bool)
    if rows.added and rows.removed:
        found = list(rewritten_rows(both.tables, shared, both.left, both.hashes, moved))
        rows = _with_nearly_equal(both, pairs, rows, found)
        for rewritten in found:
            gone[np.searchsorted(both.left[0], rewritten.old)] = False
    removed = both.left[0][gone]
    lost = level_lost(both.sides[0], [one for one, _ in pairs], removed)
    # Rows that came in their place may be the same, rewritten.
    in_place = lost is not None and 2 * rows.added > lost.rows
    numbers = both.sides[0].numbers_at(removed)
    run = run_lost(both.sides[0].rows, numbers)
    if run and not _known_by_place(run, numbers, both.equal_kept[gone]):
        run = None
    return msgspec.structs.replace(
        rows, lost_level=None if in_place else lost, lost_run=None if in_place else run
    )


def counted_rows(
    left: tuple[int, int],
    unchanged: int,
    pairs: _Pairs,
    shared: Sequence[SharedColumn],
    step: tuple[int | None, int],
) -> RowChanges:
    """Rows of one version that are in the other, each as often as it occurs, and nothing more."""
    compared = {column.pair[1].position for column in shared}
    return RowChanges(
        before=step[0],
        after=step[1],
        key=(),
        key_detected=False,
        added=left[1],
        removed=left[0],
        changed=0,
        unchanged=unchanged,
        duplicate_keys=(0, 0),
        changed_cells=(),
        examples=(),
        added_keys=(),
        removed_keys=(),
        not_compared=tuple(new.name for _, new in pairs if new.position not in compared),
    )


def shared_columns(schemas: tuple[Any, Any], pairs: _Pairs, *, alike: bool) -> list[SharedColumn]:
    """The columns of both versions whose values can be compared.

    Where versions are stored ``alike``, their hashes are parts of those of whole rows.
    """
    return list(_shared(schemas, pairs, alike))


def _shared(schemas: tuple[Any, Any], pairs: _Pairs, alike: bool) -> Iterator[SharedColumn]:
    place = 0
    for pair in pairs:
        old, new = (schema[c.position].type for schema, c in zip(schemas, pair, strict=True))
        common = common_type(old, new)
        if common is not None:
            yield SharedColumn(pair, common, pair[0].position if alike else place)
            place += 1


def _known_by_place(run: LostRun, removed: _Places, equal_kept: NDArray[np.bool_]) -> bool:
    """Whether most rows of a run are gone themselves, and not one of several equal ones.

    Of equal rows of which some are gone, the last are taken to be gone.
    """
    inside = (removed >= run.first - 1) & (removed < run.last)
    return bool((~equal_kept[inside]).mean() > _MOST)


def _with_nearly_equal(
    both: UnmatchedRows, pairs: _Pairs, rows: RowChanges, found: Sequence[Rewritten]
) -> RowChanges:
    """Whole rows, with those that are one but for rewritten cells counted as changed."""
    cells: dict[str, CellChange] = {}
    changed = sum(len(rewritten.new) for rewritten in found)
    drawn = _drawn(both, found, changed), both.unchanged + changed
    for rewritten in found:
        for pair in rewritten.columns:
            mask = differing_cells(both.tables, pair, (rewritten.old, rewritten.new))
            if mask is None or not mask.any():
                continue
            one, n = cells.get(pair[1].name), int(mask.sum())
            if one:  # of the larger part the rule is known
                cells[one.column] = msgspec.structs.replace(one, rows=one.rows + n)
            else:
                places = rewritten.old[mask], rewritten.new[mask]
                rewrite = rewrite_of(both.tables, pairs, pair, places)
                few = row_numbers(both.sides, *(each[:EXAMPLES] for each in places))
                where = where_of(both.sides[1], pairs, pair[1], rewrite, drawn, places[1])
                cells[pair[1].name] = CellChange(pair[1].name, n, rewrite, few, where)
    return msgspec.structs.replace(
        rows,
        added=rows.added - changed,
        removed=rows.removed - changed,
        changed=changed,
        changed_cells=tuple(sorted(cells.values(), key=lambda cell: -cell.rows)),
    )


def _drawn(both: UnmatchedRows, found: Sequence[Rewritten], changed: int) -> _Places:
    """Places in the newer version of evenly drawn rows that both have, rewritten or not."""
    if not changed:
        return both.drawn
    part = min(both.unchanged, MOST_DRAWN * both.unchanged // (both.unchanged + changed))
    rewritten = np.sort(np.concatenate([each.new for each in found]))
    return np.union1d(evenly(both.drawn, part), evenly(rewritten, MOST_DRAWN - part))
