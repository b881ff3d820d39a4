"""Anything that a table can be read from, as Arrow data."""

from __future__ import annotations

from os import PathLike
from pathlib import Path

from nachsicht.contracts import Source
from nachsicht.errors import SourceError


def source_of(data: object) -> Source:
    """The source that reads a path, a frame or any object that gives Arrow data.

    Raises
    ------
    SourceError
        If the object is none of these.
    """
    if isinstance(data, str | PathLike):
        from nachsicht.sources.files import FileSource

        return FileSource(Path(data))
    from nachsicht.sources.frames import FrameSource, gives_table

    if gives_table(data):
        return FrameSource(data)
    raise SourceError(
        "this is nothing that a table can be read from",
        where=type(data).__name__,
        todo="Give a path, a pandas frame, or an object with the Arrow PyCapsule interface.",
    )
