"""JSON Lines, and JSON that holds a list of records."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from nachsicht.contracts import Opened, SourceFacts
from nachsicht.errors import MOST_DEPTH, SourceUnreadable, too_deep
from nachsicht.sources.compressed import open_bytes
from nachsicht.sources.frames import opened_table

_TEXTS = re.compile(rb'"(?:[^"\\\\]|\\\\.)*"', re.DOTALL)
_STEPS = np.zeros(256, np.int8)
_STEPS[[ord("["), ord("{")]], _STEPS[[ord("]"), ord("}")]] = 1, -1
_AT_ONCE = 1 << 20


def open_json(path: Path, compression: str | None, facts: SourceFacts) -> Opened:
    """One record a line, or one list of records; decided by the first sign."""
    try:
        with open_bytes(path, compression) as file:
            data = file.read()
    except (OSError, EOFError) as error:
        raise SourceUnreadable(
            f"the file cannot be decompressed ({error})", where=str(path)
        ) from error
    if _depth(data) > MOST_DEPTH + 2:
        raise too_deep(str(path))
    if data.lstrip()[:1] == b"[":
        facts.format = "JSON"
        return opened_table(_from_list(path, data), facts)
    facts.format = "JSON Lines"
    return opened_table(_from_lines(path, data), facts)


def _depth(data: bytes) -> int:
    """How deep lists and records are nested; brackets inside of texts count only if they must."""
    deep = _deepest(data)
    return deep if deep <= MOST_DEPTH else _deepest(_TEXTS.sub(b"", data))


def _deepest(data: bytes) -> int:
    deepest = depth = 0
    for start in range(0, len(data), _AT_ONCE):
        signs = np.frombuffer(data, np.uint8, min(_AT_ONCE, len(data) - start), start)
        steps = _STEPS[signs].cumsum(dtype=np.int64)
        deepest, depth = max(deepest, depth + int(steps.max())), depth + int(steps[-1])
    return deepest


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
