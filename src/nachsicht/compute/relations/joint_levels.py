"""Sums by the levels of many columns, from one pass over the rows for several columns.

The levels that a row has in a few columns make one cell; what is summed by cell, and then over
the cells of a level, is the sum by level.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.relations.sides import Codes, Floats, Levels

#: A number for each cell should stay in the cache.
MOST_CELLS = 1 << 16


@dataclass(frozen=True)
class Pack:
    """Some columns of levels: the cell of each row, and how many levels each column has."""

    cells: Codes
    shape: tuple[int, ...]
    levels: tuple[int, ...]

    def sums(
        self, values: NDArray[np.generic] | None, rows: NDArray[np.bool_] | None = None
    ) -> list[Floats]:
        """By column, the sums of a number of each row over the rows of each level.

        Parameters
        ----------
        values : array of shape (n,), optional
            Without it the rows are counted.
        rows : array of bool, optional
            Those that count; all without it.
        """
        cells = self.cells if rows is None else self.cells[rows]
        by_cell = np.bincount(cells, values, math.prod(self.shape)).reshape(self.shape)
        axes = range(len(self.shape))
        return [
            by_cell.sum(axis=tuple(other for other in axes if other != axis), dtype=np.float64)[:n]
            for axis, n in enumerate(self.levels)
        ]


def packs_of(columns: Sequence[Levels]) -> list[Pack]:
    """Columns that stand beside each other, as many together as make few cells."""
    packs: list[Pack] = []
    rows = len(columns[0].codes) if columns else 0
    most = min(MOST_CELLS, max(rows, 1))
    taken: list[Levels] = []
    cells = 1
    for column in columns:
        size = len(column.names) + 1  # the last for rows without a value
        if taken and cells * size > most:
            packs.append(_packed(taken))
            taken, cells = [], 1
        taken.append(column)
        cells *= size
    return [*packs, _packed(taken)] if taken else packs


def _packed(columns: Sequence[Levels]) -> Pack:
    shape = tuple(len(column.names) + 1 for column in columns)
    cells = np.zeros(len(columns[0].codes), np.int64)
    for column, size in zip(columns, shape, strict=True):
        cells *= size
        cells += np.where(column.codes < 0, size - 1, column.codes)
    return Pack(cells, shape, tuple(size - 1 for size in shape))
