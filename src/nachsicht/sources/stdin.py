"""Files that come from elsewhere: copied to a place of their own, which goes when they are read."""

from __future__ import annotations

import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.sources.files import FileSource, plain_name
from nachsicht.sources.folders import FolderSource
from nachsicht.sources.protocol import Opened, Source
from nachsicht.sources.temporary import open_for_now

#: Characters or bytes of a file object that are read at a time.
_PIECE = 1 << 20


def open_copied(
    write: Callable[[BinaryIO], None],
    name: str,
    shown_name: str,
    reading: ReadOptions,
    kind: Callable[[Path, ReadOptions], Source] = FileSource,
) -> Opened:
    """Open what ``write`` writes as a file of that name.

    Parameters
    ----------
    write : callable
        Writes the content into an open file.
    name : str
        With the suffix that tells the format.
    shown_name : str
        What the page's origin calls it.
    reading : ReadOptions
        How it is read.
    kind : callable
        The source that reads it, from its path.
    """

    def fill(folder: Path) -> None:
        with (folder / name).open("wb") as file:
            write(file)

    return open_for_now(fill, lambda folder: kind(folder / name, reading).open(), shown_name)


def open_folder(write: Callable[[Path], None], shown_name: str, reading: ReadOptions) -> Opened:
    """Open the files that ``write`` puts into a folder, as parts of one dataset.

    Parameters
    ----------
    write : callable
        Fills an empty folder.
    shown_name : str
        What the page's origin calls it.
    reading : ReadOptions
        How they are read.
    """

    def opened_in(folder: Path) -> Opened:
        files = list(folder.iterdir())
        if len(files) == 1:
            return FileSource(files[0], reading).open()
        return FolderSource(folder, reading).open()

    return open_for_now(write, opened_in, shown_name)


class Content(msgspec.Struct, frozen=True):
    """A table in bytes, or in a file object that is open; its name tells the format, if it has one.

    Attributes
    ----------
    data : bytes or file object
        Of a file object what has not been read so far.
    """

    data: Any
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The name of the file without folder and suffixes."""
        return plain_name(self._name)

    @property
    def _name(self) -> str:
        name = getattr(self.data, "name", None)
        return Path(name).name if isinstance(name, str) and name else "input"

    def open(self) -> Opened:
        """Take all of it, to the end."""

        def write(file: BinaryIO) -> None:
            if isinstance(self.data, bytes | bytearray | memoryview):
                file.write(self.data)
                return
            while piece := self.data.read(_PIECE):
                file.write(piece.encode() if isinstance(piece, str) else piece)

        return open_copied(write, self._name, self._name, self.reading)


class Stream(msgspec.Struct, frozen=True):
    """A table that can be read once: on standard input, or from a pipe or device.

    Of any format that its first bytes tell, else delimited text.
    """

    reading: ReadOptions
    path: Path | None = None
    label: str = "input"

    def open(self) -> Opened:
        """Take all of it, to the end."""

        def write(file: BinaryIO) -> None:
            if self.path is None:
                shutil.copyfileobj(sys.stdin.buffer, file)
                return
            with self.path.open("rb") as stream:
                shutil.copyfileobj(stream, file)

        shown_name = str(self.path) if self.path else "standard input"
        return open_copied(write, "input", shown_name, self.reading)
