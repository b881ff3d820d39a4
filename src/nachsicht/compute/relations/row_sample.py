"""A sample of rows that does not depend on how the rows were split: those of smallest hashes."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.compute.arrays import taken
from nachsicht.compute.hashing import Hashes

#: Rows that are kept.
SIZE = 10_000


class RowSample(msgspec.Struct, frozen=True):
    """Rows with the smallest hashes, all of them while they are few; in the order of the data."""

    hashes: Hashes
    rows: Any

    def merge(self, other: RowSample) -> RowSample:
        """Put the sample of later rows behind this one."""
        hashes = np.concatenate((self.hashes, other.hashes))
        rows = pa.concat_tables([self.rows, other.rows], promote_options="permissive")
        return sample_rows(rows, hashes)


def sample_rows(batch: Any, hashes: Hashes, drawn: NDArray[np.int64] | None = None) -> RowSample:
    """The sample of one batch, by the hashes of its rows, whose `drawn_places` may be known."""
    table = batch if isinstance(batch, pa.Table) else pa.Table.from_batches([batch])
    if len(hashes) <= SIZE:
        return RowSample(hashes, table)
    chosen = np.sort(drawn_places(hashes) if drawn is None else drawn)
    return RowSample(hashes[chosen], taken(table, chosen))


def drawn_places(hashes: Hashes) -> NDArray[np.int64]:
    """Places of the rows with the smallest hashes, in the order of these: evenly drawn rows."""
    # Rows of equal hashes are equal; the earlier ones are taken.
    if len(hashes) < 1 << 17:
        return np.argsort(hashes, kind="stable")[:SIZE]
    limit = np.partition(hashes, SIZE)[SIZE]
    near = np.flatnonzero(hashes <= limit)
    return near[np.argsort(hashes[near], kind="stable")][:SIZE]
