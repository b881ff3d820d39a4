"""The cells of a workbook, read by a process of its own: ``python -m`` this, with a path.

A damaged workbook can end the process that reads it, and a single cell far off takes gigabytes.
Standard output gets one line of JSON (the sheet, its number of sheets, lines before the table),
then the table as an Arrow stream; or an exit status with what was wrong on standard error.
"""

from __future__ import annotations

import contextlib
import datetime
import json
import sys
from collections import Counter
from typing import Any

import pyarrow as pa

from nachsicht.sources.json.lines import column_of

#: Exit statuses: what cannot be read, no sheet of that name, no sheet with a table.
DAMAGED, NO_SHEET, EMPTY = 3, 4, 5
#: Lines that may stand before a table.
MOST_BEFORE = 20

Row = list[Any]


def main(path: str, sheet: str, header: str, most_bytes: str) -> int:
    """Write the table of one sheet to standard output."""
    _limit(int(most_bytes))
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        workbook = CalamineWorkbook.from_path(path)
        names = workbook.sheet_names
        if sheet and sheet not in names:
            sys.stderr.write(", ".join(names))
            return NO_SHEET
        for name in [sheet] if sheet else names:
            rows = workbook.get_sheet_by_name(name).to_python(skip_empty_area=True)
            rows = [row for row in rows if any(cell != "" for cell in row)]
            if rows:
                before, table = _table_of(rows, header)
                header_facts = {"sheet": name, "sheets": len(names), "before": before}
                sys.stdout.buffer.write(json.dumps(header_facts).encode() + b"\n")
                with pa.ipc.new_stream(sys.stdout.buffer, table.schema) as stream:
                    stream.write_table(table)
                return 0
    except (CalamineError, OSError, ValueError) as error:
        sys.stderr.write(str(error)[:300])
        return DAMAGED
    return EMPTY


def _limit(most_bytes: int) -> None:
    """Let this process end before it takes more, where the system can do that."""
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (most_bytes, most_bytes))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _table_of(rows: list[Row], header: str) -> tuple[int, Any]:
    """Lines before the table, and the table: columns that hold anything or have a name."""
    before = 0 if header else _lines_before(rows)
    rows = rows[before:]
    named = header != "no"
    first, rows = (rows[0], rows[1:]) if named else ([""] * len(rows[0]), rows)
    kept = [i for i in range(len(first)) if first[i] != "" or any(r[i] != "" for r in rows)]
    names = [str(first[i]) if first[i] != "" else f"column_{n}" for n, i in enumerate(kept, 1)]
    columns = [column_of(_one_type([_value(row[i]) for row in rows])) for i in kept]
    return before, pa.Table.from_arrays(columns, names=names)


def _lines_before(rows: list[Row]) -> int:
    """Titles: lines at the top in which far fewer cells are filled than in most lines."""
    filled = [sum(cell != "" for cell in row) for row in rows]
    usual = Counter(filled).most_common(1)[0][0]
    for place, n in enumerate(filled[: MOST_BEFORE + 1]):
        if n * 2 > usual or usual < 3:
            return place if len(rows) - place >= 2 else 0
    return 0


def _value(cell: Any) -> Any:
    return None if cell == "" else cell


def _one_type(column: Row) -> Row:
    """Whole numbers, which workbooks keep as floats; datetimes, of which days are at midnight.

    A day among datetimes is one at midnight.
    """
    values = [value for value in column if value is not None]
    if values and all(isinstance(value, float) and value.is_integer() for value in values):
        return [None if value is None else int(value) for value in column]
    if any(isinstance(value, datetime.datetime) for value in values):
        return [_at_midnight(value) for value in column]
    return column


def _at_midnight(value: Any) -> Any:
    day_only = isinstance(value, datetime.date) and not isinstance(value, datetime.datetime)
    return datetime.datetime.combine(value, datetime.time()) if day_only else value


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
