"""Files that come from elsewhere: copied to a place of their own, which goes when they are read."""

from __future__ import annotations

import shutil
import sys
import tempfile
import weakref
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from nachsicht.contracts import Opened
from nachsicht.errors import SourceUnreadable
from nachsicht.settings import Reading
from nachsicht.sources.files import FileSource


class _Place:
    """A folder that is removed with the last one who holds it, at the end at the latest."""

    def __init__(self) -> None:
        self.path = Path(tempfile.mkdtemp(prefix="nachsicht-"))
        weakref.finalize(self, shutil.rmtree, self.path, True)


def open_copied(
    write: Callable[[BinaryIO], None], name: str, told: str, reading: Reading
) -> Opened:
    """Open what ``write`` writes as a file of that name.

    Parameters
    ----------
    write : callable
        Writes the content into an open file.
    name : str
        With the suffix that tells the format.
    told : str
        What the page's origin calls it.
    reading : Reading
        How it is read.
    """
    place = _Place()
    path = place.path / name
    try:
        with path.open("wb") as file:
            write(file)
    except OSError as error:
        raise SourceUnreadable(
            f"it cannot be copied to {path.parent} ({error.strerror or type(error).__name__})",
            where=told,
            todo="Make room there, or name another folder in TMPDIR.",
        ) from error
    opened = FileSource(path, reading).open()
    opened.facts.name = told
    kept = _Kept(place, opened)
    return Opened(opened.facts, opened.memory_bytes, kept.table, kept.batches)


@dataclass(frozen=True)
class _Kept:
    """Reads from a place, and holds it as long as somebody may read."""

    place: _Place
    opened: Opened

    def table(self) -> Any:
        return self.opened.table()

    def batches(self) -> Iterator[tuple[Any, int]]:
        yield from self.opened.batches()


@dataclass(frozen=True)
class StandardInput:
    """A table on standard input, of any format that its first bytes tell, else delimited text."""

    reading: Reading
    label: str = "input"

    def open(self) -> Opened:
        """Take all of it, to the end."""

        def write(file: BinaryIO) -> None:
            shutil.copyfileobj(sys.stdin.buffer, file)

        return open_copied(write, "input", "standard input", self.reading)
