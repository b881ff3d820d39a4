"""Values where the older version had none: beyond its range, or with a sign never seen."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np

from nachsicht.stats.ecdf import Curve

#: An older version of fewer rows tells no range.
_FEWEST_ROWS = 50
#: Values of the tail by which its weight is estimated: this share of the rows, no fewer than this.
_TAIL, _FEWEST_IN_TAIL = 0.05, 5
#: Tails are never taken to be lighter than this, lest any value just beyond be impossible.
_LIGHTEST = 12.0
#: Values beyond lie at least this part of the old range away from it.
_LEAST_AWAY = 0.25
#: From this old rows on, a sign never seen is a fact about the column.
_ENOUGH_FOR_SIGN = 100


class Beyond(NamedTuple):
    """Rows on one side of the old range, and how far the outermost lies from it, in ranges."""

    side: Literal["below", "above"]
    rows: int
    value: float
    bound: float
    away: float
    new_sign: bool


def beyond_range(old: Curve, new: Curve, alpha: float) -> Beyond | None:
    """The side on which values lie where the older version makes none likely.

    How likely a value so far out is follows from the weight of the old tail (Hill's estimator,
    *Annals of Statistics* 3, 1975), and from how many rows the newer version has.
    """
    if old.rows < _FEWEST_ROWS or not new.rows:
        return None
    sides = [_side(old, new, alpha, "below"), _side(old, new, alpha, "above")]
    found = [side for side in sides if side is not None]
    return max(found, key=lambda side: (side.new_sign, side.rows, side.away), default=None)


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
    new_sign = side == "below" and low >= 0 > value and old.rows >= _ENOUGH_FOR_SIGN
    if not new_sign and not (
        away >= _LEAST_AWAY and _chance_of(old, new.rows, value, side, rows) < alpha
    ):
        return None
    return Beyond(side, rows, value, bound, away, new_sign)


def _chance_of(
    old: Curve, new_rows: int, value: float, side: Literal["below", "above"], rows: int
) -> float:
    """How often as many rows would be beyond the range, or one as far out, at most."""
    counts = old.at_most - old.below
    middle = float(old.quantiles(np.array([0.5]))[0])
    away = (old.values - middle) if side == "above" else (middle - old.values)
    outward = away > 0
    if not outward.any():
        return 1.0
    order = np.argsort(-away[outward], kind="stable")
    distance, weight = away[outward][order], counts[outward][order]
    in_tail = max(_FEWEST_IN_TAIL, _TAIL * old.rows)
    at = int(np.searchsorted(np.cumsum(weight), in_tail))
    at = min(at, len(distance) - 1)
    start = float(distance[at])
    tail = weight[:at] @ np.log(distance[:at] / start) if at else 0.0
    index = min(float(weight[:at].sum()) / tail if tail else _LIGHTEST, _LIGHTEST)
    far = abs(value - middle) / start
    one_so_far = new_rows * (in_tail / old.rows) * math.exp(-index * math.log(max(far, 1.0)))
    # Of rows that are alike, each beyond the outermost of the old ones halves the odds.
    as_many = (new_rows / (new_rows + old.rows)) ** rows
    return min(one_so_far, as_many)
