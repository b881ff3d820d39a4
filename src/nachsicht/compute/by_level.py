"""Means and standard deviations of quantities in the levels of other columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.arrays import missing_in, values_of
from nachsicht.compute.levels_in import MOST_LEVELS, SplitBy, levels_in
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.profile import SpreadByLevel

#: At most so many pairs of a quantity and a dividing column are kept.
MOST_PAIRS = 240

_Floats = NDArray[np.float64]


@dataclass(frozen=True)
class LevelMoments:
    """Rows, mean, and sum of squared distances from it, of one level."""

    rows: int
    mean: float
    squares: float

    def merge(self, other: LevelMoments) -> LevelMoments:
        """Put two together, by the stable pairwise formula (Chan, Golub and LeVeque 1983)."""
        rows = self.rows + other.rows
        apart = other.mean - self.mean
        mean = self.mean + apart * other.rows / rows
        squares = self.squares + other.squares + apart**2 * self.rows * other.rows / rows
        return LevelMoments(rows, mean, squares)


@dataclass(frozen=True)
class ByLevelPart:
    """Moments by level, for pairs of the position of a quantity and of a dividing column."""

    pairs: dict[tuple[int, int], dict[str, LevelMoments]] = field(default_factory=dict)

    def merge(self, other: ByLevelPart) -> ByLevelPart:
        """Put two parts together. A column that turns out to have many levels is dropped."""
        merged: dict[tuple[int, int], dict[str, LevelMoments]] = {}
        for pair in {**self.pairs, **other.pairs}:
            levels = dict(self.pairs.get(pair, {}))
            for name, moments in other.pairs.get(pair, {}).items():
                levels[name] = levels[name].merge(moments) if name in levels else moments
            if len(levels) <= MOST_LEVELS + 1:
                merged[pair] = levels
        return ByLevelPart(merged)

    def finish(self, columns: Sequence[ColumnSummary]) -> tuple[SpreadByLevel, ...]:
        """A table for every pair; levels in the order of their names."""
        tables = []
        for (position, by), levels in sorted(self.pairs.items()):
            names = sorted(levels)
            moments = [levels[name] for name in names]
            tables.append(
                SpreadByLevel(
                    column=columns[position].name,
                    by=columns[by].name,
                    levels=tuple(names),
                    rows=tuple(m.rows for m in moments),
                    means=tuple(m.mean for m in moments),
                    sds=tuple(
                        float(np.sqrt(m.squares / (m.rows - 1))) if m.rows > 1 else 0.0
                        for m in moments
                    ),
                )
            )
        return tuple(tables)


def pairs_to_watch(
    columns: Sequence[ColumnSummary], split_by: Sequence[SplitBy]
) -> tuple[tuple[int, SplitBy], ...]:
    """Quantities stored as numbers, each with every dividing column, as far as the cap allows."""
    quantities = [
        column.position
        for column in columns
        if isinstance(column.detail, QuantitySummary) and column.written is None
    ]
    pairs = [(position, split) for split in split_by for position in quantities]
    return tuple(pairs[:MOST_PAIRS])


def observe_by_level(batch: Any, pairs: Sequence[tuple[int, SplitBy]]) -> ByLevelPart:
    """Moments of one batch: a table or record batch."""
    part = ByLevelPart()
    numbers: dict[int, tuple[_Floats, NDArray[np.bool_]]] = {}
    levels: dict[SplitBy, tuple[list[str], NDArray[np.int64]]] = {}
    for position, split in pairs:
        column = batch.column(position)
        if not _is_number(column.type):
            continue
        if position not in numbers:
            numbers[position] = _finite(column)
        if split not in levels:
            levels[split] = levels_in(batch.column(split.position), split.unit)
        names, codes = levels[split]
        values, finite = numbers[position]
        kept = codes if finite.all() else codes[finite]
        part.pairs[position, split.position] = _moments(names, kept, values)
    return part


def _is_number(stored: Any) -> bool:
    return bool(pa.types.is_integer(stored) or pa.types.is_floating(stored))


def _finite(column: Any) -> tuple[_Floats, NDArray[np.bool_]]:
    values = values_of(column).astype(np.float64)
    finite = ~missing_in(column)
    finite &= np.isfinite(values)
    return (values if finite.all() else values[finite]), finite


def _moments(
    names: list[str], codes: NDArray[np.int64], values: _Floats
) -> dict[str, LevelMoments]:
    """Moments by level, about a common middle so that little is lost by cancellation."""
    if not len(values):
        return {}
    middle = float(values[: 1 << 12].mean())
    apart = values - middle
    rows = np.bincount(codes, minlength=len(names))
    sums = np.bincount(codes, apart, len(names))
    squares = np.bincount(codes, apart * apart, len(names))
    found = {}
    for i in np.flatnonzero(rows):
        mean = sums[i] / rows[i]
        rest = max(float(squares[i] - rows[i] * mean**2), 0.0)
        found[names[i]] = LevelMoments(int(rows[i]), float(mean + middle), rest)
    return found
