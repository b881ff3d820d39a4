"""Sums by the levels of many columns, without a pass over the rows for each column.

Of many rows: the levels that a row has in a few columns make one cell; what is summed by cell,
and then over the cells of a level, is the sum by level. Of few rows, which may have a thousand
columns: one product with the matrix of zeros and ones of all levels.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.relations.bands import BLOCK_ROWS, bands_of
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


class ByCell:
    """Sums from cells, of one number after the other."""

    at_once = 1

    def __init__(self, columns: Sequence[Levels]) -> None:
        self._packs = packs_of(columns)

    def counts(self, rows: NDArray[np.bool_]) -> Floats:
        """By level (first axis), how many of the chosen rows (a choice a row) have it."""
        return self._of([(None, None if chosen.all() else chosen) for chosen in rows])

    def sums(self, values: Floats) -> Floats:
        """By level (first axis), the sums of numbers (a row each)."""
        return self._of([(numbers, None) for numbers in values])

    def _of(self, asked: Sequence[tuple[Floats | None, NDArray[np.bool_] | None]]) -> Floats:
        found = [
            np.concatenate([part for pack in self._packs for part in pack.sums(values, rows)])
            for values, rows in asked
        ]
        return np.array(found).T


class ByProduct:
    """The same from products, of some numbers at once: more would not stay in the cache."""

    at_once = 32

    def __init__(self, columns: Sequence[Levels]) -> None:
        bands = bands_of([(side.codes, len(side.names)) for side in columns])
        self._indicators = np.concatenate([band.indicators(slice(None)) for band in bands])

    def counts(self, rows: NDArray[np.bool_]) -> Floats:
        """As `ByCell.counts`."""
        return self.sums(rows.astype(np.float64))

    def sums(self, values: Floats) -> Floats:
        """As `ByCell.sums`."""
        found: Floats = self._indicators @ values.T
        return found


def sums_by_level(columns: Sequence[Levels]) -> ByCell | ByProduct:
    """What sums by the levels of one column after the other with the least work."""
    return ByCell(columns) if len(columns[0].codes) > BLOCK_ROWS else ByProduct(columns)


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
