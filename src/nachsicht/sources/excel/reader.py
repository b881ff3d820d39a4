"""Workbooks (Excel, OpenDocument), by python-calamine in a process of its own."""

from __future__ import annotations

import importlib.util
import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import EmptySourceError, SourceError, UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.compression import BROKEN_ZIP
from nachsicht.sources.excel.cells import DAMAGED, EMPTY, NO_SHEET
from nachsicht.sources.protocol import Opened, SourceFacts

#: Memory of cells while they are read, in sizes of their XML.
_CELLS_IN_MEMORY = 2
#: Memory that reading may take: a base, and a multiple of the file, which is compressed.
_BASE_BYTES, _TIMES = 3 << 30, 100


def open_workbook(path: Path, reading: ReadOptions, facts: SourceFacts) -> Opened:
    """The table on one sheet: the one named, or the first that is not empty."""
    if importlib.util.find_spec("python_calamine") is None:
        raise SourceError("no_calamine", where=str(path))
    facts.format = "excel"
    held: list[Any] = []

    def table() -> Any:
        if not held:
            sheet_facts, found = _read(
                path, reading, _BASE_BYTES + _TIMES * (facts.size_bytes or 0)
            )
            facts.notes.append(
                Note("sheet", {"name": sheet_facts["sheet"], "of": sheet_facts["sheets"]})
            )
            if sheet_facts["before"]:
                facts.notes.append(Note("lines_before", {"lines": sheet_facts["before"]}))
            held.append(found)
        return held[0]

    expected = _CELLS_IN_MEMORY * _unpacked(path)
    return Opened(facts, expected, table, lambda: iter([(table(), 0)]), whole=True)


def _unpacked(path: Path) -> int:
    """The size of what is in a workbook, most of which are zip archives."""
    try:
        with zipfile.ZipFile(path) as packed:
            return sum(info.file_size for info in packed.infolist())
    except (OSError, *BROKEN_ZIP):
        return path.stat().st_size


def _read(path: Path, reading: ReadOptions, most_bytes: int) -> tuple[dict[str, Any], Any]:
    header = {None: "", True: "yes", False: "no"}[reading.header]
    command = [
        # Not from the current folder, which may be that of the data: -P.
        *(sys.executable, "-P", "-m", "nachsicht.sources.excel.cells"),
        *(str(path.resolve()), reading.sheet or "", header, str(most_bytes)),
    ]
    own = str(Path(__file__).resolve().parents[2])
    places = os.pathsep.join(filter(None, (own, os.environ.get("PYTHONPATH"))))
    environment = os.environ | {"PYTHONPATH": places}
    done = subprocess.run(command, capture_output=True, check=False, env=environment)
    said = done.stderr.decode("utf-8", "replace").strip()
    if done.returncode == NO_SHEET:
        raise SourceError("no_sheet", where=str(reading.sheet), said=said)
    if done.returncode == EMPTY:
        raise EmptySourceError("no_sheet_with_table", where=str(path))
    if done.returncode == DAMAGED:
        raise UnreadableSourceError("workbook_damaged", where=str(path), said=said)
    if done.returncode:
        raise UnreadableSourceError("workbook_not_read", where=str(path))
    sheet_facts, _, data = done.stdout.partition(b"\n")
    return json.loads(sheet_facts), pa.ipc.open_stream(data).read_all()
