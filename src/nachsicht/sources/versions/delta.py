"""Delta Lake tables, by the package deltalake."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property, partial
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.sources.versions.errors import errors_named
from nachsicht.sources.versions.protocol import Snapshot, utc

#: Commits that leave the rows as they are.
_SAME_ROWS = ("OPTIMIZE", "VACUUM START", "VACUUM END", "SET TBLPROPERTIES", "FSCK", "UPGRADE")
_BATCH_ROWS = 1 << 17

_errors = partial(errors_named, package="deltalake", table_format="Delta Lake")


def is_delta(path: Path) -> bool:
    """Whether a folder has a transaction log."""
    return (path / "_delta_log").is_dir()


class DeltaRows(msgspec.Struct, frozen=True, dict=True):
    """The rows of a version; files that it has no longer are not touched."""

    path: Path
    version: int

    @cached_property
    def _dataset(self) -> Any:
        with _errors(self.path):
            return _table(self.path, self.version).to_pyarrow_dataset()

    @property
    def size_bytes(self) -> int:
        """Of its files."""
        with _errors(self.path):
            actions = _table(self.path, self.version).get_add_actions(flatten=True)
            return sum(int(size) for size in _column(actions, "size_bytes"))

    def table(self) -> Any:
        """All of them."""
        with _errors(self.path):
            return self._dataset.to_table()

    def batches(self) -> Iterator[Any]:
        """All of them."""
        with _errors(self.path):
            yield from self._dataset.to_batches(batch_size=_BATCH_ROWS)


class DeltaFolder(msgspec.Struct, frozen=True):
    """A Delta Lake table in a folder."""

    path: Path
    format: str = "delta"

    def snapshots(self) -> list[Snapshot]:
        """The versions that changed its rows, the oldest first."""
        with _errors(self.path):
            commits = _table(self.path).history()
        found = [
            Snapshot(int(commit["version"]), utc(commit["timestamp"]))
            for commit in commits
            if commit.get("operation") not in _SAME_ROWS
        ]
        return sorted(found)

    def current(self) -> Snapshot:
        """The newest version."""
        with _errors(self.path):
            table = _table(self.path)
            return Snapshot(table.version(), utc(table.history(1)[0]["timestamp"]))

    def read(self, snapshot: Snapshot) -> DeltaRows:
        """The rows as they were."""
        return DeltaRows(self.path, snapshot.number)


def _table(path: Path, version: int | None = None) -> Any:
    from deltalake import DeltaTable

    return DeltaTable(str(path), version=version)


def _column(actions: Any, name: str) -> list[Any]:
    import pyarrow as pa

    values: list[Any] = pa.table(actions)[name].to_pylist()
    return values
