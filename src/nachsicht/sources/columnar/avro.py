"""Avro files, by fastavro: rows in blocks, read piece by piece."""

from __future__ import annotations

import importlib.util
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.errors import SourceError, UnreadableSourceError
from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.protocol import Opened, SourceFacts

#: Rows that are put together in one batch.
_BATCH_ROWS = 1 << 16
#: About what a value takes in memory, in bytes of the file.
_TIMES = 4
_PRIMITIVE = {
    "null": pa.null(),
    "boolean": pa.bool_(),
    "int": pa.int32(),
    "long": pa.int64(),
    "float": pa.float32(),
    "double": pa.float64(),
    "bytes": pa.large_binary(),
    "string": pa.large_string(),
}
_LOGICAL = {
    "date": pa.date32(),
    "time-millis": pa.time32("ms"),
    "time-micros": pa.time64("us"),
    "timestamp-millis": pa.timestamp("ms", "UTC"),
    "timestamp-micros": pa.timestamp("us", "UTC"),
    "local-timestamp-millis": pa.timestamp("ms"),
    "local-timestamp-micros": pa.timestamp("us"),
    "uuid": pa.large_string(),
}


def open_avro(path: Path, facts: SourceFacts) -> Opened:
    """An Avro file whose schema is a record: a column a field.

    Raises
    ------
    SourceError
        If fastavro is not installed, the file is damaged, or its rows are no records.
    """
    if importlib.util.find_spec("fastavro") is None:
        raise SourceError("no_fastavro", where=str(path))
    facts.format = "avro"
    schema = _schema(path)

    def batches() -> Iterator[tuple[Any, int]]:
        for rows, done in _rows(path):
            columns = [_array([row[name] for row in rows], schema.field(name)) for name in names]
            yield pa.record_batch(columns, schema=schema), done

    def table() -> Any:
        return pa.Table.from_batches((batch for batch, _ in batches()), schema)

    names = schema.names
    return Opened(facts, _TIMES * (facts.size_bytes or 0), table, batches)


def _schema(path: Path) -> Any:
    import fastavro

    with errors_as_damaged(path, "Avro", Exception), path.open("rb") as file:
        written: Any = fastavro.reader(file).writer_schema
    if not isinstance(written, dict) or written.get("type") != "record":
        raise UnreadableSourceError("avro_without_records", where=str(path))
    named: dict[str, Any] = {}
    return pa.schema([(f["name"], _type(f["type"], named)) for f in written["fields"]])


def _rows(path: Path) -> Iterator[tuple[list[Any], int]]:
    """Rows by the batch, and bytes read so far."""
    import fastavro

    with errors_as_damaged(path, "Avro", Exception), path.open("rb") as file:
        held: list[Any] = []
        for block in fastavro.block_reader(file):
            held.extend(block)
            if len(held) >= _BATCH_ROWS:
                yield held, file.tell()
                held = []
        yield held, file.tell()


def _type(said: Any, named: dict[str, Any]) -> Any:
    """The Arrow type of a type of Avro; ``named`` holds those that were given a name."""
    if isinstance(said, list):  # a union
        others = [each for each in said if each != "null"]
        return _type(others[0], named) if len(others) == 1 else pa.large_string()
    if isinstance(said, str):
        return _PRIMITIVE.get(said) or named.get(said) or pa.large_string()
    kind, logical = said["type"], said.get("logicalType")
    if logical == "decimal":
        return pa.decimal128(said["precision"], said.get("scale", 0))
    if logical in _LOGICAL:
        return _LOGICAL[logical]
    found = _nested(kind, said, named)
    if "name" in said:
        named[said["name"]] = found
    return found


def _nested(kind: Any, said: Mapping[str, Any], named: dict[str, Any]) -> Any:
    if kind == "enum":
        return pa.dictionary(pa.int32(), pa.large_string())
    if kind == "fixed":
        return pa.large_binary()
    if kind == "array":
        return pa.large_list(_type(said["items"], named))
    if kind == "map":
        return pa.map_(pa.large_string(), _type(said["values"], named))
    if kind == "record":
        return pa.struct([(f["name"], _type(f["type"], named)) for f in said["fields"]])
    return _type(kind, named)


def _array(values: list[Any], field: Any) -> Any:
    """Values of a column; of a union of several types as texts."""
    if pa.types.is_large_string(field.type):
        values = [v if v is None or isinstance(v, str) else str(v) for v in values]
    elif pa.types.is_map(field.type):
        values = [None if v is None else list(v.items()) for v in values]
    elif pa.types.is_dictionary(field.type):
        return pa.array(values, pa.large_string()).dictionary_encode()
    return pa.array(values, field.type)
