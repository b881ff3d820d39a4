"""The rows of a version that are not all at hand, read again as often as they are needed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, Generic, Protocol, TypeVar

import msgspec
import numpy as np

from nachsicht._util.parallel import ParallelMap
from nachsicht._util.progress import Progress, ProgressListener, ignore_progress
from nachsicht.arrow.hashing import Hashes
from nachsicht.errors import UnreadableSourceError
from nachsicht.table.accumulate import Finished, TablePlan
from nachsicht.table.duplicates import RowHashes
from nachsicht.table.fingerprint import fingerprint, row_hash_sum
from nachsicht.table.result import DrawnRows, RetainedData

T = TypeVar("T")
#: Takes some rows as an Arrow table, the number of the first, from 0, and the rows' hashes. It can
#: be pickled, and so can what it gives.
Work = Callable[[Any, int, Hashes], T]
#: Rows of a table in memory that are worked on at once.
_AT_ONCE = 1 << 18


class Shuffle(msgspec.Struct, Generic[T], frozen=True):
    """Records of two tables, brought together by partition: rows of one key meet in one.

    Attributes
    ----------
    works : (callable, callable)
        What makes the records of some rows of either table, as `Partitioned`, and how many rows
        and what sum of hashes these were (`Checked`).
    dtypes : (NumPy dtype, NumPy dtype)
        Of the records.
    partitions : int
    match : callable
        Takes the number of a partition and its records of both tables.

    All of it can be pickled, and so can what ``match`` gives.
    """

    works: tuple[Any, Any]
    dtypes: tuple[Any, Any]
    partitions: int
    match: Callable[[int, Any, Any], T]


class TableReader(Protocol):
    """Rows that can be read again, piece by piece, by whoever read them first.

    Attributes
    ----------
    name : str
        Of the source, for errors.
    schema : Arrow schema
        Of the rows as they are examined.
    rows : int
    fingerprint : str
        Of the rows as they were read first.
    drawn : DrawnRows
        The evenly drawn rows, which are the same however the rows were read (`sample_rows`).
    most_bytes : int
        Memory that may be taken.
    listener : callable
        Hears how far the reading is.
    """

    @property
    def name(self) -> str: ...  # noqa: D102
    @property
    def schema(self) -> Any: ...  # noqa: D102
    @property
    def rows(self) -> int: ...  # noqa: D102
    @property
    def fingerprint(self) -> str: ...  # noqa: D102
    @property
    def drawn(self) -> DrawnRows: ...  # noqa: D102
    @property
    def most_bytes(self) -> int: ...  # noqa: D102
    @property
    def listener(self) -> ProgressListener: ...  # noqa: D102

    def map(self, work: Callable[[Any, int], T]) -> Iterator[T]:
        """What the work gives for each piece, in the order of the rows."""

    def shuffled(self, other: TableReader, shuffle: Shuffle[T]) -> Iterator[T] | None:
        """What comes of a shuffle of both tables by those who hold the rows.

        None where it is not the same cluster that holds them.
        """


class RereadTable(msgspec.Struct, frozen=True, kw_only=True):
    """What is known of rows that are not at hand; each engine adds how they are read again."""

    name: str
    plan: TablePlan
    finished: Finished
    listener: ProgressListener

    @property
    def schema(self) -> Any:
        """Of the rows as they are examined."""
        return self.plan.schema

    @property
    def rows(self) -> int:
        """How many there are."""
        return self.finished.computed.rows

    @property
    def fingerprint(self) -> str:
        """Of the rows as they were read first."""
        return self.finished.computed.fingerprint

    @property
    def drawn(self) -> DrawnRows:
        """The evenly drawn ones."""
        return self.finished.drawn

    @property
    def most_bytes(self) -> int:
        """Memory that may be taken."""
        return self.plan.most_bytes

    def shuffled(self, _other: TableReader, _shuffle: Shuffle[T]) -> Iterator[T] | None:
        """Only clusters move rows about."""
        return None


class Checked(msgspec.Struct, frozen=True):
    """Work, with what shows whether these are the rows that were read before."""

    work: Any

    def __call__(self, table: Any, first_row: int) -> tuple[Any, int, int]:
        """What the work gives, how many rows there are, and the sum of their hashes."""
        hashes = row_hashes(table)
        return self.work(table, first_row, hashes), table.num_rows, row_hash_sum(hashes)


def read_again(reader: TableReader, work: Work[T]) -> Iterator[T]:
    """What the work gives for each piece of the rows, which must be the same as before.

    Raises
    ------
    UnreadableSourceError
        At the end, if they are not: figures of other rows must not stand beside each other.
    """
    rows, hash_sum = 0, 0
    for result, piece_rows, piece_sum in reader.map(Checked(work)):
        rows, hash_sum = rows + piece_rows, hash_sum + piece_sum
        reader.listener(Progress("rows", min(rows, reader.rows), reader.rows))
        yield result
    check_unchanged(reader, rows, hash_sum)


def check_unchanged(reader: TableReader, rows: int, hash_sum: int) -> None:
    """See whether rows that were read again are those that were read first.

    Raises
    ------
    UnreadableSourceError
        If they are not.
    """
    if fingerprint(reader.schema.names, rows, hash_sum) != reader.fingerprint:
        raise UnreadableSourceError("changed_meanwhile", where=reader.name)


def row_hashes(table: Any) -> Hashes:
    """A hash for each row of a table: the sum of those of its cells."""
    hashes = RowHashes(table.num_rows)
    for position in range(table.num_columns):
        hashes.add(table.column(position), position)
    (found,) = hashes.part().chunks
    return found


class TableAtHand(msgspec.Struct, frozen=True):
    """A version in memory, read as if it were not: the other one is larger."""

    name: str
    data: RetainedData
    fingerprint: str
    pmap: ParallelMap
    most_bytes: int
    listener: ProgressListener = ignore_progress

    @property
    def schema(self) -> Any:
        """Of the rows."""
        return self.data.table.schema

    @property
    def drawn(self) -> DrawnRows:
        """All of them, since they are at hand."""
        return DrawnRows(self.data.table, self.data.pairs, self.data.drawn)

    @property
    def rows(self) -> int:
        """How many there are."""
        return int(self.data.table.num_rows)

    def shuffled(self, _other: TableReader, _shuffle: Shuffle[T]) -> Iterator[T] | None:
        """The rows are with this process."""
        return None

    def map(self, work: Callable[[Any, int], T]) -> Iterator[T]:
        """What the work gives for some rows after the other."""
        table = self.data.table
        starts = np.arange(0, max(table.num_rows, 1), _AT_ONCE).tolist()
        yield from self.pmap(lambda start: work(table.slice(start, _AT_ONCE), start), starts)
