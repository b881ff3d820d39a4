"""All rows that came, went, or were rewritten between two versions, as a table and as a file."""

from __future__ import annotations

import io
from collections.abc import Callable
from os import PathLike
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from nachsicht._util.atomic_write import check_folder, write_atomically
from nachsicht._util.cached import kept
from nachsicht.comparison.changed_rows import LEADING, changed_places, listed_rows
from nachsicht.errors import OutputError, SettingsError
from nachsicht.model.comparison import ComparisonDocument, RowChanges
from nachsicht.table.result import RetainedData
from nachsicht.tables.base import Columns, Part, frame_of_table

#: Texts that begin so are formulas to a spreadsheet.
_FORMULA = r"^[=+\-@\t\r]"


class RowsPart(Part):
    """The rows that one version alone has, or that were rewritten.

    Parameters
    ----------
    document : ComparisonDocument
    data : sequence of RetainedData or None
        The data of its versions.
    """

    _name = "rows"

    def __init__(self, document: ComparisonDocument, data: tuple[RetainedData | None, ...]) -> None:
        if document.smallest_group:
            raise SettingsError("rows_not_shared", where="rows")
        changes = document.rows[-1] if document.rows else None
        if changes is None or changes.before is None:
            raise SettingsError("rows_not_compared", where="rows")
        both = tuple(data[i] for i in (changes.before, changes.after)) if data else ()
        if len(both) < 2 or None in both:
            raise SettingsError("rows_not_at_hand", where="rows")
        self._document, self._changes, self._both = document, changes, both

    @kept
    def table(self) -> Any:
        """The rows as an Arrow table.

        ``change`` is ``removed``, ``added``, or ``before`` and ``after`` for the two forms of a row
        that was rewritten; ``old_row`` and ``new_row`` are its numbers from 1. Rows whose key is
        that of others too are left out.
        """
        old, new = self._both
        assert old is not None
        assert new is not None
        pairs, moved = self._pairs(self._changes)
        places = {b.name: (a.position, b.position) for a, b in pairs}
        key = [places[name] for name in self._changes.key]
        found = changed_places(old, new, pairs, key, moved)
        return listed_rows((old.table, new.table), pairs, found)

    def _pairs(self, changes: RowChanges) -> tuple[list[Any], list[int]]:
        """The columns that both versions have, and places of those that changed as a whole."""
        steps = changes.before, changes.after
        versions = [self._document.versions[i] for i in steps if i is not None]
        pairs, moved = [], []
        for column in self._document.columns:
            old, new = (column.positions[i] for i in steps if i is not None)
            if old is None or new is None:
                continue
            pairs.append((versions[0].columns[old], versions[1].columns[new]))
            for step in column.transitions:
                if (step.before, step.after) == steps and (
                    step.kind_changed or (step.distance and not step.not_significant)
                ):
                    moved.append(new)
        return pairs, moved

    def columns(self) -> Columns:
        """The rows, values by the names of their columns."""
        found: Columns = self.table.to_pydict()
        return found

    def to_frame(self, library: str = "pandas") -> Any:
        """The rows as a frame of ``pandas`` or ``polars``, or with ``arrow`` as an Arrow table."""
        frame = frame_of_table(self.table, library)
        if library == "pandas":  # which has floats for whole numbers of which some are missing
            frame = frame.astype(dict.fromkeys(LEADING[1:], "Int64"))
        return frame

    def write(self, path: str | PathLike[str]) -> Path:
        """Write the rows as ``.csv`` or ``.parquet``, whole or not at all.

        In a CSV file, texts that a spreadsheet would take for a formula get an apostrophe before
        them.

        Raises
        ------
        OutputError
            If the suffix is another, the folder is not there, or the disk refuses.
        """
        target = Path(path)
        check_file_of_rows(target)
        write_atomically(target, _WRITERS[target.suffix.lower()](self.table))
        return target


def check_file_of_rows(target: Path) -> None:
    """Make sure, before long work, that rows could be written there.

    Raises
    ------
    OutputError
        If the suffix is none that rows are written with, or the folder is not there.
    """
    if target.suffix.lower() not in _WRITERS:
        raise OutputError(
            "unknown_suffix_of_rows", where=str(target), value=target.suffix or "(none)"
        )
    check_folder(target)


def _parquet(table: Any) -> bytes:
    import pyarrow.parquet as pq

    written = io.BytesIO()
    pq.write_table(table, written)
    return written.getvalue()


def _csv(table: Any) -> bytes:
    from pyarrow import csv

    columns = [_as_cells(column) for column in table.columns]
    names = [
        _without_formula(pa.array([name], pa.large_string()))[0].as_py()
        for name in table.schema.names
    ]
    written = io.BytesIO()
    csv.write_csv(pa.table(columns, names=names), written)
    return written.getvalue()


def _as_cells(column: Any) -> Any:
    """A column as CSV can hold it."""
    if pa.types.is_nested(column.type) or pa.types.is_binary(column.type):
        column = pa.array(
            [None if v is None else str(v) for v in column.to_pylist()], pa.large_string()
        )
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return _without_formula(column)
    return column


def _without_formula(texts: Any) -> Any:
    texts = texts.cast(pa.large_string())
    mark, nothing = (pa.scalar(text, pa.large_string()) for text in ("'", ""))
    marked = pc.binary_join_element_wise(mark, texts, nothing)
    return pc.if_else(pc.match_substring_regex(texts, _FORMULA), marked, texts)


_WRITERS: dict[str, Callable[[Any], bytes]] = {".csv": _csv, ".parquet": _parquet}
