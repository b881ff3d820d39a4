"""Files: opened by their suffix, with errors that say where and what to do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nachsicht.contracts import SourceFacts
from nachsicht.errors import SourceEmpty, SourceMissing, SourceUnreadable

Reader = Callable[[Path], tuple[Any, tuple[str, ...]]]

#: Beginnings that tell a file's format whatever its name says.
_PARQUET = b"PAR1"


@dataclass(frozen=True)
class FileSource:
    """A table in one file."""

    path: Path

    @property
    def label(self) -> str:
        """The file's name without folder and suffixes."""
        return self.path.name.split(".")[0] or self.path.name

    def read(self) -> tuple[Any, SourceFacts]:
        """Read the whole file."""
        size = self._checked_size()
        format_name, reader = self._reader()
        table, notes = reader(self.path)
        if table.num_columns == 0:
            raise SourceEmpty("the file holds no columns", where=str(self.path))
        return table, SourceFacts(self.path.name, format_name, size, notes)

    def _checked_size(self) -> int:
        if not self.path.exists():
            near = _nearest(self.path)
            raise SourceMissing(
                "there is no such file",
                where=str(self.path),
                todo=f"Did you mean {near}?" if near else "Check the path.",
            )
        if self.path.is_dir():
            raise SourceUnreadable(
                "this is a folder", where=str(self.path), todo="Name a file in it."
            )
        try:
            size = self.path.stat().st_size
        except OSError as error:
            raise SourceUnreadable(str(error.strerror), where=str(self.path)) from error
        if size == 0:
            raise SourceEmpty("the file is empty", where=str(self.path))
        return size

    def _reader(self) -> tuple[str, Reader]:
        from nachsicht.sources import delimited, parquet

        try:
            with self.path.open("rb") as file:
                head = file.read(4)
        except OSError as error:
            raise SourceUnreadable(
                f"the file cannot be opened ({error.strerror})", where=str(self.path)
            ) from error
        if head == _PARQUET or self.path.suffix.lower() in (".parquet", ".pq"):
            return "Parquet", parquet.read_parquet
        return "delimited text", delimited.read_delimited


def _nearest(path: Path) -> Path | None:
    """A file beside the path whose name is nearly the same."""
    import difflib

    try:
        names = [entry.name for entry in path.parent.iterdir()]
    except OSError:
        return None
    close = difflib.get_close_matches(path.name, names, n=1, cutoff=0.8)
    return path.parent / close[0] if close else None
