"""The engine of one machine: a thread for each core; NumPy and Arrow release the lock."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor, as_completed
from functools import reduce
from typing import Any, TypeVar

from nachsicht.compute.columns import finish_column, observe_column
from nachsicht.compute.gaps import observe_gaps
from nachsicht.compute.repeats import RepeatsPart, observe_rows
from nachsicht.compute.tables import gap_pairs
from nachsicht.contracts import Progress, ProgressListener
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import GapsByLevel, Repeats
from nachsicht.settings import Settings

T = TypeVar("T")
Results = tuple[tuple[ColumnSummary, ...], Repeats, tuple[GapsByLevel, ...]]


def run_local(table: Any, settings: Settings, listener: ProgressListener) -> Results:
    """Compute all parts of a profile of an Arrow table in memory."""
    total = table.num_columns + 1
    with ThreadPoolExecutor(settings.threads or os.cpu_count() or 1) as pool:
        steps: list[Callable[[], object]] = [
            lambda position=position: _column(table, position, settings)  # type: ignore[misc]
            for position in range(table.num_columns)
        ]
        steps.append(lambda: _repeats(table))
        done = _run_all(pool, steps, total, listener)
        *columns, repeats = done
        summaries: tuple[ColumnSummary, ...] = tuple(columns)  # type: ignore[arg-type]
        gaps = tuple(pool.map(lambda pair: _gaps(table, summaries, *pair), gap_pairs(summaries)))
    assert isinstance(repeats, Repeats)
    return summaries, repeats, gaps


def _run_all(
    pool: ThreadPoolExecutor,
    steps: Iterable[Callable[[], object]],
    total: int,
    listener: ProgressListener,
) -> list[object]:
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


def _column(table: Any, position: int, settings: Settings) -> ColumnSummary:
    part = observe_column(table.column(position))
    return finish_column(part, table.schema.names[position], position, settings)


def _repeats(table: Any) -> Repeats:
    parts = (observe_rows(batch) for batch in table.to_batches())
    return reduce(RepeatsPart.merge, parts, RepeatsPart(())).finish()


def _gaps(table: Any, columns: tuple[ColumnSummary, ...], position: int, by: int) -> GapsByLevel:
    part = observe_gaps(table.column(position), table.column(by))
    return part.finish(columns[position].name, columns[by].name)
