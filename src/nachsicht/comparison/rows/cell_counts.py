"""In how many cells matched rows differ, where these rows are too many to be at hand together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.match import match_hashes
from nachsicht.comparison.rows.partitions import HashedColumns, Records, by_partition
from nachsicht.model.comparison import CellChange, RowChanges
from nachsicht.table.reader import TableReader


class HashCells(msgspec.Struct, frozen=True):
    """Makes records of rows that differ: the hash of the key, and those of all other cells."""

    key: HashedColumns
    cells: HashedColumns
    differing: NDArray[np.bool_]

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of the records."""
        return np.dtype([("key", "<u8"), ("cells", "<u8", (len(self.cells.positions),))])

    def __call__(self, table: Any, first_row: int, hashes: Hashes) -> NDArray[Any]:
        """One record for each of the rows that differ."""
        rows = np.flatnonzero(self.differing[first_row : first_row + table.num_rows])
        records = np.empty(len(rows), self.dtype)
        few = taken(table, rows)
        records["key"] = self.key.of(few)
        for i in range(len(self.cells.positions)):
            records["cells"][:, i] = self.cells.one(i).of(few)
        return records


class CellCounts(NamedTuple):
    """Rows of which any cell differs, and by column those of which this one does."""

    rows: int
    by_column: NDArray[np.int64]


def count_cells(
    readers: tuple[TableReader, TableReader],
    work: tuple[HashCells, HashCells],
    folder: str | None = None,
) -> CellCounts:
    """Count the cells that differ in matched rows; each version is read once.

    Raises
    ------
    SpillError
        If what does not fit in memory cannot be kept in that folder.
    UnreadableSourceError
        If a version is not what it was.
    """
    rows, by_column = 0, np.zeros(len(work[0].cells.positions), np.int64)
    records = int(work[0].differing.sum()), int(work[1].differing.sum())
    for part in by_partition(readers, work, records, _differing, folder):
        by_column += part.by_column
        rows += part.rows
    return CellCounts(rows, by_column)


def _differing(_partition: int, old: Records, new: Records) -> CellCounts:
    """Count those of one partition."""
    matched = match_hashes((old["key"].copy(), new["key"].copy()), in_order=False)
    differ = old["cells"][matched.old] != new["cells"][matched.new]
    return CellCounts(int(differ.any(axis=1).sum()), differ.sum(axis=0))


def with_counts(changes: RowChanges, counts: CellCounts, names: Sequence[str]) -> RowChanges:
    """What was told by a part of the rows that differ, with the counts of all of them."""
    known = {cell.column: cell for cell in changes.changed_cells}
    by_name: Mapping[str, int] = dict(zip(names, counts.by_column.tolist(), strict=True))
    cells = [
        _of_all(known.get(name, CellChange(name, rows)), rows)
        for name, rows in by_name.items()
        if rows
    ]
    matched = changes.changed + changes.unchanged
    return msgspec.structs.replace(
        changes,
        changed=counts.rows,
        unchanged=matched - counts.rows,
        changed_cells=tuple(sorted(cells, key=lambda cell: -cell.rows)),
    )


def _of_all(cell: CellChange, rows: int) -> CellChange:
    rewrite = cell.rewrite
    if rewrite is not None:
        rewrite = msgspec.structs.replace(rewrite, rows=round(rewrite.share * rows))
    return msgspec.structs.replace(cell, rows=rows, rewrite=rewrite)
