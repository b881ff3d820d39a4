"""The part that keeps a column's numbers."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import values_of
from nachsicht.stats.row_order import OrderPart, observe_order
from nachsicht.stats.sorted_array import SortedNumbers

Array = NDArray[Any]


class NumberPart(msgspec.Struct, frozen=True):
    """Finite values in chunks, and counts of the rest. Merging only lines up the chunks.

    Exact: all values are kept, 8 bytes each.
    """

    chunks: tuple[Array, ...]
    missing: int
    infinite_below: int
    infinite_above: int
    order: OrderPart = msgspec.field(default_factory=OrderPart)

    def merge(self, other: NumberPart) -> NumberPart:
        """Put the part of later rows behind this one; only the order of values minds which."""
        return NumberPart(
            self.chunks + other.chunks,
            self.missing + other.missing,
            self.infinite_below + other.infinite_below,
            self.infinite_above + other.infinite_above,
            self.order.merge(other.order),
        )

    def sorted(self) -> SortedNumbers:
        """Sort once; everything else is read off the result."""
        if not self.chunks:
            return SortedNumbers(np.empty(0), self.infinite_below, self.infinite_above)
        values = np.concatenate(self.chunks)
        values.sort()
        return SortedNumbers(values, self.infinite_below, self.infinite_above)


def observe_numbers(array: Any) -> NumberPart:
    """Split a numeric Arrow array into finite values, missing (null, NaN) and infinities."""
    chunks = array.chunks if isinstance(array, pa.ChunkedArray) else [array]
    missing, below, above = array.null_count, 0, 0
    kept: list[Array] = []
    order = OrderPart()
    for chunk in chunks:
        values = values_of(chunk.drop_null())
        if values.dtype.kind == "f":
            values = values.astype(np.float64, copy=False)
            finite = np.isfinite(values)
            if not finite.all():
                missing += int(np.isnan(values).sum())
                below += int((values == -np.inf).sum())
                above += int((values == np.inf).sum())
                values = values[finite]
        elif values.dtype != np.uint64:
            values = values.astype(np.int64, copy=False)
        if len(values):
            kept.append(values)
            order = order.merge(observe_order(values))
    return NumberPart(tuple(kept), missing, below, above, order)
