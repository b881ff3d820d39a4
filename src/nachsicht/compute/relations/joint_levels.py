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

from nachsicht.compute.relations.bands import BLOCK_ROWS, Band
from nachsicht.compute.relations.sides import Codes, Floats

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

    def __init__(self, band: Band) -> None:
        self._packs = _packs_of(band)

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

    def __init__(self, band: Band) -> None:
        self._indicators = band.indicators(slice(None))

    def counts(self, rows: NDArray[np.bool_]) -> Floats:
        """As `ByCell.counts`."""
        return self.sums(rows.astype(np.float64))

    def sums(self, values: Floats) -> Floats:
        """As `ByCell.sums`."""
        found: Floats = self._indicators @ values.T
        return found


def sums_by_level(band: Band) -> ByCell | ByProduct:
    """What sums by the levels of one column after the other with the least work."""
    return ByCell(band) if len(band.codes[0]) > BLOCK_ROWS else ByProduct(band)


def _packs_of(band: Band) -> list[Pack]:
    """Columns that stand beside each other, as many together as make few cells."""
    most = min(MOST_CELLS, max(len(band.codes[0]), 1))
    packs: list[Pack] = []
    first, cells = 0, 1
    sizes = (band.sizes + 1).tolist()  # the last for rows without a value
    for i, size in enumerate(sizes):
        if i > first and cells * size > most:
            packs.append(_packed(band.codes[first:i], sizes[first:i]))
            first, cells = i, 1
        cells *= size
    return [*packs, _packed(band.codes[first:], sizes[first:])]


def _packed(columns: Sequence[Codes], shape: Sequence[int]) -> Pack:
    cells = np.zeros(len(columns[0]), np.int64)
    for codes, size in zip(columns, shape, strict=True):
        cells *= size
        cells += np.where(codes < 0, size - 1, codes)
    return Pack(cells, tuple(shape), tuple(size - 1 for size in shape))
