"""Rows of two versions matched by the hashes of their keys, partition by partition.

Rows of one key are in one partition, by the highest bits of its hash, so that two partitions are
matched by themselves, and no more than they take is in memory (the hash join of Kitsuregawa, Tanaka
and Moto-oka, New Generation Computing 1, 1983).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, closing
from typing import Any, NamedTuple, Protocol, TypeVar

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht._util.spill import Partitioned, Partitions
from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.by_key import COMPARED, KEYS
from nachsicht.comparison.rows.keys import hash_keys
from nachsicht.comparison.rows.match import match_hashes, rows_without_equal
from nachsicht.comparison.rows.where import evenly
from nachsicht.table.reader import Checked, Shuffle, TableReader, read_again

#: A row by the hash of its key, that of what is compared, and its number, from 0.
RECORD = np.dtype([("key", "<u8"), ("rest", "<u8"), ("row", "<i8")])
#: Sorting and matching a partition takes so many times what its records do.
_WORKING = 4
_MOST_BITS = 12
#: On a cluster there are so many partitions at least, so that all workers match.
_FEWEST_BITS = 3
_NOBODY, _NO_HASHES = np.empty(0, np.int64), np.empty(0, np.uint64)

T = TypeVar("T")
_Numbers = NDArray[np.int64]
#: Of the type that what made them names.
Records = NDArray[Any]


class HashedColumns(msgspec.Struct, frozen=True):
    """Columns of one version by position, the type that each is hashed in."""

    positions: tuple[int, ...]
    types: tuple[Any, ...]

    def one(self, i: int) -> HashedColumns:
        """One of them."""
        return HashedColumns(self.positions[i : i + 1], self.types[i : i + 1])

    def of(self, table: Any) -> Hashes:
        """A hash of these columns for each row of a table."""
        return hash_keys(table, self.positions, self.types)


class HashRows(msgspec.Struct, frozen=True):
    """Makes `RECORD`s of rows; where no columns are named, of the hashes of whole rows."""

    key: HashedColumns | None
    rest: HashedColumns | None

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of the records."""
        return RECORD

    def __call__(self, table: Any, first_row: int, hashes: Hashes) -> NDArray[Any]:
        """One record for each row."""
        records = np.empty(table.num_rows, RECORD)
        records["key"] = hashes if self.key is None else self.key.of(table)
        records["rest"] = hashes if self.rest is None else self.rest.of(table)
        records["row"] = np.arange(first_row, first_row + table.num_rows)
        return records


class LeftRows(NamedTuple):
    """Rows of one version that have no equal in the other: how many, numbers, hashes.

    ``equal_kept`` says of each whether the other has an equal one, only less often. Of too many
    rows there is but how many they are.
    """

    rows: int
    numbers: _Numbers
    hashes: Hashes
    equal_kept: NDArray[np.bool_]


def rows_left(
    readers: tuple[TableReader, TableReader],
    work: tuple[HashRows, HashRows],
    most: int,
    folder: str | None = None,
    pmap: ParallelMap = map,
) -> tuple[LeftRows, LeftRows]:
    """The rows of both versions that have no equal in the other, in their order.

    Parameters and errors are those of `match_partitions`, the keys the rows themselves. More than
    ``most`` rows of both together are only counted.
    """
    found: list[tuple[LeftRows, LeftRows]] = []
    rows = [0, 0]
    records = readers[0].rows, readers[1].rows
    for parts in by_partition(readers, work, records, _left, folder, pmap):
        rows = [n + part.rows for n, part in zip(rows, parts, strict=True)]
        if sum(rows) <= most:
            found.append(parts)
        else:
            found.clear()
    old, new = (_in_order([part[side] for part in found], rows[side]) for side in (0, 1))
    return old, new


def _left(_partition: int, old: Records, new: Records) -> tuple[LeftRows, LeftRows]:
    hashes = old["key"].copy(), new["key"].copy()
    of_old, of_new = (
        LeftRows(len(left.places), own["row"][left.places], keys[left.places], left.equal_kept)
        for own, keys, left in zip((old, new), hashes, rows_without_equal(hashes), strict=True)
    )
    return of_old, of_new


