"""A table as it is, or as it was: ``checks@3``, ``checks@2025-03-01``."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceNotFoundError
from nachsicht.model.notes import Note
from nachsicht.sources.protocol import Opened, SourceFacts
from nachsicht.sources.versions.delta import DeltaFolder, is_delta
from nachsicht.sources.versions.iceberg import IcebergFolder, is_iceberg
from nachsicht.sources.versions.protocol import Snapshot, SnapshotTable

#: Columns take more memory than in a file, by about so much.
_IN_MEMORY = 4
#: So many snapshots are named where the one that was asked for is not there.
_NAMED = 3


def is_table(path: Path) -> bool:
    """Whether a path, without ``@`` and what follows, is a folder of a table with snapshots."""
    folder = _parted(path)[0]
    return folder.is_dir() and (is_delta(folder) or is_iceberg(folder))


def _parted(path: Path) -> tuple[Path, str]:
    """The folder of a table, and which of its snapshots is meant; nothing for the newest."""
    name, sign, asked = path.name.rpartition("@")
    return (path.with_name(name), asked) if sign and name and not path.exists() else (path, "")


def _table_in(folder: Path) -> SnapshotTable:
    return DeltaFolder(folder) if is_delta(folder) else IcebergFolder(folder)


class SnapshotSource(msgspec.Struct, frozen=True, dict=True):
    """A table with snapshots; of its folder's ``path`` perhaps with ``@`` and a number or date."""

    path: Path
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The folder's name; of a snapshot that was asked for its number, or when it was made."""
        folder, asked = _parted(self.path)
        if not asked:
            return folder.resolve().name
        if self._table.format == "delta":
            return f"v{self._snapshot.number}"
        return self._snapshot.at.isoformat(" ", timespec="seconds")

    @cached_property
    def _table(self) -> SnapshotTable:
        return _table_in(_parted(self.path)[0])

    @cached_property
    def _snapshot(self) -> Snapshot:
        folder, asked = _parted(self.path)
        return _asked(self._table, asked, folder) if asked else self._table.current()

    def open(self) -> Opened:
        """Look the snapshot up; its files are read later."""
        snapshot = self._snapshot
        rows = self._table.read(snapshot)
        size = rows.size_bytes
        facts = SourceFacts(self.path.name, self._table.format, size)
        facts.moment = snapshot.at.isoformat()
        facts.notes.append(Note("snapshot", {"number": str(snapshot.number)}))

        def batches() -> Iterator[tuple[Any, int]]:
            for batch in rows.batches():
                yield batch, 0

        return Opened(facts, _IN_MEMORY * size, rows.table, batches)


def snapshots_since(path: Path, first: str) -> list[str]:
    """Addresses of the snapshot that a number or date names, and of those that came after it.

    Raises
    ------
    SourceError
        If there is no such snapshot, or none came after it.
    """
    table = _table_in(path)
    began = _asked(table, first, path)
    later = [each for each in table.snapshots() if each.at >= began.at and each != began]
    if not later:
        raise SourceNotFoundError("no_snapshots", where=str(path), revision=first)
    return [f"{path}@{each.number}" for each in (began, *later)]


def _asked(table: SnapshotTable, asked: str, folder: Path) -> Snapshot:
    """The snapshot of a number, or the last one up to a date or time, in UTC."""
    known = [*table.snapshots(), table.current()]
    if asked.isdigit():
        found = next((each for each in known if each.number == int(asked)), None)
    else:
        up_to = _end_of(asked)
        before = [each for each in known if up_to and each.at < up_to]
        found = max(before, key=lambda each: each.at, default=None)
    if found is None:
        names = [f"{each.number} ({each.at:%Y-%m-%d %H:%M})" for each in known[-_NAMED:]]
        raise SourceNotFoundError(
            "no_snapshot", where=str(folder), revision=asked, said=", ".join(dict.fromkeys(names))
        )
    return found


def _end_of(asked: str) -> datetime | None:
    """The end of a day, or just behind a time; None where it is neither."""
    try:
        return datetime.combine(date.fromisoformat(asked), time()) + timedelta(days=1)
    except ValueError:
        pass
    try:
        at = datetime.fromisoformat(asked)
    except ValueError:
        return None
    at = at if at.tzinfo is None else at.astimezone(UTC).replace(tzinfo=None)
    return at + timedelta(milliseconds=1)
