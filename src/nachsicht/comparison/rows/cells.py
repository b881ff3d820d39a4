"""Cells of matched rows: which differ, by which rule, and where their rows are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in, taken, values_of
from nachsicht.arrow.hashing import hash_values
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.rows.keys import common_type, comparable_type, one_array
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.comparison.rows.rewrites import explain_rewrite, left_as_it_is
from nachsicht.comparison.rows.where import where_rewritten
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import Condition, Rewrite

#: Rows with changed cells whose numbers are kept, of each column.
EXAMPLES = 3
#: Other columns whose values may have been written into one.
_MOST_OTHERS = 30

_Places = NDArray[np.int64]
_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]


def differing_cells(
    tables: tuple[Any, Any],
    pair: tuple[ColumnSummary, ColumnSummary],
    places: tuple[_Places, _Places],
) -> NDArray[np.bool_] | None:
    """Where a column differs among matched rows; None where its types cannot be compared.

    ``places`` are those of the rows in both tables, one beside the other.
    """
    old = one_array(tables[0].column(pair[0].position))
    new = one_array(tables[1].column(pair[1].position))
    common = comparable_type(old.type, new.type)
    if common is None:
        return None
    one, other = _taken(old, places[0], common), _taken(new, places[1], common)
    if pa.types.is_nested(common):
        unlike: NDArray[np.bool_] = hash_values(one) != hash_values(other)
        return unlike
    gaps = missing_in(one), missing_in(other)
    if pa.types.is_null(common):
        return np.zeros(len(places[0]), bool)
    unequal = pc.not_equal(one, other)
    differs = values_of(unequal).copy()
    differs[gaps[0] | gaps[1]] = False
    found: NDArray[np.bool_] = differs | (gaps[0] != gaps[1])
    return found


def rewrite_of(
    tables: tuple[Any, Any],
    pairs: _Pairs,
    pair: tuple[ColumnSummary, ColumnSummary],
    places: tuple[_Places, _Places],
) -> Rewrite | None:
    """The rule by which the differing cells of a column were rewritten.

    ``places`` are those of their rows in both tables, one beside the other.
    """
    stored = [t.column(c.position).type for t, c in zip(tables, pair, strict=True)]
    common = comparable_type(*stored)
    if pa.types.is_nested(common):
        return None

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


def where_of(
    side: RowsAtHand,
    pairs: _Pairs,
    column: ColumnSummary,
    rewrite: Rewrite | None,
    matched: tuple[_Places, int],
    changed: _Places,
) -> tuple[Condition, ...]:
    """Where the rows are of which a column was rewritten, by the columns that were not.

    Rows whose value the rule leaves as it is are no rows that were spared. Of the matched rows
    come the places of evenly drawn ones in the newer version (``side``), and how many there are.
    """
    others = [new for _, new in pairs if new is not column]
    drawn, rows = matched
    if rewrite is not None and len(changed) < rows:
        kept = np.setdiff1d(drawn, changed)
        cells = one_array(taken(side.table.column(column.position), kept))
        same = left_as_it_is(rewrite, cells)
        rows -= round((rows - len(changed)) * float(same.mean())) if len(kept) else 0
        drawn = np.union1d(kept[~same], np.intersect1d(drawn, changed))
    return where_rewritten(side, others, (drawn, rows), changed)
