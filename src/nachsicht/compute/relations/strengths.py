"""How strongly two columns go together, for each pair of kinds.

Quantities and moments among each other: Spearman's rank correlation (average ranks).
Categories and flags among each other: Cramér's V with the correction of its bias (Bergsma
2013). A category and a quantity: the correlation ratio eta of the ranks, with the bias of
its square corrected as for the adjusted coefficient of determination. Rows where either is
missing are left out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.arrays import missing_in, values_of
from nachsicht.compute.levels_in import levels_in
from nachsicht.compute.relations.groups import grouped
from nachsicht.compute.relations.row_sample import RowSample
from nachsicht.model.column import CategorySummary, ColumnSummary, MomentSummary, QuantitySummary
from nachsicht.model.profile import Relation, Relations

#: At most so many columns are related to each other.
MOST_COLUMNS = 40
#: Levels beyond the most frequent ones count as one.
MOST_LEVELS = 24
#: Fewer common rows tell nothing.
FEWEST_ROWS = 20

_Floats = NDArray[np.float64]
_Codes = NDArray[np.int64]


@dataclass(frozen=True)
class _Quantity:
    name: str
    values: _Floats
    present: NDArray[np.bool_]

    @cached_property
    def whole(self) -> bool:
        """Whether every row has a value."""
        return bool(self.present.all())

    @cached_property
    def ranks(self) -> _Floats:
        """Average ranks of all rows; for columns that are whole."""
        return ranks(self.values)

    def ranks_in(self, rows: NDArray[np.bool_]) -> _Floats:
        """Ranks among some rows."""
        return self.ranks if self.whole and rows.all() else ranks(self.values[rows])


@dataclass(frozen=True)
class _Levels:
    name: str
    values: _Codes
    present: NDArray[np.bool_]


_Side = _Quantity | _Levels


def relations_of(columns: Sequence[ColumnSummary], sample: RowSample | None) -> Relations:
    """The strength of every pair of columns that can have one, from a sample of the rows."""
    left_out: dict[str, str] = {}
    sides: list[_Side] = []
    rows = sample.rows.num_rows if sample else 0
    for column in columns:
        reason = _reason_to_leave_out(column, len(sides))
        side = _side(column, sample.rows.column(column.position)) if sample and not reason else None
        if side is None:
            left_out[column.name] = reason or "stored_otherwise"
        else:
            sides.append(side)
    pairs = [relation for a, b in combinations(sides, 2) if (relation := _relate(a, b))]
    order, groups, alone = grouped([side.name for side in sides], pairs)
    return Relations(
        pairs=tuple(pairs), rows=rows, order=order, groups=groups, alone=alone, left_out=left_out
    )


def _reason_to_leave_out(column: ColumnSummary, taken: int) -> str:
    if column.distinct < 2:
        return "never_varies"
    if not isinstance(column.detail, QuantitySummary | CategorySummary | MomentSummary):
        return str(column.kind)
    return "too_many_columns" if taken >= MOST_COLUMNS else ""


def _side(column: ColumnSummary, values: Any) -> _Side | None:
    types, stored = pa.types, values.type
    present = ~missing_in(values)
    if isinstance(column.detail, CategorySummary):
        names, codes = levels_in(values, None)
        return _Levels(column.name, _lumped(codes, len(names) - 1), present)
    if types.is_integer(stored) or types.is_floating(stored):
        numbers = values_of(values).astype(np.float64)
        return _Quantity(column.name, numbers, present & np.isfinite(numbers))
    if types.is_timestamp(stored) or types.is_date(stored):
        return _Quantity(column.name, values_of(values).astype(np.float64), present)
    return None


def _lumped(codes: _Codes, levels: int) -> _Codes:
    """Codes of the most frequent levels, and one for all others."""
    counts = np.bincount(codes, minlength=levels + 1)[:levels]
    if levels <= MOST_LEVELS:
        return codes
    frequent = np.argsort(-counts, kind="stable")[: MOST_LEVELS - 1]
    new = np.full(levels + 1, MOST_LEVELS - 1)
    new[frequent] = np.arange(len(frequent))
    return new[codes]


def _relate(a: _Side, b: _Side) -> Relation | None:
    both = a.present & b.present
    n = int(both.sum())
    if n < FEWEST_ROWS:
        return None
    if isinstance(a, _Quantity) and isinstance(b, _Quantity):
        measure, found = "spearman", correlation(a.ranks_in(both), b.ranks_in(both))
    elif isinstance(a, _Levels) and isinstance(b, _Levels):
        measure, found = "cramers_v", cramers_v(a.values[both], b.values[both])
    else:
        levels, quantity = (a, b) if isinstance(a, _Levels) else (b, a)
        assert isinstance(levels, _Levels)
        assert isinstance(quantity, _Quantity)
        measure, found = "eta", eta(levels.values[both], quantity.ranks_in(both))
    if found is None:
        return None
    return Relation(a.name, b.name, measure, found.value, found.error, n)


@dataclass(frozen=True)
class Strength:
    """A strength and its standard error."""

    value: float
    error: float


def _strength(value: float, influence: _Floats, least: float) -> Strength:
    """With the error that the influence of the single rows gives (infinitesimal jackknife).

    That needs no normal distribution and minds ties (Efron 1982, chapter 6). In few rows it
    may come out too small, so it is at least ``least``.
    """
    n = len(influence)
    return Strength(value, max(float(influence.std()) / math.sqrt(n), least))


def ranks(values: NDArray[Any]) -> _Floats:
    """Average ranks, from 1; equal values share the mean of theirs."""
    order = np.argsort(values, kind="stable")
    ranked = values[order]
    starts = np.flatnonzero(np.concatenate(([True], ranked[1:] != ranked[:-1])))
    lengths = np.diff(starts, append=len(values))
    found = np.empty(len(values))
    found[order] = np.repeat(starts + (lengths + 1) / 2, lengths)
    return found


def spearman(a: _Floats, b: _Floats) -> Strength | None:
    """Spearman's rank correlation; None where one of the columns never varies."""
    return correlation(ranks(a), ranks(b))


