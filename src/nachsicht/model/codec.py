"""The codec of documents: the one place where results become JSON and JSON becomes results."""

from __future__ import annotations

import gzip
import sys
import zlib
from inspect import cleandoc
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.errors import DocumentError
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.format_1 import upgraded
from nachsicht.model.profile import ProfileDocument

#: Rises when a reader of the former format would misread the new one.
FORMAT_VERSION = 2

Document = ProfileDocument | ComparisonDocument

#: What a document of a former format raises that is not whole.
_CONTRADICTING = (KeyError, ValueError, TypeError, AttributeError)


def encode(document: Document) -> bytes:
    """Write a document as JSON, indented by nothing, keys in a fixed order."""
    return msgspec.json.encode(document)


def pack(data: bytes) -> bytes:
    """Compress a document; the same document gives the same bytes."""
    return gzip.compress(data, mtime=0)


#: What is raised where a compressed document is damaged or cut off.
_BROKEN = (OSError, EOFError, zlib.error)
#: Of a document; those of thousands of columns take some ten million.
_MOST_BYTES = 64 << 20
#: Within so many bytes a document says of which format it is.
_HEAD_BYTES = 1 << 16


def could_be_document(path: Path) -> bool:
    """Whether a file may hold a document: its name says JSON, and it begins as documents do."""
    if not path.name.endswith((".json", ".json.gz")) or not path.is_file():
        return False
    with gzip.open(path) if path.suffix == ".gz" else path.open("rb") as file:
        try:
            head = file.read(_HEAD_BYTES)
        except _BROKEN:
            return False
    return head.lstrip()[:1] == b"{" and b'"format_version"' in head


def read_document(path: Path) -> Document:
    """Read a document, compressed or not.

    Raises
    ------
    DocumentError
        If the file cannot be opened, holds no document, or one of a newer format.
    """
    return decode(content_of(path), str(path))


def content_of(path: Path) -> bytes:
    """The JSON of a document, compressed or not.

    Raises
    ------
    DocumentError
        If the file cannot be opened, or is larger than any document.
    """
    try:
        with path.open("rb") as file:
            packed = file.read(2) == b"\x1f\x8b"
        with gzip.open(path) if packed else path.open("rb") as content:
            data = content.read(_MOST_BYTES + 1)
    except _BROKEN as error:
        reason = getattr(error, "strerror", None) or error
        raise DocumentError("document_not_opened", where=str(path), reason=reason) from error
    if len(data) > _MOST_BYTES:
        raise DocumentError("document_too_large", where=str(path), value=_MOST_BYTES >> 20)
    return data


def decode(data: bytes, where: str = "") -> Document:
    """Read a document back.

    Raises
    ------
    DocumentError
        If the bytes are no document, or one of a newer format.
    """
    try:
        head = msgspec.json.decode(data, type=_Head)
    except (msgspec.DecodeError, UnicodeError) as error:
        raise DocumentError("no_document", where=where, error=error) from error
    if head.format_version > FORMAT_VERSION:
        raise DocumentError(
            "document_newer",
            where=where,
            format_version=head.format_version,
            format_version2=FORMAT_VERSION,
        )
    try:
        if head.format_version == 1:
            former = msgspec.json.decode(data)
            document: Document = msgspec.convert(upgraded(former, Document), Document)
        else:
            document = msgspec.json.decode(data, type=Document)
    except (msgspec.DecodeError, UnicodeError, *_CONTRADICTING) as error:
        raise DocumentError("document_damaged", where=where, error=error) from error
    return document


def schema() -> dict[str, object]:
    """The JSON Schema of documents, from the very types that write them."""
    (reference,), parts = msgspec.json.schema_components([Document], ref_template="#/$defs/{name}")
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Nachsicht document, format {FORMAT_VERSION}",
        **reference,
        "$defs": _cleaned(parts),
    }


def _cleaned(schema: Any) -> Any:
    """A part of a schema with descriptions that do not depend on how docstrings are indented."""
    if isinstance(schema, dict):
        return {
            name: cleandoc(value)
            if name == "description" and isinstance(value, str)
            else _cleaned(value)
            for name, value in schema.items()
        }
    return [_cleaned(value) for value in schema] if isinstance(schema, list) else schema


class _Head(msgspec.Struct):
    format_version: int


if __name__ == "__main__":
    sys.stdout.buffer.write(msgspec.json.format(msgspec.json.encode(schema()), indent=1) + b"\n")
