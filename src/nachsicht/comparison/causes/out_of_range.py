"""Values where the older version had none: beyond its range, or with a sign never seen."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from nachsicht.arrow.numeric import LARGEST
from nachsicht.stats.ecdf import Curve

#: An older version of fewer rows tells no range.
_FEWEST_ROWS = 50
#: Values of the tail by which its weight is estimated: this share of the rows, no fewer than this.
_TAIL, _FEWEST_IN_TAIL = 0.05, 5
#: Tails are never taken to be lighter than this, lest any value just beyond be impossible.
_LIGHTEST = 12.0
#: Values beyond lie at least this part of the old range away from it.
_LEAST_AWAY = 0.25
#: Of fewer different values the tail has no weight to speak of; then it must be a whole range.
_FEWEST_VALUES = 30
#: From this old rows on, a sign never seen is a fact about the column.
_ENOUGH_FOR_SIGN = 100
#: So many of the outermost values are judged together.
_OUTERMOST = 10


class Beyond(NamedTuple):
    """Rows on one side of the old range, and how far the outermost lies from it, in ranges."""

    side: Literal["below", "above"]
    rows: int
    value: float
    bound: float
    away: float
    new_sign: bool
    far: bool


def beyond_range(old: Curve, new: Curve, alpha: float) -> Beyond | None:
    """The side on which values lie where the older version makes none likely.

    How likely a value so far out is follows from the weight of the old tail (Hill's estimator,
    *Annals of Statistics* 3, 1975), and from how many rows the newer version has.
    """
    if old.rows < _FEWEST_ROWS or not new.rows or _too_large(old) or _too_large(new):
        return None
    sides = [_side(old, new, alpha, "below"), _side(old, new, alpha, "above")]
    found = [side for side in sides if side is not None]
    return max(found, key=lambda side: (side.new_sign, side.rows, side.away), default=None)


def _too_large(curve: Curve) -> bool:
    """Whether differences of the values may be beyond what a float holds."""
    return max(abs(float(curve.values[end])) for end in (0, -1)) > LARGEST


def _side(old: Curve, new: Curve, alpha: float, side: Literal["below", "above"]) -> Beyond | None:
    low, high = float(old.values[0]), float(old.values[-1])
    bound = low if side == "below" else high
    shares = new.shares(np.array([bound]))
    rows = round((shares[0][0] if side == "below" else 1 - shares[1][0]) * new.rows)
    if not rows:
        return None
    value = float(new.values[0] if side == "below" else new.values[-1])
    with np.errstate(over="ignore"):
        away = abs(value - bound) / ((high - low) or 1.0)
    if side == "below" and low >= 0 > value and old.rows >= _ENOUGH_FOR_SIGN:
        negative = round(new.shares(np.zeros(1))[0][0] * new.rows)
        # It may be that the old tail only just did not reach beyond zero.
        by_chance = min(_chance_so_far(old, new, side, negative), _as_many(old, new, negative))
        far = away >= _LEAST_AWAY or by_chance < alpha
        return Beyond(side, negative, value, bound, away, True, far)
    as_many = _as_many(old, new, rows)
    least = _LEAST_AWAY if len(old.values) >= _FEWEST_VALUES else 1.0
    far = away >= least and _chance_so_far(old, new, side, rows) < alpha
    return Beyond(side, rows, value, bound, away, False, far) if far or as_many < alpha else None


def _as_many(old: Curve, new: Curve, rows: int) -> float:
    """How often so many of rows that are alike lie beyond the outermost of the old ones."""
    return float((new.rows / (new.rows + old.rows)) ** rows)


def _chance_so_far(old: Curve, new: Curve, side: Literal["below", "above"], rows: int) -> float:
    """How often as many values would lie as far out, by the weight of the old tail."""
    middle = float(old.quantiles(np.array([0.5]))[0])
    away, counts = _outward(old, middle, side)
    if not len(away):
        return 1.0
    in_tail = max(_FEWEST_IN_TAIL, _TAIL * old.rows)
    at = min(int(np.searchsorted(np.cumsum(counts), in_tail)), len(away) - 1)
    start = float(away[at])
    logs = float(counts[:at] @ np.log(away[:at] / start)) if at else 0.0
    index = min(float(counts[:at].sum()) / logs if logs else _LIGHTEST, _LIGHTEST)
    far, weights = _outward(new, middle, side)
    outermost = np.repeat(far[:_OUTERMOST], weights[:_OUTERMOST].astype(int))[:_OUTERMOST]
    expected = new.rows * in_tail / old.rows * np.maximum(outermost / start, 1.0) ** -index
    order = np.arange(1, len(expected) + 1)
    chances = expected**order / np.cumprod(order)  # bounds of Poisson's distribution
    return float(chances[: min(rows, len(chances))].min(initial=1.0)) * len(chances)


def _outward(
    curve: Curve, middle: float, side: Literal["below", "above"]
) -> tuple[np.ndarray, np.ndarray]:
    """Distances from the middle on one side, the largest first, with their rows."""
    away = (curve.values - middle) if side == "above" else (middle - curve.values)
    outward = away > 0
    order = np.argsort(-away[outward], kind="stable")
    return away[outward][order], (curve.at_most - curve.below)[outward][order]