def _in_order(parts: Sequence[LeftRows], rows: int) -> LeftRows:
    numbers = np.concatenate([_NOBODY, *(part.numbers for part in parts)])
    order = np.argsort(numbers)
    return LeftRows(
        rows,
        numbers[order],
        np.concatenate([_NO_HASHES, *(part.hashes for part in parts)])[order],
        np.concatenate([np.empty(0, bool), *(part.equal_kept for part in parts)])[order],
    )


class MatchedNumbers(msgspec.Struct, frozen=True, kw_only=True):
    """Numbers, from 0, of the rows that are matched by a key, and of those that one version has.

    Attributes
    ----------
    old, new : array of int64
        Of the matched rows that differ, in the order of the newer version; of too many, of those
        whose keys have the lowest hashes.
    differing : (array of bool, array of bool)
        Of each row of both versions, whether it is matched and differs.
    in_both : array of bool
        Of each row of the newer version, whether it is matched.
    added : int
        Rows that the newer version alone has.
    first_added, removed : array of int64
        Of the first of these, and of all that the older version alone has.
    repeated : (int, int)
        Rows whose key stands in several.
    sampled : (array of int64, array of int64)
        A few of all matched rows in both versions: those whose keys have the lowest hashes.
    """

    old: _Numbers
    new: _Numbers
    differing: tuple[NDArray[np.bool_], NDArray[np.bool_]]
    in_both: NDArray[np.bool_]
    added: int
    first_added: _Numbers
    removed: _Numbers
    repeated: tuple[int, int]
    sampled: tuple[_Numbers, _Numbers]

    @property
    def matched(self) -> int:
        """All matched rows."""
        return int(np.count_nonzero(self.in_both))

    @property
    def complete(self) -> bool:
        """Whether all rows that differ are told by their numbers."""
        return len(self.new) == np.count_nonzero(self.differing[1])


class _Matched(NamedTuple):
    """The same of one partition; ``apart`` are all rows of the newer version without a match."""

    old: _Numbers
    new: _Numbers
    apart: _Numbers
    added: int
    first_added: _Numbers
    removed: _Numbers
    repeated: tuple[int, int]
    sampled: tuple[_Numbers, _Numbers]


def match_partitions(
    readers: tuple[TableReader, TableReader],
    work: tuple[HashRows, HashRows],
    most_pairs: int,
    folder: str | None = None,
    pmap: ParallelMap = map,
) -> MatchedNumbers:
    """Match the rows of two versions by the hashes of their keys.

    Parameters
    ----------
    readers : (TableReader, TableReader)
        The older and the newer version; each is read once.
    work : (HashRows, HashRows)
        What makes records of their rows.
    most_pairs : int
        About how many of the rows that differ are told by their numbers.
    folder : str, optional
        Where to keep what does not fit in memory.
    pmap : callable, optional
        Applies a function to all partitions, as `map` does.

    Raises
    ------
    SpillError
        If it cannot be kept there.
    UnreadableSourceError
        If a version is not what it was.
    """
    rows = [reader.rows for reader in readers]
    in_both = np.ones(rows[1], bool)
    found: list[_Matched] = []
    differing = np.zeros(rows[0], bool), np.zeros(rows[1], bool)
    kept, full = 0, False
    for matched in by_partition(readers, work, (rows[0], rows[1]), _match, folder, pmap):
        in_both[matched.apart] = False
        for marked, numbers in zip(differing, (matched.old, matched.new), strict=True):
            marked[numbers] = True
        kept += len(matched.old)
        full = full or (kept > most_pairs and kept > len(matched.old))
        few = matched._replace(apart=_NOBODY)
        found.append(few._replace(old=_NOBODY, new=_NOBODY) if full else few)
    return _together(found, differing, in_both)


