"""Rows of a database as Arrow data from its ADBC driver: large tables in ranges of their key.

All connections see the one state of the data that the first one holds, and can change nothing.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from functools import partial
from importlib.util import find_spec
from typing import Any

import pyarrow as pa

from nachsicht.sources.prefetch import side_by_side

#: Bytes of a batch, about; several are under way at once.
_BATCH_BYTES = 4 << 20
#: Rows of a range, about; tables with fewer than two of these are read by one connection.
RANGE_ROWS = 1_000_000
#: By kind of database: the driver, and what makes a transaction see one state and change none.
_DRIVERS = {"postgresql": "adbc_driver_postgresql"}
_ONE_STATE = "set transaction isolation level repeatable read read only"


def has_driver(backend: str) -> bool:
    """Whether the driver for a kind of database is installed."""
    return backend in _DRIVERS and find_spec(_DRIVERS[backend]) is not None


def key_ranges(lowest: int, highest: int, rows: int) -> list[tuple[int, int]]:
    """The first and the last key of ranges of about equal width, as many as the rows ask for."""
    width = -(-(highest - lowest + 1) // max(1, rows // RANGE_ROWS))
    return [(start, min(start + width - 1, highest)) for start in range(lowest, highest + 1, width)]


@dataclass(frozen=True)
class ArrowReader:
    """Reads statements through the driver.

    Attributes
    ----------
    address : str
        As the driver takes it, with what it needs to be let in.
    types : sequence of Arrow types
        That the columns are read as.
    """

    address: str = field(repr=False)  # it may hold a password
    types: Sequence[Any]

    def batches(self, statements: Sequence[str]) -> Iterator[Any]:
        """Record batches of all statements, in their order; several are read at once."""
        with _connected(self.address) as first:
            if len(statements) == 1:
                yield from self._read(first, statements[0])
                return
            with closing(first.cursor()) as cursor:
                cursor.execute("select pg_export_snapshot()")
                state = cursor.fetchone()[0]
            readers = [partial(self._range, state, statement) for statement in statements]
            yield from side_by_side(readers, os.cpu_count() or 1)

    def _range(self, state: str, statement: str) -> Iterator[Any]:
        with _connected(self.address) as connection:
            with closing(connection.cursor()) as cursor:
                cursor.execute(f"set transaction snapshot '{state}'")
            yield from self._read(connection, statement)

    def _read(self, connection: Any, statement: str) -> Iterator[Any]:
        with closing(connection.cursor()) as cursor:
            for batch in _executed(cursor, statement):
                columns = [
                    _as(column, kind)
                    for column, kind in zip(batch.columns, self.types, strict=True)
                ]
                yield pa.RecordBatch.from_arrays(columns, names=batch.schema.names)


@contextmanager
def _connected(address: str) -> Iterator[Any]:
    from adbc_driver_postgresql import dbapi

    with dbapi.connect(address) as connection:
        with closing(connection.cursor()) as cursor:
            cursor.execute(_ONE_STATE)
        yield connection


def _executed(cursor: Any, statement: str) -> Any:
    options = {"adbc.postgresql.batch_size_hint_bytes": str(_BATCH_BYTES)}
    cursor.adbc_statement.set_options(**options)
    cursor.execute(statement)
    return cursor.fetch_record_batch()


def reader_for(address: str, statement: str) -> ArrowReader | None:
    """A reader of what a statement gives; None where a column is of a type it does not know.

    Parameters
    ----------
    address : str
        As the driver takes it.
    statement : str
        That gives no rows, but all columns.
    """
    with _connected(address) as connection, closing(connection.cursor()) as cursor:
        fields = _executed(cursor, statement).schema
    types = [_known(field.type) for field in fields]
    return ArrowReader(address, types) if None not in types else None


def _known(stored: Any) -> Any:
    """The type that a column is read as; None for one that is not known."""
    if isinstance(stored, pa.OpaqueType):
        # Numbers of any precision come as texts; they are reckoned with as floating-point.
        return pa.float64() if stored.type_name == "numeric" else None
    types = pa.types
    plain = (
        types.is_boolean,
        types.is_integer,
        types.is_floating,
        types.is_string,
        types.is_large_string,
        types.is_date,
        types.is_timestamp,
        types.is_null,
    )
    return stored if any(fits(stored) for fits in plain) else None


def _as(column: Any, kind: Any) -> Any:
    if column.type == kind:
        return column
    return (
        column.storage.cast(kind) if isinstance(column.type, pa.OpaqueType) else column.cast(kind)
    )
