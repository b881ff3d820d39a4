"""The engine of one machine: a thread for each core; NumPy and Arrow release the lock."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor, as_completed
from typing import Any, TypeVar

from nachsicht.compute.columns import encode, finish_column, observe_column
from nachsicht.compute.gaps import observe_gaps
from nachsicht.compute.repeats import RowHashes
from nachsicht.compute.tables import gap_pairs
from nachsicht.contracts import Progress, ProgressListener
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import GapsByLevel, Repeats
from nachsicht.settings import Settings

T = TypeVar("T")
Results = tuple[tuple[ColumnSummary, ...], Repeats, tuple[GapsByLevel, ...]]


def run_local(
    table: Any, settings: Settings, listener: ProgressListener, now: int | None = None
) -> Results:
    """Compute all parts of a profile of an Arrow table in memory."""
    total = table.num_columns
    hashes = RowHashes(table.num_rows)
    with ThreadPoolExecutor(settings.threads or os.cpu_count() or 1) as pool:
        steps: list[Callable[[], ColumnSummary]] = [
            lambda position=position: _column(table, position, hashes, settings, now)  # type: ignore[misc]
            for position in range(table.num_columns)
        ]
        summaries: tuple[ColumnSummary, ...] = tuple(_run_all(pool, steps, total, listener))
        repeats = pool.submit(hashes.part().finish)
        gaps = tuple(pool.map(lambda pair: _gaps(table, summaries, *pair), gap_pairs(summaries)))
        return summaries, repeats.result(), gaps


def _run_all(
    pool: ThreadPoolExecutor,
    steps: Iterable[Callable[[], T]],
    total: int,
    listener: ProgressListener,
) -> list[T]:
    futures = [pool.submit(step) for step in steps]
    try:
        for done, future in enumerate(as_completed(futures), start=1):
            future.result()
            listener(Progress("columns", done, total))
    except BaseException:
        for future in futures:
            future.cancel()
        raise
    return [future.result() for future in futures]


def _column(
    table: Any, position: int, hashes: RowHashes, settings: Settings, now: int | None
) -> ColumnSummary:
    """One step serves the column and the rows, so that texts are encoded once."""
    array = table.column(position)
    encoded = encode(array)
    part = observe_column(array, encoded)
    hashes.add(encoded, position)
    return finish_column(part, table.schema.names[position], position, settings, now)


def _gaps(table: Any, columns: tuple[ColumnSummary, ...], position: int, by: int) -> GapsByLevel:
    part = observe_gaps(table.column(position), table.column(by))
    return part.finish(columns[position].name, columns[by].name)
