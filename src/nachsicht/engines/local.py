"""The engine of one machine: a thread for each core; NumPy and Arrow release the lock.

A table that fits is computed column by column, exactly. A larger source is read batch by
batch; every column's part is condensed once it outgrows its share of the memory.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import chain
from typing import Any, TypeVar

import pyarrow as pa

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import Progress, ProgressListener
from nachsicht.arrow.spilled_table import TableWriter
from nachsicht.config.settings import Settings
from nachsicht.engines.in_memory import InMemory
from nachsicht.engines.memory import check_fits, memory_of
from nachsicht.errors import UnreadableSourceError
from nachsicht.sources.protocol import Opened, Restart
from nachsicht.table.accumulate import (
    PLAN_ROWS,
    PieceWork,
    TablePart,
    TablePlan,
    bare_plan,
    examined,
    finish_table,
    observe_table,
    plan_table,
)
from nachsicht.table.prepare import prepared
from nachsicht.table.reader import RereadTable
from nachsicht.table.result import Computed, RetainedData

T = TypeVar("T")
#: Record batches with the bytes of the source that are read so far.
Batches = Iterator[tuple[Any, int]]

#: Batches are put together up to this part of the memory for results.
_GATHERED = 4
#: Batches that are worked on while the next is read.
_AT_ONCE = 3
#: Of the memory that may be used, so much is left to reading and to what is not kept.
_KEPT = 0.25


def run_local(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, RetainedData | None, StreamedTable | None]:
    """Compute all parts of a profile, in memory or streaming as its size asks for.

    Returns
    -------
    (what a profile is made of, the data where it fits into memory, else what reads it again)
    """
    with threads(settings.threads) as pool:
        if check_fits(opened, settings):
            table = prepared(opened.table(), settings)
        else:
            while True:
                try:
                    part, plan = _streamed(opened, settings, pool, listener)
                except Restart:
                    continue
                finished = finish_table(part, plan, now, pool.map)
                reader = StreamedTable(
                    name=opened.facts.name,
                    plan=plan,
                    finished=finished,
                    listener=listener,
                    opened=opened,
                )
                return finished.computed, None, reader
    own = InMemory(table, settings, now, listener, opened.description)
    return own.computed, own.at_hand, None


def _streamed(
    opened: Opened,
    settings: Settings,
    pool: ThreadPoolExecutor,
    listener: ProgressListener,
) -> tuple[TablePart, TablePlan]:
    """Batch by batch, within the memory given."""
    size = opened.facts.size_bytes or opened.memory_bytes
    part: TablePart | None = None
    first, batches = _first_rows(_ahead(opened.batches(), pool))
    if first is None:  # a source that has no batch at all
        batches = iter([(opened.table().slice(0, 0), size)])
        first, batches = _first_rows(batches)
    plan = plan_table(first, settings, int(memory_of(settings) * _KEPT), opened.description)
    del first
    for batch, done in _gathered(batches, plan.most_bytes // _GATHERED):
        observed = observe_table(batch, plan, part.rows if part else 0, pool.map)
        part = part.merge(observed, plan, pool.map) if part else observed
        listener(Progress("bytes", min(done, size), size))
    assert part
    return part, plan


def table_on_disk(opened: Opened, settings: Settings) -> Any:
    """All rows of a source that do not fit in memory, as they are examined, mapped from a file.

    Returns
    -------
    Arrow table; the system keeps in memory what is looked at, and the file goes with it.

    Raises
    ------
    SpillError
        If it cannot be written in the folder that the settings name.
    """
    with threads(settings.threads) as pool:
        while True:
            try:
                return _written(opened, settings, pool)
            except Restart:
                continue


def _written(opened: Opened, settings: Settings, pool: ThreadPoolExecutor) -> Any:
    first, batches = _first_rows(_ahead(opened.batches(), pool))
    schema = prepared(opened.table() if first is None else first, settings).schema
    plan = bare_plan(schema, settings)
    most = int(memory_of(settings) * _KEPT)
    rows = TableWriter(schema, most, settings.spill_folder)
    for batch, _ in batches:
        rows.add(_table(examined(batch, plan)))
    return rows.finish()


class StreamedTable(RereadTable, frozen=True, kw_only=True):
    """A source that was streamed, to be read again."""

    opened: Opened

    def map(self, work: Callable[[Any, int], T]) -> Iterator[T]:
        """What the work gives for each batch; a thread for each core."""
        own, first_row = PieceWork(self.plan, work), 0
        with threads(self.plan.settings.threads) as pool:
            waiting: deque[Future[T]] = deque()
            try:
                for batch, _ in _ahead(self.opened.batches(), pool):
                    waiting.append(pool.submit(own, batch, first_row))
                    first_row += batch.num_rows
                    if len(waiting) > _AT_ONCE:
                        yield waiting.popleft().result()
            except Restart as error:  # it was read to its end before
                raise UnreadableSourceError("changed_meanwhile", where=self.name) from error
            while waiting:
                yield waiting.popleft().result()


def _first_rows(batches: Batches) -> tuple[Any, Batches]:
    """So many rows as plans are made from, and all batches; None where there is no batch."""
    held, rows = [], 0
    for batch, done in batches:
        held.append((batch, done))
        rows += batch.num_rows
        if rows >= PLAN_ROWS:
            break
    first = pa.concat_tables(_table(batch) for batch, _ in held) if held else None
    return first, chain(_given_away(held), batches)


def _given_away(held: list[T]) -> Iterator[T]:
    """Each of them, no longer held here once it was taken."""
    held.reverse()
    while held:
        yield held.pop()


def _gathered(batches: Batches, most_bytes: int) -> Batches:
    """Small batches put together, up to so many bytes: each that is observed has to be merged."""
    held: list[Any] = []
    rows = size = 0
    for batch, done in batches:
        held.append(_table(batch))
        rows, size = rows + batch.num_rows, size + batch.nbytes
        if rows >= PLAN_ROWS * 2 or size >= most_bytes:
            yield pa.concat_tables(held), done
            held, rows, size = [], 0, 0
    if held:
        yield pa.concat_tables(held), done


def _table(batch: Any) -> Any:
    return batch if isinstance(batch, pa.Table) else pa.Table.from_batches([batch])


def _ahead(batches: Iterator[T], pool: ThreadPoolExecutor) -> Iterator[T]:
    """Read the next batch while the last is worked on."""
    end = object()
    take: Callable[[], T | object] = lambda: next(batches, end)  # noqa: E731
    coming = pool.submit(take)
    while (batch := coming.result()) is not end:
        coming = pool.submit(take)
        yield batch  # type: ignore[misc]
