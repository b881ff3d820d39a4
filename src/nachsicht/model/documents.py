"""The codec of documents: the one place where results become JSON and JSON becomes results."""

from __future__ import annotations

import msgspec

from nachsicht.errors import DocumentError
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.profile import ProfileDocument

#: Rises when a reader of the former format would misread the new one.
FORMAT_VERSION = 1

Document = ProfileDocument | ComparisonDocument


def encode(document: Document) -> bytes:
    """Write a document as JSON, indented by nothing, keys in a fixed order."""
    return msgspec.json.encode(document)


def decode(data: bytes, where: str = "") -> Document:
    """Read a document back.

    Raises
    ------
    DocumentError
        If the bytes are no document, or one of a newer format.
    """
    try:
        head = msgspec.json.decode(data, type=_Head)
    except msgspec.DecodeError as error:
        raise DocumentError(
            f"this is no profile or comparison document ({error})", where=where
        ) from error
    if head.format_version > FORMAT_VERSION:
        raise DocumentError(
            f"the document has format {head.format_version}, newer than {FORMAT_VERSION}",
            where=where,
            todo="Install a newer Nachsicht.",
        )
    try:
        document: Document = msgspec.json.decode(data, type=Document)
    except msgspec.DecodeError as error:
        raise DocumentError(f"the document is damaged ({error})", where=where) from error
    return document


class _Head(msgspec.Struct):
    what: str
    format_version: int
