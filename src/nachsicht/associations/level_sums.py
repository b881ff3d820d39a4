"""Sums by the levels of many columns, without a pass over the rows for each column.

Of many rows: the levels that a row has in a few columns make one cell; what is summed by cell,
and then over the cells of a level, is the sum by level. Of few rows, which may have a thousand
columns: products with the matrix of zeros and ones of all levels.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.codes import rows_by_code
from nachsicht.associations.encode import Codes, Floats, NumericVector
from nachsicht.associations.indicators import BLOCK_ROWS, IndicatorBlock, slices
from nachsicht.kernels import sums as kernels

#: Two numbers for each cell should stay in the cache.
MOST_CELLS = 1 << 11
#: Quantities that are multiplied at once: more would not stay in the cache.
_AT_ONCE = 32
#: Counting two columns takes as long as multiplying so many pairs of levels.
_PAIRS_OF_LEVELS = 30


def counts_of_pairs(one: IndicatorBlock, other: IndicatorBlock) -> Floats:
    """Rows by every level of the one (first axis) and every level of the other."""
    rows = len(one.codes[0])
    counts = np.zeros((one.levels, other.levels))
    by_product = one.levels * other.levels < _PAIRS_OF_LEVELS * len(one.codes) * len(other.codes)
    if rows <= BLOCK_ROWS or by_product:
        for part in slices(rows, BLOCK_ROWS):
            # The counts of a block are whole numbers that single precision holds.
            mine = one.indicators(part, np.float32)
            theirs = mine if other is one else other.indicators(part, np.float32)
            counts += np.dot(mine, theirs.T)
        return counts
    if other is one:
        for codes, place in zip(one.codes, one.places, strict=True):
            counts[place, place] = np.diag(rows_by_code(codes, _width(place)))
        for i, j in combinations(range(len(one.codes)), 2):
            found = _counted(one, i, one, j)
            counts[one.places[i], one.places[j]] = found
            counts[one.places[j], one.places[i]] = found.T
        return counts
    for i, place in enumerate(one.places):
        for j, beside in enumerate(other.places):
            counts[place, beside] = _counted(one, i, other, j)
    return counts


def _width(place: slice) -> int:
    return int(place.stop - place.start)


def _counted(one: IndicatorBlock, i: int, other: IndicatorBlock, j: int) -> NDArray[np.int64]:
    counts = np.zeros((_width(one.places[i]), _width(other.places[j])), np.int64)
    kernels.pairs(one.codes[i], other.codes[j], counts)
    return counts


def power_sums(
    band: IndicatorBlock,
    quantities: Sequence[NumericVector],
    rows: slice | NDArray[np.int64],
    powers: int,
    pmap: ParallelMap,
) -> Floats:
    """Sums of the powers of ranks, from their zeroth, by level.

    Parameters
    ----------
    band : IndicatorBlock
        The levels of the rows.
    quantities : sequence of NumericVector
        In all rows.
    rows : slice or array of int
        The rows of the band.
    powers : int
        At most 2 of more than `BLOCK_ROWS` rows.
    pmap : callable
        As `map`, on as many threads as it likes.

    Returns
    -------
    array of shape (powers + 1, levels, quantities)
        Of ranks from -1 to 1, so that their powers stay small.
    """
    if len(band.codes[0]) > BLOCK_ROWS:
        assert powers == 2
        packs = _packs_of(band)
        found = pmap(lambda side: _by_cell(packs, side, rows), quantities)
        return np.stack(list(found), axis=2)
    indicators = band.indicators(slice(None))
    groups = [quantities[part] for part in slices(len(quantities), _AT_ONCE)]
    products = pmap(lambda some: _by_product(indicators, some, rows, powers), groups)
    return np.concatenate(list(products), axis=2)


def _by_product(
    indicators: NDArray[np.floating[Any]],
    quantities: Sequence[NumericVector],
    rows: slice | NDArray[np.int64],
    powers: int,
) -> Floats:
    ranked = np.array([q.ranked[rows] * q.to_one for q in quantities])
    counts = np.repeat(indicators.sum(axis=1)[:, None], len(quantities), axis=1)
    gaps = [i for i, quantity in enumerate(quantities) if not quantity.whole]
    if gaps:
        there = np.array([quantities[i].present[rows] for i in gaps], np.float64)
        counts[:, gaps] = np.dot(indicators, there.T)
    sums, power = [counts], ranked
    for _ in range(powers):
        sums.append(np.dot(indicators, power.T))
        power = power * ranked
    return np.array(sums)


def _by_cell(
    packs: Sequence[JointCells], side: NumericVector, rows: slice | NDArray[np.int64]
) -> Floats:
    ranked, factor = side.ranked[rows], side.to_one
    there = None if side.whole else side.present[rows]
    return np.concatenate([pack.power_sums(ranked, there, factor) for pack in packs], axis=1)


class JointCells(msgspec.Struct, frozen=True, dict=True):
    """Some columns of levels: the cell of each row, and how many levels each column has.

    ``cells`` is of shape (rows,); a cell is the place of the row's levels in an array of ``shape``,
    in C order. That has an axis for each column, a level longer than ``levels``: the last entry
    is for rows without a value.
    """

    cells: Codes
    shape: tuple[int, ...]
    levels: tuple[int, ...]

    @kept
    def counts(self) -> Floats:
        """The rows by level, of all columns one after the other."""
        return self._by_level(rows_by_code(self.cells, math.prod(self.shape)))

    def power_sums(
        self, ranked: NDArray[np.integer[Any]], there: NDArray[np.bool_] | None, factor: float
    ) -> Floats:
        """By level: the rows with a rank, the sum of the ranks, and that of their squares.

        Parameters
        ----------
        ranked : array of int, shape (rows,)
            Ranks; 0 where there is none.
        there : array of bool, shape (rows,), optional
            Where there is a rank; None for all rows.
        factor : float
            Ranks are multiplied by it.

        Returns
        -------
        array of shape (3, levels of all columns)
        """
        sums = np.zeros((math.prod(self.shape), 2))
        kernels.by_cell(self.cells, np.ascontiguousarray(ranked), factor, sums)
        counts = self.counts
        if there is not None:
            counts = self._by_level(rows_by_code(self.cells[there], len(sums)))
        return np.array((counts, self._by_level(sums[:, 0]), self._by_level(sums[:, 1])))

    def _by_level(self, figures: NDArray[Any]) -> Floats:
        table, axes = figures.reshape(self.shape), range(len(self.shape))
        sums = [
            table.sum(axis=tuple(other for other in axes if other != axis), dtype=np.float64)[:n]
            for axis, n in enumerate(self.levels)
        ]
        return np.concatenate(sums)


def _packs_of(band: IndicatorBlock) -> list[JointCells]:
    """Columns that stand beside each other, as many together as make few cells."""
    most = min(MOST_CELLS, max(len(band.codes[0]), 1))
    packs: list[JointCells] = []
    first, cells = 0, 1
    sizes = (band.sizes + 1).tolist()  # the last for rows without a value
    for i, size in enumerate(sizes):
        if i > first and cells * size > most:
            packs.append(_packed(band.codes[first:i], sizes[first:i]))
            first, cells = i, 1
        cells *= size
    return [*packs, _packed(band.codes[first:], sizes[first:])]


def _packed(columns: Sequence[Codes], shape: Sequence[int]) -> JointCells:
    cells = np.zeros(len(columns[0]), np.int32)
    for codes, size in zip(columns, shape, strict=True):
        kernels.into_cells(np.ascontiguousarray(codes, np.int32), size, cells)
    return JointCells(cells, tuple(shape), tuple(size - 1 for size in shape))