def by_partition(
    readers: tuple[TableReader, TableReader],
    work: tuple[Hashing, Hashing],
    records: tuple[int, int],
    match: Callable[[int, Records, Records], T],
    folder: str | None,
    pmap: ParallelMap = map,
) -> Iterator[T]:
    """What comes of matching the records of both versions, partition by partition.

    There are as many partitions as it takes to match two of them in memory. Where one cluster holds
    both versions, its workers do that; else it is done here.

    Parameters
    ----------
    readers : (TableReader, TableReader)
        Each is read once.
    work : (Hashing, Hashing)
        What makes the records.
    records : (int, int)
        How many there will be.
    match : callable
        Takes the number of a partition and its records of both; it and what it gives can be
        pickled.
    folder : str, optional
        Where to keep what does not fit in memory.
    pmap : callable, optional
        Applies a function to all partitions, as `map` does.
    """
    most = min(reader.most_bytes for reader in readers)
    size = sum(each.dtype.itemsize * n for each, n in zip(work, records, strict=True))
    bits = _partition_bits(size, most)
    moved = readers[0].shuffled(readers[1], _shuffle(work, max(bits, _FEWEST_BITS), match))
    if moved is not None:
        yield from moved
        return
    with ExitStack() as stack:
        old, new = (
            stack.enter_context(closing(Partitions(each.dtype, 1 << bits, most // 2, folder)))
            for each in work
        )
        for side, reader, hashing in zip((old, new), readers, work, strict=True):
            for batch in read_again(reader, _Partitioning(hashing, bits)):
                side.add(batch)
        yield from pmap(lambda part: match(part, old.of(part), new.of(part)), range(1 << bits))


def _shuffle(
    work: tuple[Hashing, Hashing], bits: int, match: Callable[[int, Records, Records], T]
) -> Shuffle[T]:
    old, new = (Checked(_Partitioning(each, bits)) for each in work)
    return Shuffle((old, new), (work[0].dtype, work[1].dtype), 1 << bits, match)


class Hashing(Protocol):
    """Makes records of rows, which begin with the hash of a key."""

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of the records."""

    def __call__(self, table: Any, first_row: int, hashes: Hashes) -> NDArray[Any]:
        """The records of some rows, of which the number of the first and the hashes are given."""


class _Partitioning(msgspec.Struct, frozen=True):
    """Makes records and divides them, where the rows are."""

    hashing: Any
    bits: int

    def __call__(self, table: Any, first_row: int, hashes: Hashes) -> Partitioned:
        return _partitioned(self.hashing(table, first_row, hashes), self.bits)


def _partition_bits(record_bytes: int, most_bytes: int) -> int:
    """By how many bits of the hashes rows are divided, so that two partitions can be matched."""
    parts = -(-_WORKING * record_bytes // max(most_bytes, 1))
    return min(max(parts - 1, 0).bit_length(), _MOST_BITS)


def _partitioned(records: NDArray[Any], bits: int) -> Partitioned:
    """Records in partitions, by the highest bits of the hashes of their keys."""
    if not bits:
        return Partitioned(records, np.array([len(records)]))
    partition = (records["key"] >> np.uint64(64 - bits)).astype(np.uint16)
    return Partitioned.of(records, partition, 1 << bits)


def _match(partition: int, old: Records, new: Records) -> _Matched:
    """Match one partition."""
    matched = match_hashes((old["key"].copy(), new["key"].copy()), in_order=False)
    apart = np.ones(len(new), bool)
    apart[matched.new] = False
    differ = old["rest"][matched.old] != new["rest"][matched.new]
    added = new["row"][matched.added]
    few = evenly(np.arange(len(matched.old)), 0 if partition else COMPARED)
    return _Matched(
        old["row"][matched.old[differ]],
        new["row"][matched.new[differ]],
        new["row"][apart],
        len(added),
        np.sort(added)[:KEYS],
        old["row"][matched.removed],
        matched.repeated,
        (old["row"][matched.old[few]], new["row"][matched.new[few]]),
    )


def _together(
    found: Sequence[_Matched],
    differing: tuple[NDArray[np.bool_], NDArray[np.bool_]],
    in_both: NDArray[np.bool_],
) -> MatchedNumbers:
    old, new, added, removed = (
        np.concatenate([getattr(part, name) for part in found])
        for name in ("old", "new", "first_added", "removed")
    )
    order = np.argsort(new)
    return MatchedNumbers(
        old=old[order],
        new=new[order],
        differing=differing,
        in_both=in_both,
        added=sum(part.added for part in found),
        first_added=np.sort(added)[:KEYS],
        removed=np.sort(removed),
        repeated=(
            sum(part.repeated[0] for part in found),
            sum(part.repeated[1] for part in found),
        ),
        sampled=next((part.sampled for part in found if len(part.sampled[0])), (_NOBODY, _NOBODY)),
    )
