"""Values as drivers of databases give them, as Arrow data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pyarrow as pa

from nachsicht.sources.protocol import Restart


class ColumnTypes:
    """The types of the columns, as far as the rows so far tell them."""

    def __init__(self) -> None:
        self._types: list[Any] | None = None

    def batch(self, names: list[str], values: list[tuple[Any, ...]]) -> Any:
        """Rows as a batch; `Restart` where they show that a column is of another type."""
        found = [array_of(column) for column in values]
        if self._types is None:
            self._types = [array.type for array in found]
        wider = [_wider(known, array.type) for known, array in zip(self._types, found, strict=True)]
        if wider != self._types:
            self._types = wider
            raise Restart
        arrays = [
            array if array.type == kind else _as(column, array, kind)
            for column, array, kind in zip(values, found, wider, strict=True)
        ]
        return pa.RecordBatch.from_arrays(arrays, names=names)


def array_of(values: Sequence[Any]) -> Any:
    """Values of one column as an Arrow array; as texts where Arrow has no type for them."""
    try:
        return pa.array(values)
    except (pa.ArrowException, TypeError, ValueError, OverflowError):
        return pa.array([None if v is None else str(v) for v in values], pa.large_string())


def table_of(names: Sequence[str], rows: Sequence[Sequence[Any]]) -> Any:
    """Rows as an Arrow table."""
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(names)
    return pa.table([array_of(column) for column in columns], list(names))


def _as(values: tuple[Any, ...], array: Any, kind: Any) -> Any:
    if kind == pa.large_string():
        return pa.array([None if v is None else str(v) for v in values], kind)
    return array.cast(kind)


def _wider(one: Any, other: Any) -> Any:
    """A type that holds the values of both."""
    if one == other or pa.types.is_null(other):
        return one
    if pa.types.is_null(one):
        return other
    if all(pa.types.is_integer(t) or pa.types.is_floating(t) for t in (one, other)):
        return pa.float64()
    if all(pa.types.is_decimal(t) for t in (one, other)):
        scale = max(one.scale, other.scale)
        digits = max(one.precision - one.scale, other.precision - other.scale)
        return pa.decimal256(min(digits + scale, 76), scale)
    return pa.large_string()
