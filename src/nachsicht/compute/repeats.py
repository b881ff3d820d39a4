"""Rows that are equal to an earlier row, and where they stand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.hashing import Hashes, hash_values, salt_of
from nachsicht.compute.sketches.key_sample import ROWS_SIZE, KeySample
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import Block, Repeats

#: So many blocks of repeated rows are kept, the longest first.
MOST_BLOCKS = 5


@dataclass(frozen=True)
class RepeatsPart:
    """Hashes of rows, in chunks, in the order of the rows: 8 bytes a row."""

    chunks: tuple[Hashes, ...]

    def merge(self, other: RepeatsPart) -> RepeatsPart:
        """Put the part of later rows behind this one."""
        return RepeatsPart(self.chunks + other.chunks)

    def finish(self) -> Repeats:
        """Count repeated rows and find where they stand together."""
        hashes = np.concatenate(self.chunks) if self.chunks else np.empty(0, np.uint64)
        order = np.argsort(hashes, kind="stable")
        ranked = hashes[order]
        new = np.ones(len(ranked), bool)
        new[1:] = ranked[1:] != ranked[:-1]
        originals = order[np.flatnonzero(new)][np.cumsum(new) - 1]
        repeated, first = order[~new], originals[~new]
        in_order = np.argsort(repeated)
        return Repeats(
            repeated_rows=len(repeated),
            distinct_rows=len(hashes) - len(repeated),
            blocks=_blocks(repeated[in_order], first[in_order]),
        )


@dataclass(frozen=True)
class CondensedRepeats:
    """A sample of the rows by their hashes, where not all of them fit."""

    keys: KeySample
    rows: int

    def merge(self, other: CondensedRepeats) -> CondensedRepeats:
        """Put two parts together."""
        return CondensedRepeats(self.keys.merge(other.keys), self.rows + other.rows)

    def finish(self) -> Repeats:
        """The number of repeated rows, and two standard errors of it."""
        repeated = min(self.keys.repeated_rows, self.rows)
        seen = int((self.keys.counts - 1).sum())
        scale = self.keys.distinct / max(len(self.keys.hashes), 1)
        off = 0 if self.keys.exact else round(2 * math.sqrt(seen + 1) * scale)
        return Repeats(
            repeated_rows=repeated,
            distinct_rows=self.rows - repeated,
            blocks=(),
            uncertainty=off,
        )


def condense_rows(part: RepeatsPart) -> CondensedRepeats:
    """The bounded form of a part."""
    sample = CondensedRepeats(KeySample.of(np.empty(0, np.uint64), size=ROWS_SIZE), 0)
    for chunk in part.chunks:
        sample = sample.merge(CondensedRepeats(KeySample.of(chunk, size=ROWS_SIZE), len(chunk)))
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
            hashes = hash_values(chunk, salt_of(position))
            with self._lock:
                self._hashes[start : start + len(chunk)] += hashes
            start += len(chunk)
        with self._lock:
            self._columns += 1

    def part(self) -> RepeatsPart:
        """The part of this batch. Rows of a table without columns do not repeat each other."""
        if not self._columns:
            return RepeatsPart((np.arange(len(self._hashes), dtype=np.uint64),))
        return RepeatsPart((self._hashes,))


def expected_repeats(columns: Sequence[ColumnSummary], rows: int) -> float:
    """How many rows chance alone would repeat, if the columns had nothing to do with each other.

    Few columns of few levels repeat rows without any mistake.
    """
    agreement = math.prod(column.agreement for column in columns)
    return min(float(rows), rows * (rows - 1) / 2 * agreement)


def _blocks(rows: NDArray[np.int64], originals: NDArray[np.int64]) -> tuple[Block, ...]:
    """Runs of neighbouring repeated rows."""
    if not len(rows):
        return ()
    breaks = np.flatnonzero(np.diff(rows) != 1) + 1
    starts = np.concatenate(([0], breaks))
    lengths = np.diff(starts, append=len(rows))
    longest = np.argsort(-lengths, kind="stable")[:MOST_BLOCKS]
    return tuple(
        Block(
            int(rows[starts[i]]) + 1,
            int(rows[starts[i]] + lengths[i]),
            int(originals[starts[i]]) + 1,
        )
        for i in longest
        if lengths[i] > 1
    )
