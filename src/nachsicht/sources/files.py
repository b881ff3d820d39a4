"""Files: their format is recognised, and its reader opens them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import EmptySourceError, SourceNotFoundError, UnreadableSourceError
from nachsicht.i18n import phrase
from nachsicht.model.notes import Note
from nachsicht.sources.compression import compression_of
from nachsicht.sources.formats import format_of
from nachsicht.sources.protocol import Opened, SourceFacts

_COMPRESSED_SUFFIXES = (".gz", ".bz2", ".zst", ".xz")


class FileSource(msgspec.Struct, frozen=True):
    """A table in one file."""

    path: Path
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The file's name without folder and suffixes."""
        return plain_name(self.path.name)

    def open(self) -> Opened:
        """Recognise the format, and open the file with its reader."""
        size = self._checked_size()
        state = _state(self.path)
        opened = self._opened(SourceFacts(self.path.name, "", size))

        def table() -> Any:
            found = opened.table()
            _tell_change(self.path, state, opened.facts)
            return found

        def batches() -> Iterator[tuple[Any, int]]:
            yield from opened.batches()
            _tell_change(self.path, state, opened.facts)

        return msgspec.structs.replace(opened, table=table, batches=batches)

    def _opened(self, facts: SourceFacts) -> Opened:
        head = self._head()
        compression = compression_of(head)
        suffixes = [s.lower() for s in self.path.suffixes if s.lower() not in _COMPRESSED_SUFFIXES]
        known = format_of(head, suffixes[-1] if suffixes else "", compression is not None)
        if self.reading.sheet and not known.sheets:
            raise UnreadableSourceError("sheet_without_workbook", where=str(self.path))
        return known.open(self.path, compression, self.reading, facts)

    def _head(self) -> bytes:
        try:
            with self.path.open("rb") as file:
                return file.read(8)
        except OSError as error:
            raise UnreadableSourceError(
                "file_not_opened", where=str(self.path), strerror=error.strerror
            ) from error

    def _checked_size(self) -> int:
        if not self.path.exists():
            if self.path.is_symlink():
                raise SourceNotFoundError(
                    "dangling_link", where=str(self.path), readlink=self.path.readlink()
                )
            near = _nearest(self.path)
            raise SourceNotFoundError(
                "no_file",
                where=str(self.path),
                todo=phrase("hints.did_you_mean", name=near)
                if near
                else phrase("hints.check_path"),
            )
        size = self.path.stat().st_size
        if size == 0:
            raise EmptySourceError("file_empty", where=str(self.path))
        return size


def _state(path: Path) -> tuple[int, int]:
    """The size of a file, and when it was written."""
    try:
        status = path.stat()
    except OSError:
        return 0, 0
    return status.st_size, status.st_mtime_ns


def _tell_change(path: Path, before: tuple[int, int], facts: SourceFacts) -> None:
    """Tell that a file was written while it was read; refuse one that lost bytes meanwhile."""
    now = _state(path)
    if now == before:
        return
    if now[0] < before[0]:
        raise UnreadableSourceError("file_shortened", where=str(path))
    note = Note("written_meanwhile")
    if note not in facts.notes:
        facts.notes.append(note)


def plain_name(name: str) -> str:
    """The name of a file without its suffixes."""
    return name.partition(".")[0] or name


def _nearest(path: Path) -> Path | None:
    """A file beside the path whose name is nearly the same."""
    import difflib

    try:
        names = [entry.name for entry in path.parent.iterdir()]
    except OSError:
        return None
    close = difflib.get_close_matches(path.name, names, n=1, cutoff=0.8)
    return path.parent / close[0] if close else None
