"""Values that stand in for missing: -99 among temperatures, 9999 among years."""

from __future__ import annotations

from typing import NamedTuple

from nachsicht.model.column import ColumnSummary, NumberCount, QuantitySummary
from nachsicht.model.statistics import known
from nachsicht.settings import Bounds

#: What people write when there is no number.
USUAL = frozenset(
    sign * value
    for value in (9, 99, 999, 9999, 99999, 999999, 88, 888, 8888, 77, 777)
    for sign in (1, -1)
)
#: How many interquartile ranges a value must lie away from all others.
FAR = 3.0


class StandIn(NamedTuple):
    """The value, its rows, and the range of all other values."""

    value: int | float
    rows: int
    low: float
    high: float


def stand_in(column: ColumnSummary, bounds: Bounds) -> StandIn | None:
    """The value at an end of a quantity that stands in for missing, if there is one.

    It is a usual code, occurs repeatedly, and lies far from the next value.
    """
    detail = column.detail
    if not isinstance(detail, QuantitySummary) or (detail.discrete and detail.finite < 50):
        return None
    if len(detail.lowest) < 3 or not known(detail.iqr):
        return None
    low_end, high_end = detail.lowest, detail.highest
    for end, inner_low, inner_high in (
        (low_end, low_end[1].value, high_end[0].value),
        (high_end, low_end[0].value, high_end[1].value),
    ):
        if _stands_in(end, float(detail.iqr), column.rows, bounds):
            return StandIn(end[0].value, end[0].count, float(inner_low), float(inner_high))
    return None


def _stands_in(end: tuple[NumberCount, ...], iqr: float, rows: int, bounds: Bounds) -> bool:
    value, count = end[0].value, end[0].count
    if value not in USUAL or count < max(2, bounds.stand_in_share * rows):
        return False
    return abs(value - end[1].value) > FAR * iqr
