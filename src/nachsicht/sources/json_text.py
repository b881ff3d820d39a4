"""JSON Lines, and JSON that holds a list of records."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.contracts import Opened, SourceFacts
from nachsicht.errors import SourceUnreadable
from nachsicht.sources.compressed import open_bytes
from nachsicht.sources.frames import opened_table


def open_json(path: Path, compression: str | None, facts: SourceFacts) -> Opened:
    """One record a line, or one list of records; decided by the first sign."""
    try:
        with open_bytes(path, compression) as file:
            data = file.read()
    except (OSError, EOFError) as error:
        raise SourceUnreadable(
            f"the file cannot be decompressed ({error})", where=str(path)
        ) from error
    if data.lstrip()[:1] == b"[":
        facts.format = "JSON"
        return opened_table(_from_list(path, data), facts)
    facts.format = "JSON Lines"
    return opened_table(_from_lines(path, data), facts)


def _from_lines(path: Path, data: bytes) -> Any:
    from pyarrow import json

    size = max(1 << 20, max(map(len, data.splitlines()), default=0) + 1)
    try:
        return json.read_json(pa.BufferReader(data), read_options=json.ReadOptions(block_size=size))
    except pa.ArrowInvalid as error:
        # Columns whose type changes from line to line become texts, record by record.
        records = _decode_lines(path, data, error)
        return _table_of(path, records)


def _decode_lines(path: Path, data: bytes, cause: Exception) -> list[Any]:
    records = []
    for number, line in enumerate(data.splitlines(), start=1):
        if line.strip():
            try:
                records.append(msgspec.json.decode(line))
            except msgspec.DecodeError as error:
                raise SourceUnreadable(
                    f"this line is no JSON ({error})",
                    where=f"{path}, line {number}",
                    todo="One record stands on each line.",
                ) from cause
    return records


def _from_list(path: Path, data: bytes) -> Any:
    try:
        records = msgspec.json.decode(data)
    except msgspec.DecodeError as error:
        raise SourceUnreadable(f"the file is no JSON ({error})", where=str(path)) from error
    return _table_of(path, records)


def _table_of(path: Path, records: list[Any]) -> Any:
    if not all(isinstance(record, dict) for record in records):
        raise SourceUnreadable(
            "the file is no table: its list holds other things than records", where=str(path)
        )
    names = list(dict.fromkeys(name for record in records for name in record))
    return pa.table({name: column_of([r.get(name) for r in records]) for name in names})


def column_of(values: list[Any]) -> Any:
    """An Arrow array of Python values; of mixed types as texts."""
    try:
        return pa.array(values)
    except (pa.ArrowException, OverflowError):
        texts = [None if v is None else v if isinstance(v, str) else repr(v) for v in values]
        return pa.array(texts, pa.large_string())
