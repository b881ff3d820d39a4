"""Rows matched by a key: in how many cells they differ, and what is told of that."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.columns.cell_text import cell_text
from nachsicht.comparison.rows.cells import EXAMPLES, differing_cells, rewrite_of, where_of
from nachsicht.comparison.rows.keys import KeyCandidate, Place
from nachsicht.comparison.rows.lost_rows import level_lost, run_lost
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import CellChange, ChangedCell, Condition, RowChanges

#: Of so many columns, those that changed most, changed cells are shown.
_EXAMPLE_COLUMNS = 6
#: Of so many columns, the most rewritten ones, it is looked for where their rows are.
_MOST_PLACED = 10
#: Of rows that dates and attributes name, so many are compared; at most this part of their cells
#: differs.
COMPARED, _MOST_UNLIKE = 2_000, 0.5
#: Examples of added and removed keys.
KEYS = 5

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]


class MatchedVersions(msgspec.Struct, frozen=True, kw_only=True):
    """Two versions whose rows are matched by a key.

    Attributes
    ----------
    sides : (RowsAtHand, RowsAtHand)
        The older and the newer version.
    old, new : array of int64
        Places of the matched rows that may differ, one beside the other, in the newer order.
    matched : int
        All matched rows, these and those that are equal.
    drawn : array of int64
        Places in the newer version of evenly drawn ones of all matched rows.
    added, removed : int
        Rows that one version alone has.
    added_rows : array of int64
        Places of the first of the added ones.
    removed_rows : array of int64
        Places of all removed ones.
    repeated : (int, int)
        Rows whose key stands in several.
    """

    sides: tuple[RowsAtHand, RowsAtHand]
    old: _Places
    new: _Places
    matched: int
    drawn: _Places
    added: int
    removed: int
    added_rows: _Places
    removed_rows: _Places
    repeated: tuple[int, int]

    @property
    def tables(self) -> tuple[Any, Any]:
        """The rows at hand of both versions."""
        return self.sides[0].table, self.sides[1].table


def rows_by_key(
    both: MatchedVersions,
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    detected: bool,
    pmap: ParallelMap,
) -> RowChanges:
    """What became of rows that are matched by a key.

    Parameters
    ----------
    both : MatchedVersions
        Which rows are one.
    pairs : sequence of (old column, new column)
        The columns that both versions have.
    key : sequence of (old place, new place)
        The columns that name a row.
    step : (int, int)
        Positions of the two versions.
    detected : bool
        Whether the key was found by itself.
    pmap : callable
        Applies a function to all columns, as `map` does.
    """
    in_key = {b for _, b in key}
    others = [pair for pair in pairs if pair[1].position not in in_key]
    masks = list(
        pmap(lambda pair: differing_cells(both.tables, pair, (both.old, both.new)), others)
        if both.matched
        else [None for _ in others]
    )
    changed = np.zeros(len(both.old), bool)
    cells: list[_Differing] = []
    for pair, mask in zip(others, masks, strict=True):
        if mask is not None:
            changed |= mask
            if mask.any():
                cells.append(_Differing(pair, mask, int(mask.sum())))
    cells.sort(key=lambda cell: (-cell.rows, cell.pair[1].position))
    skipped = [new.name for (_, new), mask in zip(others, masks, strict=True) if mask is None]
    names = {new.position: new.name for _, new in pairs}
    show = _KeyTexts(both.tables, key)
    return RowChanges(
        before=step[0],
        after=step[1],
        key=tuple(names[b] for _, b in key),
        key_detected=detected,
        added=both.added,
        removed=both.removed,
        changed=int(changed.sum()),
        unchanged=both.matched - int(changed.sum()),
        duplicate_keys=both.repeated,
        changed_cells=tuple(_told(both, pairs, cells, pmap)),
        examples=tuple(_examples(both, cells[:_EXAMPLE_COLUMNS], show)),
        added_keys=tuple(show.of_new(int(i)) for i in both.added_rows[:KEYS]),
        removed_keys=tuple(show.of_old(int(i)) for i in both.removed_rows[:KEYS]),
        not_compared=tuple(skipped) if both.matched else (),
        lost_level=level_lost(both.sides[0], [old for old, _ in pairs], both.removed_rows),
        lost_run=run_lost(both.sides[0].rows, both.sides[0].numbers_at(both.removed_rows)),
    )


class _Differing(NamedTuple):
    """A column, where it differs among the matched rows, and in how many."""

    pair: tuple[ColumnSummary, ColumnSummary]
    mask: NDArray[np.bool_]
    rows: int


def _told(
    both: MatchedVersions, pairs: _Pairs, cells: Sequence[_Differing], pmap: ParallelMap
) -> Iterator[CellChange]:
    """What was done to the cells of each column, and where, of those that changed most."""

    def told(i: int) -> CellChange:
        (pair, mask, rows), new = cells[i], both.new[cells[i].mask]
        rewrite = rewrite_of(both.tables, pairs, pair, (both.old[mask], new))
        where: tuple[Condition, ...] = ()
        if i < _MOST_PLACED:
            drawn = both.drawn, both.matched
            where = where_of(both.sides[1], pairs, pair[1], rewrite, drawn, new)
        return CellChange(pair[1].name, rows, rewrite, _row_numbers(both, mask), where)

    yield from pmap(told, range(len(cells)))


def _examples(
    both: MatchedVersions, cells: Sequence[_Differing], show: _KeyTexts
) -> Iterator[ChangedCell]:
    """A few cells of each column, with the keys of their rows."""
    old_table, new_table = both.tables
    for (old, new), mask, _ in cells:
        for i in np.flatnonzero(mask)[:EXAMPLES]:
            before, after = int(both.old[i]), int(both.new[i])
            yield ChangedCell(
                show.of_new(after),
                new.name,
                _text(old_table.column(old.position), before),
                _text(new_table.column(new.position), after),
            )


def mostly_alike(
    tables: tuple[Any, Any],
    pairs: _Pairs,
    candidate: KeyCandidate,
    places: tuple[_Places, _Places],
) -> bool:
    """Whether rows with the same dates and attributes are the same: most of their cells are.

    Dates that were shifted make a key of other rows. An identifier is taken at its word. A few of
    the matched rows tell, which are given by their places in both tables.
    """
    if candidate.certain:
        return True
    in_key = {new for _, new in candidate.places}
    masks = [differing_cells(tables, p, places) for p in pairs if p[1].position not in in_key]
    shares = [float(mask.mean()) for mask in masks if mask is not None]
    return not shares or float(np.mean(shares)) <= _MOST_UNLIKE


def _row_numbers(both: MatchedVersions, mask: NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """Numbers, from 1, of a few rows with changed cells, in the older and the newer version."""
    few = np.flatnonzero(mask)[:EXAMPLES]
    return row_numbers(both.sides, both.old[few], both.new[few])


def row_numbers(
    sides: tuple[RowsAtHand, RowsAtHand], old: _Places, new: _Places
) -> tuple[tuple[int, int], ...]:
    """Numbers, from 1, of matched rows in the older and the newer version, by their places."""
    numbers = [side.numbers_at(places) + 1 for side, places in zip(sides, (old, new), strict=True)]
    return tuple(zip(*(each.tolist() for each in numbers), strict=True))


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
