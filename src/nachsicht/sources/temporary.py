"""Files of our own for the time being, which go when they are read."""

from __future__ import annotations

import shutil
import tempfile
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.errors import NachsichtError, UnreadableSourceError
from nachsicht.sources.protocol import Opened


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


def open_for_now(
    write: Callable[[Path], None], opened_in: Callable[[Path], Opened], shown_name: str
) -> Opened:
    """Open what ``write`` puts into an empty folder, which goes with the last one who reads it.

    Parameters
    ----------
    write : callable
        Fills the folder.
    opened_in : callable
        Opens what is there.
    shown_name : str
        What the page's origin and errors call it.
    """
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
        opened = opened_in(place.path)
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
