"""JSON Lines, and JSON that holds a list of records or an object of columns."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from nachsicht.errors import MOST_DEPTH, UnreadableSourceError, too_deep
from nachsicht.sources.compression import BROKEN, open_bytes, unpacked_bytes
from nachsicht.sources.json.objects import columns_in, columns_of_records
from nachsicht.sources.protocol import Opened, Restart, SourceFacts

_TEXTS = re.compile(rb'"(?:[^"\\]|\\.)*"', re.DOTALL)
_STEPS = np.zeros(256, np.int8)
_STEPS[[ord("["), ord("{")]], _STEPS[[ord("]"), ord("}")]] = 1, -1
_AT_ONCE = 1 << 20
#: Bytes of lines that are parsed together where not all are read at once.
_PIECE = 8 << 20
#: Memory that reading takes, in sizes of the text: as objects of Python, and line by line.
_OBJECTS, _LINES = 12, 2


def open_json(path: Path, compression: str | None, facts: SourceFacts) -> Opened:
    """One record a line, one list of records, or one object of columns; the beginning tells."""
    with _unpacking(path), open_bytes(path, compression) as file:
        head = file.read(_AT_ONCE).lstrip()
    size = unpacked_bytes(path, compression)
    of_lines = {".jsonl", ".ndjson"} & {*path.suffixes}
    if head[:1] == b"[" or (not of_lines and _is_one_object(head)):
        facts.format = "json"

        def records() -> Any:
            return _from_value(path, _checked(path, _read(path, compression)))

        return Opened(
            facts, _OBJECTS * size, records, lambda: iter([(records(), size)]), whole=True
        )
    facts.format = "json_lines"

    def table() -> Any:
        return _from_lines(path, _checked(path, _read(path, compression)))

    return Opened(facts, _LINES * size, table, partial(_batches, path, compression, {}))


def _is_one_object(head: bytes) -> bool:
    """Whether text that begins with a brace is one object, not a record on each line."""
    if head[:1] != b"{":
        return False
    line, _, rest = head.partition(b"\n")
    try:
        value = msgspec.json.decode(line)
    except (msgspec.DecodeError, UnicodeError):
        # Spread over lines; or a first record that is damaged, which the lines behind it tell.
        return not rest.lstrip().startswith(b"{")
    # A single record may be all that there is.
    single = not rest.strip() and isinstance(value, dict)
    return single and (not value or columns_in(value) is not None)


def _read(path: Path, compression: str | None) -> bytes:
    with _unpacking(path), open_bytes(path, compression) as file:
        data: bytes = file.read()
        return data


@contextmanager
def _unpacking(path: Path) -> Iterator[None]:
    try:
        yield
    except BROKEN as error:
        raise UnreadableSourceError("not_decompressed", where=str(path), error=error) from error


def _checked(path: Path, data: bytes) -> bytes:
    """Text that is nested no deeper than can be read; a damaged byte damages one letter."""
    if _depth(data) > MOST_DEPTH + 2:
        raise too_deep(str(path))
    try:
        data.decode()
    except UnicodeDecodeError:
        return data.decode(errors="replace").encode()
    return data


def _batches(
    path: Path, compression: str | None, types: dict[str, Any]
) -> Iterator[tuple[Any, int]]:
    """Some lines at a time, with the columns and types of all lines before.

    Where later lines ask for others, it has to begin anew; ``types`` keeps what was learnt.
    """
    with _unpacking(path), open_bytes(path, compression) as file:
        done, number = 0, 1
        for piece in _pieces(file):
            table = _from_lines(path, _checked(path, piece), number)
            known = dict(types)
            for name, column in zip(table.schema.names, table.columns, strict=True):
                types[name] = _common(types.get(name, pa.null()), column.type)
            if done and known != types:
                raise Restart
            yield _as(table, types), done
            done, number = done + len(piece), number + piece.count(b"\n")


def _pieces(file: Any) -> Iterator[bytes]:
    """Whole lines, about so many bytes at a time."""
    rest = b""
    while chunk := file.read(_PIECE):
        data = rest + chunk
        cut = data.rfind(b"\n") + 1
        rest = data[cut:]
        if data[:cut].strip():
            yield data[:cut]
    if rest.strip():
        yield rest


def _common(one: Any, two: Any) -> Any:
    """The type that holds the values of both; texts, where nothing else does."""
    try:
        return pa.unify_schemas(
            [pa.schema([("x", one)]), pa.schema([("x", two)])], promote_options="permissive"
        ).types[0]
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        return pa.large_string()


def _as(table: Any, types: dict[str, Any]) -> Any:
    arrays = []
    for name, kind in types.items():
        if name not in table.schema.names:
            arrays.append(pa.nulls(table.num_rows, kind))
            continue
        column = table.column(name)
        if column.type != kind:
            nested = pa.types.is_nested(column.type)
            column = column_of(list(map(repr, column.to_pylist()))) if nested else column
            column = column.cast(kind)
        arrays.append(column)
    return pa.Table.from_arrays(arrays, names=list(types))


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


def _from_lines(path: Path, data: bytes, number: int = 1) -> Any:
    from pyarrow import json

    ends = np.flatnonzero(np.frombuffer(data, np.uint8) == ord("\n"))
    longest = int(np.diff(ends, prepend=-1, append=len(data)).max(initial=0))
    size = max(1 << 20, longest + 1)
    try:
        return json.read_json(pa.BufferReader(data), read_options=json.ReadOptions(block_size=size))
    except pa.ArrowInvalid as error:
        # Columns whose type changes from line to line become texts, record by record.
        records = _decode_lines(path, data, number, error)
        return _table_of(path, records)


def _decode_lines(path: Path, data: bytes, first: int, cause: Exception) -> list[Any]:
    records = []
    for number, line in enumerate(data.split(b"\n"), start=first):
        if line.strip():
            try:
                records.append(msgspec.json.decode(line))
            except (msgspec.DecodeError, UnicodeError) as error:
                raise UnreadableSourceError(
                    "line_not_json", where=f"{path}, line {number}", error=error
                ) from cause
    return records


def _from_value(path: Path, data: bytes) -> Any:
    try:
        value = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeError) as error:
        if len(data.partition(b"\n")[0]) >= _AT_ONCE:  # a first record that is very long
            return _from_lines(path, data)
        raise UnreadableSourceError("not_json", where=str(path), error=error) from error
    if isinstance(value, list):
        return _table_of(path, value)
    columns = columns_in(value)
    if columns is None:
        raise UnreadableSourceError("json_object_not_table", where=str(path))
    return pa.table({name: column_of(values) for name, values in columns.items()})


def _table_of(path: Path, records: list[Any]) -> Any:
    if not all(isinstance(record, dict) for record in records):
        raise UnreadableSourceError("json_not_records", where=str(path))
    columns = columns_of_records(records)
    return pa.table({name: column_of(values) for name, values in columns.items()})


def column_of(values: list[Any]) -> Any:
    """An Arrow array of Python values; of mixed types as texts."""
    try:
        return pa.array(values)
    except (pa.ArrowException, OverflowError):
        texts = [None if v is None else v if isinstance(v, str) else repr(v) for v in values]
        return pa.array(texts, pa.large_string())
