"""Iceberg tables, by the package pyiceberg, from the metadata in their folder."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cached_property, partial
from itertools import pairwise
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.errors import UnreadableSourceError
from nachsicht.sources.versions.errors import errors_named
from nachsicht.sources.versions.protocol import Snapshot, utc

#: Metadata files begin with their number: 00003-….metadata.json, or v3.metadata.json.
_NUMBER = re.compile(r"v?(\d+)\b.*\.metadata\.json$")
#: A snapshot that writes the same rows into other files.
_SAME_ROWS = "replace"
#: To overwrite a table takes two snapshots: one without its rows, and after so many milliseconds
#: at most the one with the new rows.
_OVERWRITE = 10_000

_errors = partial(errors_named, package="pyiceberg", table_format="Iceberg")


def is_iceberg(path: Path) -> bool:
    """Whether a folder has the metadata of an Iceberg table."""
    return _newest_metadata(path) is not None


class IcebergRows(msgspec.Struct, frozen=True, dict=True):
    """The rows of a snapshot, without those that were deleted."""

    path: Path
    number: int | None

    @cached_property
    def _scan(self) -> Any:
        with _errors(self.path):
            return _table(self.path).scan(snapshot_id=self.number)

    @property
    def size_bytes(self) -> int:
        """Of its files."""
        with _errors(self.path):
            return sum(task.file.file_size_in_bytes for task in self._scan.plan_files())

    def table(self) -> Any:
        """All of them."""
        with _errors(self.path):
            # Of the same types as in pieces.
            return self._scan.to_arrow_batch_reader().read_all()

    def batches(self) -> Iterator[Any]:
        """All of them."""
        with _errors(self.path):
            yield from self._scan.to_arrow_batch_reader()


class IcebergFolder(msgspec.Struct, frozen=True):
    """An Iceberg table in a folder."""

    path: Path
    format: str = "iceberg"

    def snapshots(self) -> list[Snapshot]:
        """The snapshots that changed its rows, the oldest first."""
        with _errors(self.path):
            table = _table(self.path)
            known = {each.snapshot_id: each for each in table.metadata.snapshots}
            written = [known.get(entry.snapshot_id) for entry in table.history()]
        in_order = sorted(filter(None, written), key=lambda each: each.timestamp_ms)
        halves = {one.snapshot_id for one, other in pairwise(in_order) if _are_one(one, other)}
        return [
            Snapshot(each.snapshot_id, utc(each.timestamp_ms))
            for each in in_order
            if each.snapshot_id not in halves and _operation(each) != _SAME_ROWS
        ]

    def current(self) -> Snapshot:
        """The newest snapshot."""
        with _errors(self.path):
            newest = _table(self.path).current_snapshot()
        if newest is None:
            raise UnreadableSourceError("table_without_snapshot", where=str(self.path))
        return Snapshot(newest.snapshot_id, utc(newest.timestamp_ms))

    def read(self, snapshot: Snapshot) -> IcebergRows:
        """The rows as they were."""
        return IcebergRows(self.path, snapshot.number)


def _operation(snapshot: Any) -> str:
    return str(snapshot.summary.operation.value) if snapshot.summary else ""


def _are_one(one: Any, other: Any) -> bool:
    """Whether two snapshots overwrite the table together."""
    soon = other.timestamp_ms - one.timestamp_ms <= _OVERWRITE
    follows = other.parent_snapshot_id == one.snapshot_id
    return soon and follows and (_operation(one), _operation(other)) == ("delete", "append")


def _newest_metadata(path: Path) -> Path | None:
    """The metadata file that was written last."""
    folder = path / "metadata"
    numbered = [
        (int(found[1]), file.stat().st_mtime_ns, file)
        for file in (folder.iterdir() if folder.is_dir() else ())
        if (found := _NUMBER.match(file.name))
    ]
    return max(numbered)[2] if numbered else None


def _table(path: Path) -> Any:
    from pyiceberg.table import StaticTable

    return StaticTable.from_metadata(str(_newest_metadata(path)))
