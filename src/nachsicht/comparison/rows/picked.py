"""Some rows of a version, picked by their numbers when it is read again."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes
from nachsicht.arrow.spilled_table import TableWriter
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.table.reader import TableReader, read_again

_Numbers = NDArray[np.int64]
#: Bits of a table that are examined at once.
_BLOCK = 1 << 16


class PickRows(msgspec.Struct, frozen=True):
    """Picks rows by their numbers, which rise."""

    numbers: _Numbers

    def __call__(self, table: Any, first_row: int, hashes: Hashes) -> Any:
        """Those of the rows that are here."""
        start, end = np.searchsorted(self.numbers, (first_row, first_row + table.num_rows))
        return taken(table, self.numbers[start:end] - first_row)


def rows_at_hand(reader: TableReader, numbers: _Numbers, folder: str | None) -> RowsAtHand:
    """Rows of a version by their numbers, which rise: in memory, or else mapped from a file.

    Raises
    ------
    SpillError
        If that cannot be written.
    UnreadableSourceError
        If the version is not what it was.
    """
    rows = TableWriter(reader.schema, reader.most_bytes // 2, folder)
    for picked in read_again(reader, PickRows(numbers)):
        rows.add(picked)
    return RowsAtHand(rows.finish(), reader.rows, numbers)


def evenly_among(marked: NDArray[np.bool_], most: int) -> _Numbers:
    """At most so many of the places that are marked, from the first to the last."""
    if not len(marked):
        return np.empty(0, np.int64)
    counts = np.add.reduceat(marked, np.arange(0, len(marked), _BLOCK), dtype=np.int64)
    ends = np.cumsum(counts)
    total = int(ends[-1])
    ranks = np.linspace(0, total - 1, min(total, most)).astype(np.int64)
    found = []
    blocks = np.searchsorted(ends, ranks, "right")
    for block in np.unique(blocks).tolist():
        inside = np.flatnonzero(marked[block * _BLOCK : (block + 1) * _BLOCK])
        before = ends[block] - counts[block]
        found.append(block * _BLOCK + inside[ranks[blocks == block] - before])
    return np.concatenate(found) if found else np.empty(0, np.int64)
