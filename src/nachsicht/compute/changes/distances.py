"""How far the spread of a column moved, and whether chance explains it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    IdentifierSummary,
    Knots,
    QuantitySummary,
    TextSummary,
)

_Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Measured:
    """A distance (0 to 1), how far off it may be, and how often chance gives as much."""

    measure: str
    distance: float | None
    uncertainty: float = 0.0
    chance: float | None = None


def distance_between(old: ColumnSummary, new: ColumnSummary) -> Measured | None:
    """The distance that suits the kind; None where the kinds differ or none applies."""
    a, b = old.detail, new.detail
    if isinstance(a, QuantitySummary) and isinstance(b, QuantitySummary):
        return quantity_distance(a, b)
    if isinstance(a, CategorySummary) and isinstance(b, CategorySummary):
        return level_distance(a, b)
    if isinstance(a, TextSummary) and isinstance(b, TextSummary):
        return quantity_distance(a.characters, b.characters)
    if isinstance(a, IdentifierSummary) and isinstance(b, IdentifierSummary):
        # Which values are shared cannot be told from profiles; the shapes can.
        shapes = [{level.value: level.count for level in d.shapes} for d in (a, b)]
        return Measured("shapes", _total_variation(shapes[0], shapes[1]))
    return None


def quantity_distance(a: QuantitySummary, b: QuantitySummary) -> Measured:
    """Kolmogorov-Smirnov distance: the largest difference of the cumulative shares.

    Exact where both columns keep all their different values. Otherwise the share of rows
    between neighbouring knots bounds the error (at most 1/256 for each column), and the
    cumulative share is taken as rising evenly in between.
    """
    if not a.finite or not b.finite:
        return Measured("ks", None)
    places = np.union1d(a.knots.values, b.knots.values)
    distance = max(
        float(np.abs(one - other).max())
        for one, other in zip(_cumulated(a.knots, places), _cumulated(b.knots, places), strict=True)
    )
    return Measured(
        "ks",
        distance,
        uncertainty(a.knots) + uncertainty(b.knots),
        ks_chance(distance, a.finite, b.finite),
    )


def uncertainty(knots: Knots) -> float:
    """The largest share of rows that lies between two neighbouring knots; 0 if complete."""
    if knots.complete or len(knots.values) < 2:
        return 0.0
    between = np.asarray(knots.below[1:]) - np.asarray(knots.at_most[:-1])
    return float(between.max() / knots.at_most[-1])


def _cumulated(knots: Knots, places: _Floats) -> tuple[_Floats, _Floats]:
    """Shares of rows below, and at most at, each place."""
    values, total = np.asarray(knots.values), knots.at_most[-1]
    below, at_most = np.asarray(knots.below), np.asarray(knots.at_most)
    right = np.searchsorted(values, places, "left")  # first knot not left of the place
    on_knot = values[np.minimum(right, len(values) - 1)] == places
    left = np.maximum(right - 1, 0)
    capped = np.minimum(right, len(values) - 1)
    start = np.where(right > 0, at_most[left], 0).astype(np.float64)
    if knots.complete:
        between = start
    else:
        width = values[capped] - values[left]
        part = np.divide(places - values[left], width, out=np.zeros_like(places), where=width > 0)
        inside = (right > 0) & (right < len(values))
        between = np.where(inside, start + part * (below[capped] - start), start)
    lower = np.where(on_knot, below[capped], between) / total
    upper = np.where(on_knot, at_most[capped], between) / total
    return lower, upper


def ks_chance(distance: float, n: int, m: int) -> float:
    """Asymptotic two-sided p-value of the two-sample Kolmogorov-Smirnov test.

    With Stephens' correction for moderate row counts (Stephens, JRSS B 32, 1970).
    """
    if not n or not m:
        return 1.0
    root = math.sqrt(n * m / (n + m))
    x = (root + 0.12 + 0.11 / root) * distance
    if x < 0.2:
        return 1.0
    terms = [math.exp(-2 * (k * x) ** 2) for k in range(1, 101)]
    return min(1.0, max(0.0, 2 * (sum(terms[::2]) - sum(terms[1::2]))))


def level_distance(a: CategorySummary, b: CategorySummary) -> Measured:
    """Total variation over levels: the share of rows that would have to change their level.

    Levels beyond the cap count as one; then the distance is a lower bound, and the rows
    beyond the cap its uncertainty.
    """
    old, new = level_counts(a), level_counts(b)
    distance = _total_variation(old, new)
    beyond = sum(
        side.further_rows / max(sum(counts.values()), 1) for side, counts in ((a, old), (b, new))
    )
    return Measured("total_variation", distance, beyond, levels_chance(old, new))


def level_counts(summary: CategorySummary) -> dict[str, int]:
    """Counts by level; the levels beyond the cap together under a text no level can be."""
    counts = {level.value: level.count for level in summary.levels}
    if summary.further_rows:
        counts["\0further"] = summary.further_rows
    return counts


def levels_chance(old: dict[str, int], new: dict[str, int]) -> float | None:
    """p-value of Pearson's chi-square test that both have the same shares.

    Levels that are expected in fewer than five rows are put together, as is usual.
    """
    names = sorted({*old, *new})
    table = np.array([[old.get(name, 0), new.get(name, 0)] for name in names], float)
    totals = table.sum(axis=0)
    if not names or not totals.all():
        return None
    expected = table.sum(axis=1) * totals.min() / totals.sum()
    rare = expected < 5
    if rare.any():
        table = np.vstack([table[~rare], table[rare].sum(axis=0)])
    if len(table) < 2:
        return 1.0
    from scipy.special import chdtrc

    expectation = np.outer(table.sum(axis=1), totals) / totals.sum()
    statistic = ((table - expectation) ** 2 / expectation).sum()
    return float(chdtrc(len(table) - 1, statistic))


def _total_variation(old: dict[str, int], new: dict[str, int]) -> float | None:
    n, m = sum(old.values()), sum(new.values())
    if not n or not m:
        return None
    names = sorted({*old, *new})
    return 0.5 * sum(abs(old.get(name, 0) / n - new.get(name, 0) / m) for name in names)


def shares_chance(old: int, old_rows: int, new: int, new_rows: int) -> float:
    """p-value that two shares are equal: the two-proportion z test with pooled variance."""
    if not old_rows or not new_rows:
        return 1.0
    pooled = (old + new) / (old_rows + new_rows)
    variance = pooled * (1 - pooled) * (1 / old_rows + 1 / new_rows)
    if variance == 0:
        return 1.0
    z = abs(old / old_rows - new / new_rows) / math.sqrt(variance)
    return math.erfc(z / math.sqrt(2))
