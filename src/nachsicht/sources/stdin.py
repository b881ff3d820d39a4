"""Files that come from elsewhere: copied to a place of their own, which goes when they are read."""

from __future__ import annotations

import shutil
import sys
import tempfile
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import NachsichtError, UnreadableSourceError
from nachsicht.sources.files import FileSource
from nachsicht.sources.folders import FolderSource
from nachsicht.sources.protocol import Opened, Source


class _Place:
    """A folder that is removed with the last one who holds it, at the end at the latest."""

    def __init__(self) -> None:
        self.path = Path(tempfile.mkdtemp(prefix="nachsicht-"))
        weakref.finalize(self, shutil.rmtree, self.path, True)

    @contextmanager
    def errors_named(self, shown_name: str) -> Iterator[None]:
        """Errors name what was copied, not the copy, which nobody can look at."""
        try:
            yield
        except NachsichtError as error:
            where = error.where.replace(f"{self.path}/", f"{shown_name}: ")
            raise type(error)(error.what, where=where, todo=error.todo) from error


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

    return _open(fill, lambda folder: kind(folder / name, reading), shown_name)


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

    def source(folder: Path) -> Source:
        files = list(folder.iterdir())
        return FileSource(files[0], reading) if len(files) == 1 else FolderSource(folder, reading)

    return _open(write, source, shown_name)


def _open(
    write: Callable[[Path], None], source: Callable[[Path], Source], shown_name: str
) -> Opened:
    place = _Place()
    try:
        write(place.path)
    except OSError as error:
        raise UnreadableSourceError(
            "not_copied",
            where=shown_name,
            path=place.path,
            value=error.strerror or type(error).__name__,
        ) from error
    with place.errors_named(shown_name):
        opened = source(place.path).open()
    opened.facts.name = shown_name
    kept = _Kept(place, opened)
    return Opened(opened.facts, opened.memory_bytes, kept.table, kept.batches, whole=opened.whole)


class _Kept(msgspec.Struct, frozen=True):
    """Reads from a place, and holds it as long as somebody may read."""

    place: _Place
    opened: Opened

    def table(self) -> Any:
        with self.place.errors_named(self.opened.facts.name):
            return self.opened.table()

    def batches(self) -> Iterator[tuple[Any, int]]:
        with self.place.errors_named(self.opened.facts.name):
            yield from self.opened.batches()


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
