"""Whether values rise or fall from row to row."""

from __future__ import annotations

from typing import Any

import msgspec
from numpy.typing import NDArray

from nachsicht.model.column import Order


class OrderPart(msgspec.Struct, frozen=True):
    """Steps up, down and level between neighbouring present values, and both ends."""

    first: Any = None
    last: Any = None
    up: bool = False
    down: bool = False
    level: bool = False

    def merge(self, later: OrderPart) -> OrderPart:
        """Put the part of later rows behind this one."""
        if self.first is None:
            return later
        if later.first is None:
            return self
        return OrderPart(
            self.first,
            later.last,
            self.up or later.up or self.last < later.first,
            self.down or later.down or self.last > later.first,
            self.level or later.level or self.last == later.first,
        )

    def finish(self) -> Order:
        """The order; a column of one value or none is constant."""
        if self.up and self.down:
            return Order.NONE
        if self.up:
            return Order.RISING if self.level else Order.STRICTLY_RISING
        if self.down:
            return Order.FALLING if self.level else Order.STRICTLY_FALLING
        return Order.CONSTANT


#: Most columns show within so many values that they are in no order.
_TRIAL = 256


def observe_order(values: NDArray[Any]) -> OrderPart:
    """Look at the values of one batch, in the order of the rows."""
    if not len(values):
        return OrderPart()
    head = values[:_TRIAL]
    up, down = bool((head[1:] > head[:-1]).any()), bool((head[1:] < head[:-1]).any())
    if not (up and down):
        up, down = bool((values[1:] > values[:-1]).any()), bool((values[1:] < values[:-1]).any())
    level = not (up and down) and bool((values[1:] == values[:-1]).any())
    return OrderPart(values[0].item(), values[-1].item(), up, down, level)
