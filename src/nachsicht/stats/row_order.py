"""Whether values rise or fall from row to row, and how alike neighbours are."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import Order
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic
from nachsicht.stats.moments import Moments

#: Beyond, digits depend on how the values came in pieces.
_DECIMALS = 12
#: Of the squares of smaller steps digits are lost.
_SMALLEST = 1e-280
#: Values of a block, which stay near the processor while several steps pass over them.
_BLOCK = 1 << 15
#: Most columns show within so many values that they are in no order.
_TRIAL = 256


class OrderPart(msgspec.Struct, frozen=True):
    """Steps up, down and level between neighbouring present values, and both ends.

    ``squares`` is the sum of the squares of all steps, in the square of the values' unit.
    """

    first: Any = None
    last: Any = None
    up: bool = False
    down: bool = False
    level: bool = False
    squares: float = 0.0

    @staticmethod
    def unordered() -> OrderPart:
        """That of rows which stand in no order."""
        return OrderPart(up=True, down=True)

    def merge(self, later: OrderPart) -> OrderPart:
        """Put the part of later rows behind this one."""
        if self.first is None:
            return later
        if later.first is None:
            return self
        step = float(later.first) - float(self.last)
        return OrderPart(
            self.first,
            later.last,
            self.up or later.up or self.last < later.first,
            self.down or later.down or self.last > later.first,
            self.level or later.level or self.last == later.first,
            self.squares + later.squares + step * step,
        )

    def finish(self) -> Order:
        """The order; a column of one value or none is constant."""
        if self.up and self.down:
            return Order.NONE
        if self.up:
            return Order.INCREASING if self.level else Order.STRICTLY_INCREASING
        if self.down:
            return Order.DECREASING if self.level else Order.STRICTLY_DECREASING
        return Order.CONSTANT

    def times(self, factor: float) -> OrderPart:
        """The part of the same values in another unit, a positive multiple."""
        if self.first is None:
            return self
        return msgspec.structs.replace(
            self,
            first=self.first * factor,
            last=self.last * factor,
            squares=self.squares * factor * factor,
        )

    def autocorrelation(self, moments: Moments) -> Statistic:
        """The correlation of each value with the next, from the moments of all (lag 1).

        As Box, Jenkins and Reinsel, *Time Series Analysis*, 2.1.5: products of neighbouring
        deviations from the mean over the sum of the squares of all. Computed from the squares
        of the steps, which can be added up piece by piece.
        """
        if moments.n < 3:
            return Absent(Reason.TOO_FEW_VALUES)
        if self.first is None:
            return Absent(Reason.NO_ROW_ORDER)
        if not moments.m2:
            return Absent(Reason.NEVER_VARIES)
        if (self.up or self.down) and self.squares < _SMALLEST:
            return Absent(Reason.OVERFLOW)
        scale = moments.scale
        ends = ((float(end) - moments.mean) / scale for end in (self.first, self.last))
        away = self.squares / scale / scale + sum(end * end for end in ends)
        return statistic(round(1 - away / (2 * moments.m2), _DECIMALS))


def observe_order(values: NDArray[Any]) -> OrderPart:
    """Look at the values of one batch, in the order of the rows."""
    if not len(values):
        return OrderPart()
    head = values[:_TRIAL]
    up, down = bool((head[1:] > head[:-1]).any()), bool((head[1:] < head[:-1]).any())
    if not (up and down):
        up, down = bool((values[1:] > values[:-1]).any()), bool((values[1:] < values[:-1]).any())
    level = not (up and down) and bool((values[1:] == values[:-1]).any())
    return OrderPart(values[0].item(), values[-1].item(), up, down, level, _squares(values))


def _squares(values: NDArray[Any]) -> float:
    """The sum of the squares of the steps from each value to the next."""
    total = 0.0
    with np.errstate(over="ignore"):
        for start in range(0, len(values) - 1, _BLOCK):
            block = values[start : start + _BLOCK + 1].astype(np.float64, copy=False)
            steps = np.subtract(block[1:], block[:-1])
            total += float(np.multiply(steps, steps, out=steps).sum())
    return total
