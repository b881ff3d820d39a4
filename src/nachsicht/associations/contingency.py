"""Contingency tables of pairs of columns: counted batch by batch, by levels and by bins of ranks.

The first rows of the data decide which levels have a cell of their own, and where the bins of
numbers end: at quantiles, and beside values that are frequent, which have a bin for themselves.
Tables of all pairs are one array, so that parts merge by addition.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht._util.parallel import ParallelMap, map_in_parts
from nachsicht.arrow.codes import other_codes, rows_by_code
from nachsicht.associations.encode import (
    CodedVector,
    Codes,
    EncodedColumn,
    Floats,
    NumericVector,
    local_numbers,
)
from nachsicht.columns.levels import levels_in
from nachsicht.kernels import ranking
from nachsicht.kernels import sums as kernels
from nachsicht.kernels.ranks import plain

Counts = NDArray[np.int64]

#: Bins of a column of numbers: as many as leave room for the tables of all pairs.
BINS = (256, 128)
#: Levels of a category with a cell of their own; all others share one.
MOST_LEVELS = 64
_BYTES = 8
#: The largest number up to which floats tell neighbouring whole numbers apart.
_WHOLE = 2.0**53


class BinnedColumn(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A column of numbers in bins: ``upper[i]`` is the last value of bin ``i``.

    One more bin holds what is beyond the last. ``single[i]`` tells that a bin holds but one value.
    """

    name: str
    position: int
    upper: Floats
    single: NDArray[np.bool_]

    @property
    def size(self) -> int:
        """The number of bins."""
        return len(self.single)

    def codes(self, array: Any) -> Codes:
        """The bin of each row of an Arrow column, -1 where there is no value."""
        numbers = local_numbers(array)
        assert numbers
        values, present = numbers
        found = np.empty(len(values), np.int32)
        ranking.bin_places(plain(values), self.upper, found)
        found[~present] = -1
        return found


class LevelledColumn(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A category: its levels with a cell of their own, and one more for all others."""

    name: str
    position: int
    levels: tuple[str, ...]

    @property
    def size(self) -> int:
        """The number of cells."""
        return len(self.levels) + 1

    @kept
    def places(self) -> dict[str, int]:
        """Where a level stands."""
        return {level: i for i, level in enumerate(self.levels)}

    def codes(self, array: Any) -> Codes:
        """The cell of each row of an Arrow column, -1 where there is no value."""
        names, codes = levels_in(array, None)
        places, others = self.places, len(self.levels)
        new = np.array([*(places.get(name, others) for name in names), -1], np.int32)
        return other_codes(codes, new)


CellColumn = BinnedColumn | LevelledColumn


class ContingencyPlan(msgspec.Struct, frozen=True, eq=False, dict=True):
    """The columns whose pairs are counted, each with its cells."""

    columns: tuple[CellColumn, ...] = ()

    @kept
    def by_position(self) -> dict[int, CellColumn]:
        """The columns by their positions in the table."""
        return {column.position: column for column in self.columns}

    @kept
    def pairs(self) -> list[tuple[int, int]]:
        """Places of two columns; a category stands before a column of numbers."""
        of_numbers = [isinstance(column, BinnedColumn) for column in self.columns]
        places = combinations(range(len(self.columns)), 2)
        return [(i, j) if of_numbers[i] <= of_numbers[j] else (j, i) for i, j in places]

    @kept
    def starts(self) -> list[int]:
        """Where the table of each pair begins, then the counts of each column, and the end."""
        sizes = [column.size for column in self.columns]
        cells = [*(sizes[i] * sizes[j] for i, j in self.pairs), *sizes]
        return [0, *np.cumsum(cells, dtype=np.int64).tolist()]

    def table(self, counts: Counts, pair: int) -> Counts:
        """That of a pair, by its place in `pairs`: a view of shape (cells, cells)."""
        i, j = self.pairs[pair]
        flat = counts[self.starts[pair] : self.starts[pair + 1]]
        return flat.reshape(self.columns[i].size, self.columns[j].size)

    def by_cell(self, counts: Counts, column: int) -> Counts:
        """All rows of a column by its cells, also those where others have no value."""
        at = len(self.pairs) + column
        return counts[self.starts[at] : self.starts[at + 1]]

    def count(self, codes: Mapping[int, Codes], pmap: ParallelMap = map) -> Counts:
        """Count some rows, from the cells of each column by its position in the table."""
        counts = np.zeros(self.starts[-1], np.int64)
        own = [codes[column.position] for column in self.columns]
        for place, column in enumerate(self.columns):
            there = own[place][own[place] >= 0]
            self.by_cell(counts, place)[:] = rows_by_code(there, column.size)

        def count(pair: int) -> None:
            i, j = self.pairs[pair]
            kernels.pairs(own[i], own[j], self.table(counts, pair))

        for _ in map_in_parts(pmap, count, range(len(self.pairs))):
            pass
        return counts


def plan_contingency(
    encoded: Sequence[EncodedColumn], rows: Any, most_bytes: int
) -> ContingencyPlan:
    """Choose the cells of each column from the first rows.

    Parameters
    ----------
    encoded : sequence of EncodedColumn
        Columns in these rows.
    rows : Arrow table
        The same rows.
    most_bytes : int
        Room for the tables of all pairs; where it is too little for the coarsest bins, none is
        counted.
    """
    names = rows.schema.names
    places = {name: i for i, name in enumerate(names)}
    encoded = [column for column in encoded if names.count(column.name) == 1]
    levelled = [
        _levelled(column, places[column.name], rows)
        for column in encoded
        if isinstance(column, CodedVector)
    ]
    numbers = [column for column in encoded if isinstance(column, NumericVector)]
    for bins in BINS:
        cells = sum(column.size for column in levelled) + len(numbers) * bins
        if cells**2 // 2 * _BYTES > 2 * most_bytes:
            continue  # far too many, which is known before anything is sorted
        binned = [_binned(column, places[column.name], bins) for column in numbers]
        plan = ContingencyPlan((*levelled, *binned))
        if plan.starts[-1] * _BYTES <= most_bytes:
            return plan
    return ContingencyPlan()


def _levelled(column: CodedVector, position: int, rows: Any) -> LevelledColumn:
    """The most frequent levels of the first rows."""
    names, codes = levels_in(rows.column(position), None)
    counts = rows_by_code(codes, len(names) + 1)[:-1].tolist()
    order = sorted(range(len(names)), key=lambda i: (-counts[i], names[i]))
    chosen = tuple(names[i] for i in order[:MOST_LEVELS] if counts[i])
    return LevelledColumn(column.name, position, chosen)


def _binned(column: NumericVector, position: int, bins: int) -> BinnedColumn:
    """Bins of equally many rows; a value that would fill two of them stands alone."""
    values = np.sort(column.values[column.present].astype(np.float64))
    different, counts = np.unique(values, return_counts=True)
    if len(different) > bins // 2:
        at = np.arange(1, bins + 1) * len(values) // bins - 1
        ends = np.unique(values[np.maximum(at, 0)])
        alone = different[counts * bins >= 2 * len(values)]
    else:
        ends = alone = different
    alone = alone[np.abs(alone) < _WHOLE]
    before = np.nextafter(alone, -np.inf)
    upper = np.union1d(ends, before)
    single = np.append(np.isin(upper, alone), False)
    return BinnedColumn(column.name, position, upper, single)
