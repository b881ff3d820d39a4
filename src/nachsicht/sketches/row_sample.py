"""Rows drawn evenly, whatever stands in them and however they were split.

Each row has a key that depends on its number alone: the output of SplitMix64 (Steele, Lea and
Flood 2014) for that number. Rows with the smallest keys are drawn. No two rows share a key, so
rows that are equal are drawn as often as their share of all rows says; a row keeps its key in any
batch, so that every split draws the same rows.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes, mix

#: Rows that are drawn.
SIZE = 10_000
#: The step of SplitMix64.
_STEP = np.uint64(0x9E3779B97F4A7C15)


class RowSample(msgspec.Struct, frozen=True):
    """Rows with the smallest keys, all of them while they are few; in the order of the data."""

    keys: Hashes
    rows: Any

    def merge(self, other: RowSample) -> RowSample:
        """Put the sample of later rows behind this one."""
        keys = np.concatenate((self.keys, other.keys))
        rows = pa.concat_tables([self.rows, other.rows], promote_options="permissive")
        return _drawn(rows, keys)

    @property
    def order(self) -> NDArray[np.int64]:
        """Places of the rows in the order of their drawing: the first m are drawn evenly too."""
        return np.argsort(self.keys)


def sample_rows(batch: Any, first_row: int) -> RowSample:
    """The sample of one batch; ``first_row`` is the number of its first row in all data, from 0."""
    table = batch if isinstance(batch, pa.Table) else pa.Table.from_batches([batch])
    return _drawn(table, row_keys(first_row, table.num_rows))


def sampled(table: Any, drawn: NDArray[np.int64]) -> RowSample:
    """The sample of a whole table, whose `drawn_rows` are known."""
    in_order = np.sort(drawn)
    rows = table if len(in_order) == table.num_rows else taken(table, in_order)
    return RowSample(_keys_of(in_order), rows)


def drawn_rows(rows: int) -> NDArray[np.int64]:
    """Numbers of the rows that are drawn of so many, from 0, in the order of their drawing."""
    return _smallest(row_keys(0, rows))


def row_keys(first_row: int, rows: int) -> Hashes:
    """The keys of ``rows`` rows from ``first_row`` on: uint64."""
    return _keys_of(np.arange(first_row, first_row + rows))


def _keys_of(numbers: NDArray[np.int64]) -> Hashes:
    return mix((numbers.astype(np.uint64) + np.uint64(1)) * _STEP)


def _drawn(table: Any, keys: Hashes) -> RowSample:
    if len(keys) <= SIZE:
        return RowSample(keys, table)
    chosen = np.sort(_smallest(keys))
    return RowSample(keys[chosen], taken(table, chosen))


def _smallest(keys: Hashes) -> NDArray[np.int64]:
    """Places of the smallest keys, in the order of these."""
    if len(keys) < 1 << 17:
        return np.argsort(keys)[:SIZE]
    near = np.flatnonzero(keys <= np.partition(keys, SIZE)[SIZE])
    return near[np.argsort(keys[near])][:SIZE]
