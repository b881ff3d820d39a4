"""What a source and an engine must be."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol


@dataclass(frozen=True)
class Progress:
    """How far a piece of work has come: ``done`` of ``total`` units of ``what``."""

    what: str
    done: int
    total: int


#: Called from time to time during long work, never from two threads at once.
ProgressListener = Callable[[Progress], None]


def ignore_progress(_: Progress) -> None:
    """A listener for those who do not want to know."""


@dataclass(frozen=True)
class SourceFacts:
    """What the page's origin says of a source; never a credential."""

    name: str
    format: str
    size_bytes: int | None
    notes: tuple[str, ...] = ()


class Source(Protocol):
    """Anything that a table can be read from."""

    @property
    def label(self) -> str:
        """A short name for the version, used where the user gives none."""

    def read(self) -> tuple[Any, SourceFacts]:
        """Read all of it, as an Arrow table.

        Raises
        ------
        SourceError
            If it cannot be read, with what was wrong and where.
        """
