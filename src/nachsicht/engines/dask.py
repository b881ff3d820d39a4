"""The engine of a Dask cluster: pieces are observed by its workers and merged there, as a tree.

What the user's own client, or else Dask's default scheduler, is given are small tasks; the data
stays with the workers, and one finished part comes back.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from itertools import accumulate
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import Progress, ProgressListener
from nachsicht.config.settings import Settings
from nachsicht.sources.cluster import DaskRows
from nachsicht.sources.protocol import Opened, Piece, runs_of
from nachsicht.table.accumulate import (
    CLUSTER_BYTES,
    FAN,
    PLAN_ROWS,
    PieceWork,
    TablePart,
    TablePlan,
    finish_table,
    merged_in_order,
    observe_table,
    plan_table,
)
from nachsicht.table.reader import RereadTable, Shuffle, TableReader, check_unchanged
from nachsicht.table.result import Computed

T = TypeVar("T")


def run_dask(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, DaskTable]:
    """Compute all parts of a profile from the pieces of a source or of a Dask dataframe.

    Returns
    -------
    (what a profile is made of, what reads the rows again)
    """
    from dask import compute, delayed

    pieces = None if opened.frame is not None else _pieces(opened)
    tables, rows = _tables(opened.frame, pieces)
    # The first pieces that together have enough rows to decide from.
    needed = next((i for i, n in enumerate(accumulate(rows), 1) if n >= PLAN_ROWS), len(rows))
    heads = compute(*(delayed(_head)(table) for table in tables[:needed]))
    first = pa.concat_tables(heads, promote_options="permissive")
    most = settings.memory_bytes or CLUSTER_BYTES
    plan = plan_table(first, settings, most, opened.description, sum(rows))
    shared, starts = delayed(plan), [0, *accumulate(rows)]
    if pieces is None:
        parts = [
            delayed(observe_table)(table, shared, start)
            for table, start in zip(tables, starts, strict=False)
        ]
    else:
        runs = runs_of(pieces, _at_once())
        firsts = accumulate((len(run) for run in runs), initial=0)
        parts = [
            delayed(_observed)(run, shared, starts[first])
            for run, first in zip(runs, firsts, strict=False)
        ]
    parts = _computed(_merged(parts, shared), listener)
    while len(parts) > 1:
        parts = _merged(parts, shared)
    (part,) = _results(parts)
    with threads(settings.threads) as pool:
        finished = finish_table(part, plan, now, pool.map)
    reader = DaskTable(
        name=opened.facts.name,
        plan=plan,
        finished=finished,
        listener=listener,
        pieces=tuple(zip(tables, starts, strict=False)),
    )
    return finished.computed, reader


class DaskTable(RereadTable, frozen=True, kw_only=True):
    """Pieces with Dask's workers, to be read again: tables, with their first rows' numbers."""

    pieces: tuple[tuple[Any, int], ...]

    def map(self, work: Callable[[Any, int], T]) -> Iterator[T]:
        """What the work gives for each piece, computed by the workers, some pieces at a time."""
        from dask import compute, delayed

        shared = delayed(PieceWork(self.plan, work))
        for i in range(0, len(self.pieces), FAN):
            yield from compute(*(shared(table, row) for table, row in self.pieces[i : i + FAN]))

    def shuffled(self, other: TableReader, shuffle: Shuffle[T]) -> Iterator[T] | None:
        """Each piece is divided by a task, and each partition is matched by one."""
        return self._shuffled(other, shuffle) if isinstance(other, DaskTable) else None

    def _shuffled(self, other: DaskTable, shuffle: Shuffle[T]) -> Iterator[T]:
        from dask import delayed

        divided = [
            [delayed(_divided)(shared, table, row) for table, row in reader.pieces]
            for reader, shared in (
                (reader, delayed(PieceWork(reader.plan, work)))
                for reader, work in zip((self, other), shuffle.works, strict=True)
            )
        ]
        shared = delayed(shuffle)
        matched = [
            delayed(_matched)(shared, i, *([piece[i + 1] for piece in side] for side in divided))
            for i in range(shuffle.partitions)
        ]
        checks = [[piece[0] for piece in side] for side in divided]
        parts = _computed([*matched, *(delayed(list)(side) for side in checks)], self.listener)
        *found, old, new = _results(parts)
        for reader, pieces in zip((self, other), (old, new), strict=True):
            check_unchanged(reader, sum(n for n, _ in pieces), sum(h for _, h in pieces))
        yield from found


def _pieces(opened: Opened) -> Sequence[Piece]:
    return (opened.pieces() if opened.pieces else None) or [Piece(opened.table)]


def _tables(frame: DaskRows | None, pieces: Sequence[Piece] | None) -> tuple[list[Any], list[int]]:
    """Delayed Arrow tables, and how many rows each has."""
    from dask import compute, delayed

    if frame is not None:
        return frame.tables, [int(n) for n in frame.lengths.compute()]
    assert pieces is not None
    counted = compute(*(p.rows if p.rows is not None else delayed(_count)(p) for p in pieces))
    return [delayed(_read)(piece) for piece in pieces], list(counted)


def _at_once() -> int:
    """How many tasks can run at a time."""
    try:
        from distributed import get_client

        return sum(get_client().nthreads().values())
    except (ImportError, ValueError):
        return os.cpu_count() or 1


def _observed(pieces: Sequence[Piece], plan: TablePlan, first_row: int) -> TablePart:
    """What is known of some pieces, one read after the other."""
    part: TablePart | None = None
    for piece in pieces:
        table = piece.read()
        observed = observe_table(table, plan, first_row)
        first_row += table.num_rows
        part = part.merge(observed, plan) if part else observed
    assert part
    return part


def _read(piece: Piece) -> Any:
    return piece.read()


def _count(piece: Piece) -> int:
    return int(piece.read().num_rows)


def _head(table: Any) -> Any:
    return table.slice(0, PLAN_ROWS)


def _divided(work: PieceWork, table: Any, first_row: int) -> list[Any]:
    """How many rows and what sum of hashes a piece has, then its records by partition."""
    (records, counts), rows, hash_sum = work(table, first_row)
    return [(rows, hash_sum), *np.split(records, np.cumsum(counts)[:-1])]


def _matched(shuffle: Shuffle[T], partition: int, old: list[Any], new: list[Any]) -> T:
    """What comes of one partition, whose records are given piece by piece."""
    sides = [
        np.concatenate([np.empty(0, dtype), *pieces])
        for dtype, pieces in zip(shuffle.dtypes, (old, new), strict=True)
    ]
    return shuffle.match(partition, *sides)


def _merged(parts: Sequence[Any], plan: TablePlan) -> list[Any]:
    """One level of the merge tree: neighbours are merged by one task."""
    from dask import delayed

    return [delayed(merged_in_order)(parts[i : i + FAN], plan) for i in range(0, len(parts), FAN)]


def _results(parts: Sequence[Any]) -> Sequence[Any]:
    """The parts themselves: computed now, or from the workers."""
    from dask import compute
    from dask.delayed import Delayed

    if all(isinstance(part, Delayed) for part in parts):
        found: Sequence[Any] = compute(*parts)
        return found
    return [part.result() for part in parts]


def _computed(parts: Sequence[Any], listener: ProgressListener) -> list[Any]:
    """The parts as they are with the workers, each reported as it arrives; or as they were."""
    try:
        from distributed import as_completed, get_client

        client = get_client()
    except (ImportError, ValueError):  # no cluster: all is computed at once, later
        return list(parts)
    futures: list[Any] = client.compute(list(parts))
    for done, future in enumerate(as_completed(futures), 1):
        if future.status == "error":
            future.result()  # raises what the worker raised
        listener(Progress("parts", done, len(futures)))
    return futures
