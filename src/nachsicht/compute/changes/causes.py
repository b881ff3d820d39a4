"""Causes that explain a change of a column: rescaled, respelled."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.categories import plain
from nachsicht.model.column import CategorySummary, Knots, QuantitySummary
from nachsicht.words import catalogue

#: Quantiles between which a factor is looked for; the tails are left to outliers.
_SHARES = np.linspace(0.05, 0.95, 37)


@dataclass(frozen=True)
class Rescaled:
    """All values multiplied by a factor."""

    factor: float
    known_factor: str | None
    left_over: float


def rescaled(old: QuantitySummary, new: QuantitySummary, distance: float) -> Rescaled | None:
    """The factor that maps the old spread onto the new one, if one explains the change.

    The ratio of the quantiles must be the same all along (within 5 %) and differ from 1 by
    a quarter at least, and must leave over at most a quarter of the distance.
    """
    if old.discrete or min(old.finite, new.finite) < 20:
        return None
    before, after = _quantiles(old.knots), _quantiles(new.knots)
    usable = (np.abs(before) > 1e-12) & (np.sign(before) == np.sign(after))
    if usable.sum() < len(_SHARES) * 0.6:
        return None
    logs = np.log(after[usable] / before[usable])
    middle = float(np.median(logs))
    if abs(middle) < math.log(1.25) or float(np.percentile(np.abs(logs - middle), 75)) > 0.05:
        return None
    factor = math.exp(middle)
    known_factor = _known_factor(factor)
    if known_factor:
        factor = float(known_factor)
    left_over = float(np.abs(_shares_at(old.knots, after / factor) - _SHARES).max())
    if left_over > max(0.05, distance / 4):
        return None
    return Rescaled(factor, known_factor, left_over)


def _known_factor(factor: float) -> str | None:
    """The conversion of units that is within 3 % of a factor."""
    units = catalogue()["findings"]["rescaled"]["units"]
    near = min(units, key=lambda text: abs(math.log(float(text) / factor)))
    return str(near) if abs(math.log(float(near) / factor)) < 0.03 else None


def _quantiles(knots: Knots) -> NDArray[np.float64]:
    """Values at the shares looked at, between the knots in a straight line."""
    ends = np.asarray(knots.at_most) / knots.at_most[-1]
    middle = (np.asarray(knots.below) / knots.at_most[-1] + ends) / 2
    values: NDArray[np.float64] = np.interp(_SHARES, middle, knots.values)
    return values


def _shares_at(knots: Knots, places: NDArray[np.float64]) -> NDArray[np.float64]:
    middle = (np.asarray(knots.below) + np.asarray(knots.at_most)) / 2 / knots.at_most[-1]
    shares: NDArray[np.float64] = np.interp(places, knots.values, middle, left=0.0, right=1.0)
    return shares


@dataclass(frozen=True)
class Respelled:
    """A level that now has a further spelling; shares of the present rows."""

    old_spelling: str
    new_spellings: tuple[str, ...]
    new_share: float
    together: float
    old_share: float

    @property
    def within(self) -> float:
        """How far the share of all spellings together moved."""
        return abs(self.together - self.old_share)


def respelled(old: CategorySummary, new: CategorySummary) -> list[Respelled]:
    """New levels that look like an old one, where together they hold the old share."""
    before = {level.value: level.count for level in old.levels}
    after = {level.value: level.count for level in new.levels}
    n, m = max(sum(before.values()), 1), max(sum(after.values()), 1)
    spellings: dict[str, list[str]] = {}
    for name in after:
        if name not in before:
            spellings.setdefault(plain(name), []).append(name)
    found = []
    for name, count in before.items():
        fresh = spellings.get(plain(name), [])
        if fresh:
            share = sum(after[other] for other in fresh) / m
            together = after.get(name, 0) / m + share
            found.append(Respelled(name, tuple(fresh), share, together, count / n))
    return found


def merged_spellings(old: CategorySummary, new: CategorySummary) -> float:
    """Total variation of the level shares that is left once spellings are put together."""
    tables: list[dict[str, float]] = []
    for summary in (old, new):
        table: dict[str, float] = {}
        for level in summary.levels:
            key = plain(level.value)
            table[key] = table.get(key, 0) + level.count
        total = max(sum(table.values()), 1)
        tables.append({key: count / total for key, count in table.items()})
    names = sorted({*tables[0], *tables[1]})
    return 0.5 * sum(abs(tables[0].get(n, 0) - tables[1].get(n, 0)) for n in names)
