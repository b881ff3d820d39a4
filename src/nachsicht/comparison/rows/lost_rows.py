"""Where removed rows were: a level that lost far more of its rows than others, or a run of rows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.columns.levels import levels_in
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import LostLevel, LostRun

#: A level lost this share of its rows at least, so many times that of the others, and no fewer.
_LEAST_SHARE, _TIMES, _FEWEST = 0.1, 3.0, 5
#: Chance gives it less often than this, over all levels.
_SURE = 1e-4
#: A run has so many rows at least, and this part of all that were removed.
_SHORTEST_RUN, _MOST_OF_REMOVED = 10, 0.5
#: A row may be left in a run, which a new one happens to equal, for each so many that are gone.
_LEFT_AMONG = 10
#: Of columns with more levels, and of versions that kept hardly a row, none is looked for.
_MOST_LEVELS, _MOST_REMOVED = 200, 0.8


def level_lost(
    side: RowsAtHand, columns: Sequence[ColumnSummary], removed: NDArray[np.int64]
) -> LostLevel | None:
    """The level of a column in which far more rows were removed than elsewhere, if there is one.

    Parameters
    ----------
    side : RowsAtHand
        The older version.
    columns : sequence of ColumnSummary
        Its columns.
    removed : array
        Places, among the rows at hand, of those that the newer version does not have.
    """
    from scipy.special import bdtrc  # loads slowly

    total, gone = side.rows, len(removed)
    if gone < _FEWEST or gone > _MOST_REMOVED * total:
        return None
    by_level = [
        (column.name, level, lost, rows)
        for column in columns
        for level, lost, rows in _losses(side.table, column, removed)
    ]
    found = []
    for name, level, lost, rows in by_level:
        others = (gone - lost) / max(total - rows, 1)
        if lost < _FEWEST or lost < max(_LEAST_SHARE, _TIMES * others) * rows:
            continue
        # With rows put back, so many are of one level rather more often.
        chance = float(bdtrc(lost - 1, gone, rows / total)) * len(by_level)
        if chance < _SURE:
            found.append((chance, LostLevel(name, level, lost, rows, others)))
    return min(found, key=lambda entry: (entry[0], -entry[1].rows), default=(1.0, None))[1]


def run_lost(total: int, removed: NDArray[np.int64]) -> LostRun | None:
    """The longest run of removed rows, if it holds most of them and is too long for chance.

    Parameters
    ----------
    total : int
        Rows of the older version.
    removed : array
        Places of the rows that the newer version does not have, in rising order.
    """
    gone = len(removed)
    if gone < _SHORTEST_RUN or gone > _MOST_REMOVED * total:
        return None
    # The run with the most removed rows, less so many for each that is left among them.
    nth = np.arange(gone)
    worth = nth - _LEFT_AMONG * (removed - nth)
    at = int(np.argmax(worth - np.minimum.accumulate(worth)))
    start = int(np.argmin(worth[: at + 1]))
    rows = at - start + 1
    left = int(removed[at] - removed[start]) + 1 - rows
    # A run at random begins at any row, and each next one is gone as often as all others are.
    others = (gone - rows + 1) / (total - rows - left + 1)
    if rows < max(_SHORTEST_RUN, _MOST_OF_REMOVED * gone):
        return None
    if total * others ** (rows - _LEFT_AMONG * left) > _SURE:
        return None
    return LostRun(int(removed[start]) + 1, int(removed[at]) + 1, rows)


def _losses(
    table: Any, column: ColumnSummary, removed: NDArray[np.int64]
) -> list[tuple[str, int, int]]:
    """Levels of a column, with the rows that each lost and had."""
    levels = levels_of(column.stats)
    if not levels or len(levels) > _MOST_LEVELS:
        return []
    names, codes = levels_in(taken(table.column(column.position), removed), None)
    counts = np.bincount(codes[codes >= 0], minlength=len(names))
    lost = dict(zip(names, counts.tolist(), strict=False))  # the last count is of missing values
    return [(level, lost.get(level, 0), rows) for level, rows in levels.items()]
