"""Rows that are equal to an earlier row, and where they stand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from threading import Lock
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes, add_hashes, salt_of
from nachsicht.columns.cell_text import rows_of_texts
from nachsicht.kernels.ranks import repeated
from nachsicht.model.column import ColumnSummary
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import DuplicateGroup, DuplicateRun, Duplicates
from nachsicht.sketches.distinct import ROWS_SIZE, KeySample

#: So many blocks of repeated rows are kept, the longest first; so many groups of equal rows,
#: the largest first, and so many row numbers of each.
MOST_BLOCKS, MOST_GROUPS, MOST_SHOWN = 5, 5, 6
#: Rows of a block of the strip at first; blocks double, so that there are never more than these.
_FIRST_BLOCK, MOST_PLACES = 16, 128
#: Fewer neighbouring rows than this may repeat others by chance.
SHORTEST_IMPORT = 5
#: So many rows at most are examined one by one.
_MOST_DOUBTFUL = 20_000


class DuplicateRowsPart(msgspec.Struct, frozen=True):
    """Hashes of rows, in chunks, in the order of the rows: 8 bytes a row."""

    chunks: tuple[Hashes, ...]

    def merge(self, other: DuplicateRowsPart) -> DuplicateRowsPart:
        """Put the part of later rows behind this one."""
        return DuplicateRowsPart(self.chunks + other.chunks)

    def finish(self) -> Duplicates:
        """Count repeated rows and find where they stand together."""
        hashes = np.concatenate(self.chunks) if self.chunks else np.empty(0, np.uint64)
        places, starts = repeated(hashes)
        later = np.ones(len(places), np.bool_)
        later[starts] = False
        sizes = np.diff(starts, append=len(places))
        again, first = places[later], np.repeat(places[starts], sizes - 1)
        groups = _groups(places, starts, sizes)
        # Where nearly all rows are repeated, each of these is as long as the table.
        del places, later
        in_order = np.argsort(again)
        again, first = again[in_order], first[in_order]
        del in_order
        size = _FIRST_BLOCK
        while len(hashes) / size > MOST_PLACES:
            size *= 2
        blocks = np.bincount(again // size, minlength=-(-len(hashes) // size))
        return Duplicates(
            duplicate_rows=len(again),
            distinct_rows=len(hashes) - len(again),
            runs=_blocks(again, first, hashes),
            groups=groups,
            block_rows=size,
            counts_by_block=tuple(blocks.tolist()) if len(again) else (),
            consecutive_rows=int(np.count_nonzero(hashes[1:] == hashes[:-1])),
        )


class CondensedDuplicates(msgspec.Struct, frozen=True):
    """A sample of the rows by their hashes, where not all of them fit."""

    keys: KeySample
    rows: int

    def merge(self, other: CondensedDuplicates) -> CondensedDuplicates:
        """Put two parts together."""
        return CondensedDuplicates(self.keys.merge(other.keys), self.rows + other.rows)

    def add(self, hashes: Hashes) -> CondensedDuplicates:
        """The sample with further rows."""
        return CondensedDuplicates(self.keys.add(hashes), self.rows + len(hashes))

    def finish(self) -> Duplicates:
        """The number of repeated rows, and two standard errors of it."""
        repeated = min(self.keys.repeated_rows, self.rows)
        seen = int((self.keys.counts - 1).sum())
        scale = self.keys.distinct / max(len(self.keys.hashes), 1)
        off = 0 if self.keys.exact else round(2 * math.sqrt(seen + 1) * scale)
        return Duplicates(
            duplicate_rows=repeated,
            distinct_rows=self.rows - repeated,
            runs=(),
            uncertainty=off,
        )


def condense_rows(
    part: DuplicateRowsPart, onto: CondensedDuplicates | None = None
) -> CondensedDuplicates:
    """The bounded form of a part, behind that of the rows before."""
    sample = onto or CondensedDuplicates(KeySample(size=ROWS_SIZE), 0)
    for chunk in part.chunks:
        sample = sample.add(chunk)
    return sample


class RowHashes:
    """Hashes of the rows of a batch, to which columns are added in any order, by any thread."""

    def __init__(self, rows: int) -> None:
        self._hashes: Hashes = np.zeros(rows, np.uint64)
        self._columns = 0
        self._lock = Lock()

    def add(self, column: Any, position: int) -> None:
        """Add one column, an Arrow array or chunked array."""
        chunks = column.chunks if isinstance(column, pa.ChunkedArray) else [column]
        start = 0
        for chunk in chunks:
            rows = self._hashes[start : start + len(chunk)]
            add_hashes(chunk, salt_of(position), rows, self._lock)
            start += len(chunk)
        with self._lock:
            self._columns += 1

    def part(self) -> DuplicateRowsPart:
        """The part of this batch. Rows of a table without columns do not repeat each other."""
        if not self._columns:
            return DuplicateRowsPart((np.arange(len(self._hashes), dtype=np.uint64),))
        return DuplicateRowsPart((self._hashes,))


class Look(msgspec.Struct, frozen=True):
    """Columns, by position, in which rows are examined for duplicates."""

    positions: tuple[int, ...]

    def hashes(self, batch: Any, whole: Hashes) -> DuplicateRowsPart:
        """The hashes of the rows of a batch in these columns.

        Parameters
        ----------
        batch : Arrow table or record batch
            With all columns.
        whole : array of uint64
            The hashes of its rows in all columns, which are sums of those of the columns.
        """
        others = [i for i in range(batch.num_columns) if i not in self.positions]
        fewer = others if len(others) < len(self.positions) else self.positions
        rows = RowHashes(batch.num_rows)
        for position in fewer:
            rows.add(batch.column(position), position)
        (found,) = rows.part().chunks
        return DuplicateRowsPart((whole - found if fewer is others else found,))


def further_subsets(columns: Sequence[ColumnSummary], chosen: Sequence[str]) -> list[Look]:
    """All columns but identifiers, where there are some, and the chosen ones."""
    subsets = []
    others = tuple(c.position for c in columns if c.kind is not Kind.IDENTIFIER)
    if 1 < len(others) < len(columns):
        subsets.append(Look(others))
    positions = tuple(c.position for c in columns if c.name in chosen)
    if positions:
        subsets.append(Look(positions))
    return subsets


def in_columns(
    duplicates: Duplicates, subset: Look, columns: Sequence[ColumnSummary]
) -> Duplicates:
    """Repeats with the names of the columns that were examined."""
    names = tuple(columns[position].name for position in subset.positions)
    return msgspec.structs.replace(duplicates, columns=names)


def with_cells(duplicates: Duplicates, table: Any, most_columns: int) -> Duplicates:
    """Repeats whose groups show their first row."""
    few = table.select(range(min(table.num_columns, most_columns)))
    rows = taken(few, np.array([group.row_numbers[0] - 1 for group in duplicates.groups], np.int64))
    cells = rows_of_texts(rows, len(duplicates.groups))
    groups = [
        msgspec.structs.replace(group, cells=own)
        for group, own in zip(duplicates.groups, cells, strict=True)
    ]
    return msgspec.structs.replace(duplicates, groups=tuple(groups))


def import_in(duplicates: Duplicates) -> DuplicateRun | None:
    """The longest block, if it is long and holds most of the repeated rows."""
    if not duplicates.runs:
        return None
    block = duplicates.runs[0]
    length = block.last_row - block.first_row + 1
    return block if length >= SHORTEST_IMPORT and length * 2 >= duplicates.duplicate_rows else None


def expected_duplicates(columns: Sequence[ColumnSummary], rows: int) -> float:
    """How many rows chance alone would repeat, if the columns had nothing to do with each other.

    Few columns of few levels repeat rows without any mistake.
    """
    return min(float(rows), rows * (rows - 1) / 2 * agreement_of(columns))


def agreement_of(columns: Sequence[ColumnSummary]) -> float:
    """How often two rows are equal, if the columns had nothing to do with each other."""
    return math.prod(column.collision_probability for column in columns)


def _groups(
    places: NDArray[np.int64], starts: NDArray[np.int64], sizes: NDArray[np.int64]
) -> tuple[DuplicateGroup, ...]:
    """The largest groups of equal rows, of equally large ones those that begin first."""
    largest = np.lexsort((places[starts], -sizes))[:MOST_GROUPS]
    return tuple(
        DuplicateGroup(
            int(sizes[i]),
            tuple((places[starts[i] : starts[i] + min(sizes[i], MOST_SHOWN)] + 1).tolist()),
            (),
        )
        for i in largest
    )


def _blocks(
    rows: NDArray[np.int64], originals: NDArray[np.int64], hashes: Hashes
) -> tuple[DuplicateRun, ...]:
    """Runs of neighbouring rows that repeat neighbouring rows, in the same order."""
    if not len(rows):
        return ()
    away = _distances_back(rows, rows - originals, hashes)
    breaks = np.flatnonzero((np.diff(rows) != 1) | (np.diff(away) != 0)) + 1
    starts = np.concatenate(([0], breaks))
    lengths = np.diff(starts, append=len(rows))
    longest = np.argsort(-lengths, kind="stable")[:MOST_BLOCKS]
    return tuple(
        _block(int(rows[starts[i]]), int(lengths[i]), int(away[starts[i]]), hashes)
        for i in longest
        if lengths[i] > 1
    )


def _block(first: int, length: int, away: int, hashes: Hashes) -> DuplicateRun:
    """A run from its first row on, or from an earlier one that repeats a row as far back."""
    last = first + length
    while first > away and hashes[first - 1] == hashes[first - 1 - away] and last - first < away:
        first -= 1
    return DuplicateRun(first + 1, last, first - away + 1)


def _distances_back(
    rows: NDArray[np.int64], away: NDArray[np.int64], hashes: Hashes
) -> NDArray[np.int64]:
    """How far back each row has its original: as far as the row before it, where that one is equal.

    Where a run duplicates rows of which some are equal themselves, the first of the equal ones lies
    elsewhere.
    """
    doubtful = np.flatnonzero((np.diff(rows) == 1) & (np.diff(away) != 0)) + 1
    if len(doubtful) > _MOST_DOUBTFUL:  # rows of which so many are equal are no import
        return away
    away = away.copy()
    for i in doubtful.tolist():
        # Of a run of doubtful rows each one follows the one before it.
        while i < len(rows) and rows[i] == rows[i - 1] + 1 and away[i] != away[i - 1]:
            if hashes[rows[i]] != hashes[rows[i] - away[i - 1]]:
                break
            away[i] = away[i - 1]
            i += 1  # noqa: PLW2901
    return away
