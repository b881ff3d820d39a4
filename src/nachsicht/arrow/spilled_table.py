"""Tables that grow: in memory while they are small, and otherwise mapped from a file."""

from __future__ import annotations

import mmap
from typing import IO, Any

import pyarrow as pa

from nachsicht._util.spill import nameless_file, spilling


class TableWriter:
    """Takes in tables of one schema, one behind the other; dictionaries are spelt out.

    Parameters
    ----------
    schema : Arrow schema
    most_bytes : int
        What may be held in memory; beyond it everything goes to a file, of which the system keeps
        in memory what is looked at.
    folder : str, optional
        Where that is; by default the system's folder for temporary files.
    """

    def __init__(self, schema: Any, most_bytes: int, folder: str | None = None) -> None:
        self._schema = pa.schema([pa.field(f.name, _plain(f.type)) for f in schema])
        self._most_bytes, self._folder = most_bytes, folder
        self._held: list[Any] = []
        self._held_bytes = 0
        self._file: IO[bytes] | None = None
        self._stream: Any = None

    def add(self, table: Any) -> None:
        """Put a table behind the others.

        Raises
        ------
        SpillError
            If the disk is full, or the folder cannot be written to.
        """
        table = pa.Table.from_arrays(
            [_spelt_out(column) for column in table.columns], schema=self._schema
        )
        self._held.append(table)
        self._held_bytes += table.nbytes
        if self._held_bytes > self._most_bytes:
            self._write()

    def finish(self) -> Any:
        """All of it as one Arrow table; the file goes with it."""
        if self._file is None:
            return pa.concat_tables([self._schema.empty_table(), *self._held])
        self._write()
        with spilling(self._folder):
            self._stream.close()
            self._file.flush()
            mapped = mmap.mmap(self._file.fileno(), 0, access=mmap.ACCESS_READ)
            self._file.close()
        return pa.ipc.open_stream(pa.BufferReader(pa.py_buffer(mapped))).read_all()

    def _write(self) -> None:
        with spilling(self._folder):
            if self._file is None:
                self._file = nameless_file(self._folder)
                self._stream = pa.ipc.new_stream(self._file, self._schema)
            for table in self._held:
                self._stream.write_table(table)
        self._held, self._held_bytes = [], 0


def _plain(stored: Any) -> Any:
    return stored.value_type if pa.types.is_dictionary(stored) else stored


def _spelt_out(column: Any) -> Any:
    return column.cast(_plain(column.type)) if pa.types.is_dictionary(column.type) else column
