"""What a table with snapshots must give."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any, NamedTuple, Protocol


class Snapshot(NamedTuple):
    """A state of a table: the number that it is called by, and when it was written, in UTC."""

    number: int
    at: datetime


class SnapshotTable(Protocol):
    """A table in a folder, and what it was before."""

    @property
    def format(self) -> str:
        """The code of its format."""

    def snapshots(self) -> list[Snapshot]:
        """Those that its rows were changed by, the oldest first."""

    def current(self) -> Snapshot:
        """The newest."""

    def read(self, snapshot: Snapshot) -> SnapshotRows:
        """The rows as they were."""


class SnapshotRows(Protocol):
    """The rows of a snapshot; nothing is read before it is asked for."""

    @property
    def size_bytes(self) -> int:
        """Of its files."""

    def table(self) -> Any:
        """All of them, as an Arrow table."""

    def batches(self) -> Iterator[Any]:
        """All of them, as record batches of one schema."""


def utc(milliseconds: int) -> datetime:
    """A time in UTC, without saying so."""
    return datetime.fromtimestamp(milliseconds / 1000, UTC).replace(tzinfo=None)
