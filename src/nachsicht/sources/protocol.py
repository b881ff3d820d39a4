"""What a source and an engine must be."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

import msgspec

from nachsicht.model.dataset_schema import Description
from nachsicht.model.notes import Note

if TYPE_CHECKING:  # what opens data waits for nothing that computes
    import numpy as np
    from numpy.typing import NDArray


class Restart(Exception):
    """A source has learnt how to read itself: its batches must be read from the beginning."""


class UnreadLine(msgspec.Struct, frozen=True):
    """A line that could not be read: its number from 1, how many fields it has, its beginning."""

    number: int
    fields: int
    text: str


class SourceFacts(msgspec.Struct):
    """What the page's origin says of a source; never a credential.

    Notes and unread lines may grow while batches are read. Of the unread lines the first few are
    ``unread``: whether they may be quoted is for others to say, who know what is hidden.
    ``padded_lines`` had fewer fields than the first, and are read with the last ones missing.
    ``decimals_written`` says of columns of a text file with how many decimals all numbers are
    written, where they are alike; ``missing_reasons``, in how many of all rows a value is missing
    for each reason that the file gives. The ``moment`` is when a version was committed, in ISO 8601
    and UTC, where the source keeps several.
    """

    name: str
    format: str
    size_bytes: int | None
    notes: list[Note] = msgspec.field(default_factory=list)
    unread_lines: int = 0
    padded_lines: int = 0
    decimals_written: dict[str, int] = msgspec.field(default_factory=dict)
    missing_reasons: dict[str, dict[str, int]] = msgspec.field(default_factory=dict)
    unread: list[UnreadLine] = msgspec.field(default_factory=list)
    moment: str | None = None


#: Tasks for each that can run at a time.
_TASKS_EACH = 4


class Piece(msgspec.Struct, frozen=True):
    """Some rows of a source that can be read by themselves.

    Attributes
    ----------
    read : callable
        Gives them as an Arrow table; it can be pickled and called in another process.
    rows : int, optional
        How many there are, where that is known without reading.
    """

    read: Callable[[], Any]
    rows: int | None = None


def runs_of(pieces: Sequence[Piece], at_once: int) -> list[Sequence[Piece]]:
    """Neighbouring pieces for each of many tasks, of which so many run at a time.

    What a task finds has to be sent: the fewer tasks the better, but that the last ones keep all
    busy.
    """
    size = max(-(-len(pieces) // (_TASKS_EACH * max(at_once, 1))), 1)
    return [pieces[start : start + size] for start in range(0, len(pieces), size)]


class Tally(NamedTuple):
    """Different values, as whoever holds them gives them, and in how many rows each stands."""

    values: list[Any]
    counts: NDArray[np.int64]


class DividedRows(Protocol):
    """Rows that stay where they are, and can be asked for by the values of a column."""

    @property
    def names(self) -> Sequence[str]:
        """Of the columns."""

    def tally(self, name: str, most: int) -> Tally | None:
        """All different values of a column; None where there are more than ``most``."""

    def among(self, by: str, values: Sequence[Any], *, together: bool, others: bool) -> DividedRows:
        """The rows with one of some values in a column; or all ``others`` that have a value.

        Rising values that are all there are from the first to the last are ``together``.
        """


class Opened(msgspec.Struct, frozen=True):
    """A source that is ready to be read, once or more.

    Attributes
    ----------
    facts : SourceFacts
    memory_bytes : int
        About how much memory all of it would take.
    table : callable
        Reads all of it as an Arrow table.
    batches : callable
        Reads it as record batches of one schema; each call begins anew. A batch comes with
        the number of bytes of the source that are read so far. Raises `Restart` where
        what was read so far must be forgotten.
    pieces : callable, optional
        The pieces in the order of their rows, where it can be read in pieces.
    engine : str
        The engine that alone can compute it, where it is a frame of that engine.
    frame : DividedRows, optional
        That frame.
    description : Description, optional
        What came with the data and says what its columns are.
    whole : bool
        Whether it can only be read as a whole.
    database : callable, optional
        Connects to the database that it is a table of, and gives what can be asked of that, its
        rows to begin with (`DividedRows`).
    """

    facts: SourceFacts
    memory_bytes: int
    table: Callable[[], Any]
    batches: Callable[[], Iterator[tuple[Any, int]]]
    pieces: Callable[[], Sequence[Piece]] | None = None
    engine: str = ""
    frame: Any = None
    description: Description | None = None
    whole: bool = False
    database: Callable[[], AbstractContextManager[Any]] | None = None


class Source(Protocol):
    """Anything that a table can be read from."""

    @property
    def label(self) -> str:
        """A short name for the version, used where the user gives none."""

    def open(self) -> Opened:
        """Find out what it is, without reading all of it.

        Raises
        ------
        SourceError
            If it cannot be read, with what was wrong and where. ReadOptions may raise it too.
        """
