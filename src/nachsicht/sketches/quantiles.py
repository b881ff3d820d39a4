"""A quantile sketch: quantiles of any number of values, from weighted samples of bounded size.

Buffers of k sorted values; two buffers of one weight become one of twice the weight by
keeping every other value (Manku, Rajagopalan and Lindsay, SIGMOD 1998; mergeable: Agarwal et
al., PODS 2012). Which of each two is kept alternates, so nothing is left to chance, and each
halving moves a rank by no more than the weight: the bound adds up as it goes. Values that come
sorted are thinned at once, which moves a rank by half a weight.
"""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

#: Values in a buffer; a level more doubles the rows that fit.
SIZE = 1 << 13

_Floats = NDArray[np.float64]


class QuantileSketch(msgspec.Struct, frozen=True):
    """Full buffers by level (weight 2**level), loose values, and the error so far, in rows."""

    levels: tuple[tuple[_Floats, ...], ...] = ()
    loose: _Floats = msgspec.field(default_factory=lambda: np.empty(0))
    error: int = 0
    halvings: int = 0

    @staticmethod
    def of_sorted(values: _Floats) -> QuantileSketch:
        """A sketch of values in rising order: of every 2**level the middle one is kept at once."""
        levels: list[tuple[_Floats, ...]] = []
        start, error = 0, 0
        for level in reversed(range(max(len(values) // SIZE, 1).bit_length())):
            end = start + (SIZE << level)
            fits = end <= len(values)
            step = 1 << level
            levels.append((values[start + step // 2 : end : step].copy(),) if fits else ())
            if fits:
                start, error = end, error + step // 2
        return QuantileSketch(tuple(reversed(levels)), values[start:].copy(), error)

    @staticmethod
    def of_counted(values: _Floats, counts: NDArray[np.int64], error: int = 0) -> QuantileSketch:
        """A sketch of rising values, each of which stands for so many rows: none is thinned."""
        bits = range(int(counts.max(initial=0)).bit_length())
        levels = tuple((values[counts >> bit & 1 == 1],) for bit in bits)
        return QuantileSketch(levels, error=error)

    def merge(self, other: QuantileSketch) -> QuantileSketch:
        """Put two sketches together."""
        mine = QuantileSketch(
            self.levels, self.loose, self.error + other.error, self.halvings + other.halvings
        )
        return mine._carried([list(level) for level in other.levels], other.loose)

    def _carried(self, others: list[list[_Floats]], loose: _Floats) -> QuantileSketch:
        """Halve pairs of buffers, level by level, until no level holds two."""
        fresh: list[_Floats] = []
        loose = np.concatenate((self.loose, loose))
        if len(loose) >= SIZE:
            fresh, loose = [np.sort(loose[:SIZE])], loose[SIZE:]
        levels: list[tuple[_Floats, ...]] = []
        error, halvings, carried = self.error, self.halvings, fresh
        depth = max(len(self.levels), len(others))
        level = 0
        while carried or level < depth:
            here = list(self.levels[level]) if level < len(self.levels) else []
            here += carried + (others[level] if level < len(others) else [])
            carried = []
            while len(here) >= 2:
                both = np.concatenate((here.pop(), here.pop()))
                both.sort()
                carried.append(both[halvings % 2 :: 2])
                halvings += 1
                error += 1 << level
            levels.append(tuple(here))
            level += 1
        return QuantileSketch(tuple(levels), loose, error, halvings)

    def weighted(self) -> tuple[_Floats, NDArray[np.int64]]:
        """Values in rising order, and how many rows each stands for."""
        values = [self.loose]
        weights = [np.ones(len(self.loose), np.int64)]
        for level, buffers in enumerate(self.levels):
            for buffer in buffers:
                values.append(buffer)
                weights.append(np.full(len(buffer), 1 << level, np.int64))
        together = np.concatenate(values)
        order = np.argsort(together, kind="stable")
        return together[order], np.concatenate(weights)[order]
