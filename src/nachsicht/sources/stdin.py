"""Files that come from elsewhere: copied to a place of their own, which goes when they are read."""

from __future__ import annotations

import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.sources.files import FileSource
from nachsicht.sources.folders import FolderSource
from nachsicht.sources.protocol import Opened, Source
from nachsicht.sources.temporary import open_for_now


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
