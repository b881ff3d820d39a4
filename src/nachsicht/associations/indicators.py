"""Columns of levels that stand beside each other in matrices of zeros and ones, a row a level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.associations.encode import Codes, Floats
from nachsicht.kernels import sums

#: Levels that are multiplied with others at once, and rows.
BAND_LEVELS, BLOCK_ROWS = 512, 1 << 14
#: Sums are found level by level, many times faster than by numpy.add.reduceat, unless there are
#: fewer of them than this for every level.
_FEW_FIGURES = 512


class IndicatorBlock(msgspec.Struct, frozen=True, dict=True):
    """Some columns of levels: where each begins among the levels of the band."""

    first: int
    codes: tuple[Codes, ...]
    starts: NDArray[np.int64]
    levels: int

    @property
    def columns(self) -> slice:
        """Their places among all columns."""
        return slice(self.first, self.first + len(self.codes))

    def at(self, places: NDArray[np.int64]) -> IndicatorBlock:
        """The band in some rows."""
        return msgspec.structs.replace(self, codes=tuple(codes[places] for codes in self.codes))

    def indicators(
        self, rows: slice | NDArray[np.integer[Any]], of: type[np.floating[Any]] = np.float64
    ) -> NDArray[np.floating[Any]]:
        """One row a level, one column a row of the data: 1 where it has the level."""
        n = len(self.codes[0][rows])
        found = np.zeros((self.levels, n), of)
        for codes, place in zip(self.codes, self.places, strict=True):
            sums.mark(np.ascontiguousarray(codes[rows], np.int32), found[place])
        return found

    @kept
    def sizes(self) -> NDArray[np.int64]:
        """The number of levels of each column."""
        return np.diff(self.starts, append=self.levels)

    @kept
    def places(self) -> list[slice]:
        """Where the levels of each column stand."""
        ends = zip(self.starts.tolist(), self.sizes.tolist(), strict=True)
        return [slice(start, start + size) for start, size in ends]

    def expand(self, by_column: Floats, axis: int = 0) -> Floats:
        """Figures by column as figures by level."""
        return np.repeat(by_column, self.sizes, axis=axis)

    def total(self, by_level: Floats, axis: int = 0) -> Floats:
        """Figures by level summed to figures by column."""
        if axis == 1:
            found = np.empty((len(by_level), len(self.starts)))
            sums.in_runs(np.ascontiguousarray(by_level), self.starts, found)
            return found
        most = int(self.sizes.max())
        if by_level.size // self.levels * len(self.starts) <= most * _FEW_FIGURES:
            return np.add.reduceat(by_level, self.starts)
        found = by_level.take(self.starts, 0)
        for level in range(1, most):
            more = self.sizes > level
            part = by_level.take(self.starts[more] + level, 0)
            if more.all():
                found += part
            else:
                found[more] += part
        return found


def bands_of(columns: Sequence[tuple[Codes, int]]) -> list[IndicatorBlock]:
    """Columns of codes with the number of their levels, in bands of limited width."""
    bands, first = [], 0
    while first < len(columns):
        last, width = first, 0
        while last < len(columns) and (width + columns[last][1] <= BAND_LEVELS or last == first):
            width += columns[last][1]
            last += 1
        sizes = [size for _, size in columns[first:last]]
        starts = np.concatenate(([0], np.cumsum(sizes)[:-1])).astype(np.int64)
        bands.append(
            IndicatorBlock(first, tuple(codes for codes, _ in columns[first:last]), starts, width)
        )
        first = last
    return bands


def slices(size: int, step: int) -> list[slice]:
    """Pieces one after the other, of ``step`` things or fewer."""
    return [slice(start, min(start + step, size)) for start in range(0, size, step)]
