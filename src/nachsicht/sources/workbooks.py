"""Workbooks (Excel, OpenDocument), by python-calamine."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.contracts import Opened, SourceFacts
from nachsicht.errors import SourceEmpty, SourceError, SourceUnreadable
from nachsicht.settings import Reading
from nachsicht.sources.frames import opened_table
from nachsicht.sources.json_text import column_of


def open_workbook(path: Path, reading: Reading, facts: SourceFacts) -> Opened:
    """The table on one sheet: the one named, or the first that is not empty."""
    try:
        from python_calamine import CalamineError, CalamineWorkbook
    except ImportError as error:
        raise SourceError(
            "workbooks need python-calamine",
            where=str(path),
            todo="Install it with: pip install 'nachsicht[excel]'",
        ) from error
    facts.format = "workbook"
    try:
        workbook = CalamineWorkbook.from_path(str(path))
    except (CalamineError, OSError) as error:
        raise SourceUnreadable(f"the workbook is damaged ({error})", where=str(path)) from error
    names = workbook.sheet_names
    if reading.sheet is not None and reading.sheet not in names:
        raise SourceError(
            "there is no such sheet", where=reading.sheet, todo=f"There are: {', '.join(names)}."
        )
    for name in [reading.sheet] if reading.sheet else names:
        rows = workbook.get_sheet_by_name(name).to_python(skip_empty_area=True)
        if rows:
            facts.notes.append(f"sheet {name}, of {len(names)}")
            return opened_table(_table_of(rows, reading), facts)
    raise SourceEmpty("no sheet holds a table", where=str(path))


def _table_of(rows: list[list[Any]], reading: Reading) -> Any:
    if reading.header is False:
        names = [f"column_{i}" for i in range(1, len(rows[0]) + 1)]
    else:
        names = [
            str(name) if name != "" else f"column_{i}" for i, name in enumerate(rows[0], start=1)
        ]
        rows = rows[1:]
    columns = [[_value(row[i]) for row in rows] for i in range(len(names))]
    return pa.Table.from_arrays([column_of(_whole(column)) for column in columns], names=names)


def _value(cell: Any) -> Any:
    return None if cell == "" else cell


def _whole(column: list[Any]) -> list[Any]:
    """Workbooks keep every number as a float; whole ones become integers again."""
    numbers = [value for value in column if value is not None]
    if numbers and all(isinstance(value, float) and value.is_integer() for value in numbers):
        return [None if value is None else int(value) for value in column]
    return column
