"""Where removed rows were: the level that lost far more of its rows than the others."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import bdtrc

from nachsicht.arrow.buffers import taken
from nachsicht.columns.levels import levels_in
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import LostLevel

#: A level lost this share of its rows at least, so many times that of the others, and no fewer.
_LEAST_SHARE, _TIMES, _FEWEST = 0.1, 3.0, 5
#: Chance gives it less often than this, over all levels.
_SURE = 1e-4
#: Of columns with more levels, and of versions that kept hardly a row, none is looked for.
_MOST_LEVELS, _MOST_REMOVED = 200, 0.8


def level_lost(
    table: Any, columns: Sequence[ColumnSummary], removed: NDArray[np.int64]
) -> LostLevel | None:
    """The level of a column in which far more rows were removed than elsewhere, if there is one.

    Parameters
    ----------
    table : Arrow table
        The older version.
    columns : sequence of ColumnSummary
        Its columns.
    removed : array
        Places of the rows that the newer version does not have.
    """
    total, gone = table.num_rows, len(removed)
    if gone < _FEWEST or gone > _MOST_REMOVED * total:
        return None
    by_level = [
        (column.name, level, lost, rows)
        for column in columns
        for level, lost, rows in _losses(table, column, removed)
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