def correlation(a: _Floats, b: _Floats) -> Strength | None:
    """Pearson's correlation; None where one of the columns never varies."""
    x, y = a - a.mean(), b - b.mean()
    n, scale = len(x), math.sqrt(float(x @ x) * float(y @ y))
    if not scale:
        return None
    value = max(-1.0, min(1.0, float(x @ y) / scale))
    x /= math.sqrt(float(x @ x) / n)
    y /= math.sqrt(float(y @ y) / n)
    influence = x * y - value / 2 * (x * x + y * y)
    return _strength(value, influence, (1 - value**2) / math.sqrt(n))


def cramers_v(a: _Codes, b: _Codes) -> Strength | None:
    """Cramér's V, bias corrected (Bergsma, J. Korean Stat. Soc. 42, 2013)."""
    width = int(b.max()) + 1
    table = np.bincount(a * width + b, minlength=(int(a.max()) + 1) * width).reshape(-1, width)
    table = table[table.any(axis=1)][:, table.any(axis=0)].astype(np.float64)
    rows, columns = table.shape
    n = float(table.sum())
    if min(rows, columns) < 2:
        return None
    joint = table / n
    one, other = joint.sum(axis=1, keepdims=True), joint.sum(axis=0, keepdims=True)
    lift = joint / (one * other)
    phi = float((joint * lift).sum()) - 1
    corrected = max(0.0, phi - (rows - 1) * (columns - 1) / (n - 1))
    rows_left = rows - (rows - 1) ** 2 / (n - 1)
    columns_left = columns - (columns - 1) ** 2 / (n - 1)
    most = min(rows_left, columns_left) - 1
    if most <= 0:
        return None
    value = min(1.0, math.sqrt(corrected / most))
    by_row = (joint * lift).sum(axis=1, keepdims=True) / one
    by_column = (joint * lift).sum(axis=0, keepdims=True) / other
    influence = 2 * lift - by_row - by_column
    spread = math.sqrt(float((joint * (influence - (joint * influence).sum()) ** 2).sum()) / n)
    least = 1 / math.sqrt(n)
    return Strength(value, max(spread / (2 * value * most), least) if value else least)


def eta(levels: _Codes, values: _Floats) -> Strength | None:
    """Correlation ratio: the root of the share of the variance that lies between the levels.

    The share is corrected for its bias as the adjusted coefficient of determination is.
    """
    rows = np.bincount(levels)
    held = rows > 0
    n, k = len(values), int(held.sum())
    away = values - values.mean()
    total = float(away @ away)
    if k < 2 or n <= k or not total:
        return None
    means = np.zeros(len(rows))
    means[held] = np.bincount(levels, values)[held] / rows[held]
    within = values - means[levels]
    share = 1 - float(within @ within) / total
    value = math.sqrt(max(0.0, min(1.0, 1 - (1 - share) * (n - 1) / (n - k))))
    influence = ((1 - share) * away**2 - within**2) / (total / n)
    least = 1 / math.sqrt(n)
    if not value:
        return Strength(value, least)
    return _strength(value, influence / (2 * value), least)
