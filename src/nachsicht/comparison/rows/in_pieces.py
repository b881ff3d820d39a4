"""Rows of two versions of which one at least is not in memory: added, removed, changed, the same.

Each version is read again: once to match its rows by their keys' hashes, and once more for those
that differ. What is told of them is what would be told if they all were at hand.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.comparison.rows.by_key import COMPARED, MatchedVersions, mostly_alike, rows_by_key
from nachsicht.comparison.rows.cell_counts import HashCells, count_cells, with_counts
from nachsicht.comparison.rows.keys import (
    TRIAL,
    KeyCandidate,
    Place,
    comparable_type,
    could_be_key,
    detect_keys,
    key_type,
    plain_type,
)
from nachsicht.comparison.rows.match import RowsAtHand, names_rows
from nachsicht.comparison.rows.partitions import (
    HashedColumns,
    HashRows,
    MatchedNumbers,
    match_partitions,
    rows_left,
)
from nachsicht.comparison.rows.picked import evenly_among, rows_at_hand
from nachsicht.comparison.rows.where import MOST_DRAWN
from nachsicht.comparison.rows.whole_rows import (
    UnmatchedRows,
    counted_rows,
    shared_columns,
    whole_rows,
)
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import RowChanges
from nachsicht.table.reader import TableReader

#: Memory that is taken for each row that differs: its numbers, its places, and what sorts them.
_BYTES_A_PAIR = 64

_Pairs = Sequence[tuple[ColumnSummary, ColumnSummary]]
_Numbers = NDArray[np.int64]


def compare_rows_in_pieces(
    readers: tuple[TableReader, TableReader],
    pairs: _Pairs,
    key: Sequence[Place],
    step: tuple[int | None, int],
    different: tuple[int, int],
    folder: str | None = None,
    pmap: ParallelMap = map,
    moved: Sequence[int] = (),
) -> RowChanges:
    """What became of the rows between two versions, as `compare_rows` tells it.

    Parameters
    ----------
    readers : (TableReader, TableReader)
        The older and the newer version.
    pairs, key, step, different, pmap, moved
        As there.
    folder : str, optional
        Where to keep what does not fit in memory.

    Raises
    ------
    SpillError
        If it cannot be kept there.
    UnreadableSourceError
        If a version is not what it was.
    """
    both = _Both(readers, (_head(readers[0]), _head(readers[1])), pairs, folder, pmap)
    if key:
        return both.told(both.matched(key), step, detected=False)
    for candidate in detect_keys(pairs, different):
        if could_be_key(both.heads, both.rows, candidate.places, different):
            by = both.matched(candidate.places)
            found = by.numbers
            named = names_rows(candidate, found.matched, found.repeated, both.rows, different)
            if named and both.alike(candidate, found.sampled):
                return both.told(by, step, detected=True)
    return both.whole(step, moved)


def _head(reader: TableReader) -> Any:
    """The first rows."""
    found, rows = [reader.schema.empty_table()], 0
    for table in reader.map(_Whole()):
        found.append(table)
        rows += table.num_rows
        if rows >= TRIAL:
            break
    return pa.concat_tables(found, promote_options="permissive")


class _Whole(msgspec.Struct, frozen=True):
    """All rows of a piece."""

    def __call__(self, table: Any, first_row: int) -> Any:
        return table.slice(0, TRIAL)


class _MatchedBy(NamedTuple):
    """Rows matched by a key, whose columns were hashed in some types in both versions."""

    key: Sequence[Place]
    columns: tuple[HashedColumns, HashedColumns]
    numbers: MatchedNumbers


class _Both(msgspec.Struct, frozen=True):
    """Two versions, their first rows, and the columns that both have."""

    readers: tuple[TableReader, TableReader]
    heads: tuple[Any, Any]
    pairs: _Pairs
    folder: str | None
    pmap: ParallelMap

    @property
    def rows(self) -> tuple[int, int]:
        """All rows of both."""
        return self.readers[0].rows, self.readers[1].rows

    def matched(self, key: Sequence[Place]) -> _MatchedBy:
        """The rows matched by a key."""
        types = [key_type(self.heads[0].column(a), self.heads[1].column(b)) for a, b in key]
        try:
            return self._matched(key, types)
        except pa.ArrowInvalid:  # the first texts of a key are whole numbers, a later one is not
            return self._matched(key, [pa.large_string()] * len(key))

    def _matched(self, key: Sequence[Place], types: Sequence[Any]) -> _MatchedBy:
        rest = None if self._alike_in_store() else self._compared(key)
        columns = [HashedColumns(tuple(places), tuple(types)) for places in zip(*key, strict=True)]
        old, new = (HashRows(columns[side], rest[side] if rest else None) for side in (0, 1))
        matched = match_partitions(
            self.readers, (old, new), self._most_pairs(), self.folder, self.pmap
        )
        return _MatchedBy(key, (columns[0], columns[1]), matched)

    def _most_pairs(self) -> int:
        """About how many rows may be at hand at a time."""
        most = min(reader.most_bytes for reader in self.readers)
        return max(most // _BYTES_A_PAIR, COMPARED)

    def _alike_in_store(self) -> bool:
        """Whether equal rows have equal hashes: these tell where a value stands, and how stored."""
        old, new = (reader.schema for reader in self.readers)
        return len(old) == len(new) == len(self.pairs) and all(
            a.position == b.position
            and plain_type(old[a.position].type) == plain_type(new[b.position].type)
            for a, b in self.pairs
        )

    def _compared(self, key: Sequence[Place]) -> tuple[HashedColumns, HashedColumns]:
        """The columns that are compared beside the key, of both versions."""
        old, new = (reader.schema for reader in self.readers)
        in_key = {place for _, place in key}
        found = [
            (a.position, b.position, comparable_type(old[a.position].type, new[b.position].type))
            for a, b in self.pairs
            if b.position not in in_key
        ]
        found = [entry for entry in found if entry[2] is not None]
        types = tuple(entry[2] for entry in found)
        old_at, new_at = (tuple(entry[side] for entry in found) for side in (0, 1))
        return HashedColumns(old_at, types), HashedColumns(new_at, types)

    def alike(self, candidate: KeyCandidate, sampled: tuple[_Numbers, _Numbers]) -> bool:
        """Whether rows of one key are the same, where it is not certain; a few of them tell."""
        if candidate.certain:
            return True
        sides = self._at_hand(sampled)
        places = sides[0].places_of(sampled[0]), sides[1].places_of(sampled[1])
        return mostly_alike((sides[0].table, sides[1].table), self.pairs, candidate, places)

    def _at_hand(self, numbers: tuple[_Numbers, _Numbers]) -> tuple[RowsAtHand, RowsAtHand]:
        old, new = (
            rows_at_hand(reader, np.unique(wanted), self.folder)
            for reader, wanted in zip(self.readers, numbers, strict=True)
        )
        return old, new

    def told(self, by: _MatchedBy, step: tuple[int | None, int], *, detected: bool) -> RowChanges:
        """What is told of matched rows."""
        matched = by.numbers
        drawn = evenly_among(matched.in_both, MOST_DRAWN)
        sides = self._at_hand(
            (
                np.concatenate((matched.old, matched.removed)),
                np.concatenate((matched.new, matched.first_added, drawn)),
            )
        )
        both = MatchedVersions(
            sides=sides,
            old=sides[0].places_of(matched.old),
            new=sides[1].places_of(matched.new),
            matched=matched.matched,
            drawn=sides[1].places_of(drawn),
            added=matched.added,
            removed=len(matched.removed),
            added_rows=sides[1].places_of(matched.first_added),
            removed_rows=sides[0].places_of(matched.removed),
            repeated=matched.repeated,
        )
        found = rows_by_key(both, self.pairs, by.key, step, detected, self.pmap)
        return found if matched.complete else self._counted(found, by)

    def whole(self, step: tuple[int | None, int], moved: Sequence[int]) -> RowChanges:
        """What is told of rows that no key names."""
        alike = self._alike_in_store()
        schemas = self.readers[0].schema, self.readers[1].schema
        shared = shared_columns(schemas, self.pairs, alike=alike)
        types = tuple(column.stored for column in shared)
        old, new = (
            HashRows(
                None
                if alike
                else HashedColumns(tuple(c.pair[side].position for c in shared), types),
                None,
            )
            for side in (0, 1)
        )
        left = rows_left(self.readers, (old, new), self._most_pairs(), self.folder, self.pmap)
        counts = left[0].rows, left[1].rows
        unchanged = self.rows[0] - counts[0]
        if sum(counts) > self._most_pairs():  # what was rewritten cannot be looked for
            return counted_rows(counts, unchanged, self.pairs, shared, step)
        in_both = np.ones(self.rows[1], bool)
        in_both[left[1].numbers] = False
        drawn = evenly_among(in_both, MOST_DRAWN)
        sides = self._at_hand((left[0].numbers, np.concatenate((left[1].numbers, drawn))))
        both = UnmatchedRows(
            sides=sides,
            left=(sides[0].places_of(left[0].numbers), sides[1].places_of(left[1].numbers)),
            hashes=(left[0].hashes, left[1].hashes),
            equal_kept=left[0].equal_kept,
            unchanged=unchanged,
            drawn=sides[1].places_of(drawn),
        )
        return whole_rows(both, self.pairs, shared, step, moved)

    def _counted(self, found: RowChanges, by: _MatchedBy) -> RowChanges:
        """What was told by a part of the rows that differ, with the counts of all of them."""
        cells = self._compared(by.key)
        old, new = (
            HashCells(by.columns[side], cells[side], by.numbers.differing[side]) for side in (0, 1)
        )
        names = {column.position: column.name for _, column in self.pairs}
        counts = count_cells(self.readers, (old, new), self.folder)
        return with_counts(found, counts, [names[place] for place in new.cells.positions])
