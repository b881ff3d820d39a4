"""The engine of one machine: a thread for each core; NumPy and Arrow release the lock.

A table that fits is computed column by column, exactly. A larger source is read batch by
batch; every column's part is condensed once it outgrows its share of the memory.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa

from nachsicht.compute.as_numbers import as_numbers
from nachsicht.compute.at_hand import AtHand
from nachsicht.compute.by_level import spreads_by_level
from nachsicht.compute.clean import prepared
from nachsicht.compute.columns import (
    ColumnPart,
    finish_column,
)
from nachsicht.compute.computed import Computed
from nachsicht.compute.excerpts import EndsPart, observe_ends
from nachsicht.compute.fingerprints import fingerprint, rows_told
from nachsicht.compute.gap_patterns import GapPatternsPart, observe_patterns
from nachsicht.compute.gaps import GapsPart, observe_gaps
from nachsicht.compute.levels_in import SplitBy, columns_to_split_by
from nachsicht.compute.outcomes import outcome_of
from nachsicht.compute.over_time import over_time
from nachsicht.compute.relations.comoments import CoMoments, observe_comoments
from nachsicht.compute.relations.components import components_of
from nachsicht.compute.relations.pair_views import views_of
from nachsicht.compute.relations.row_sample import RowSample, drawn_places, sample_rows
from nachsicht.compute.relations.strengths import Found, Pearson, by_names, relations_of
from nachsicht.compute.repeats import (
    CondensedRepeats,
    Look,
    RepeatsPart,
    RowHashes,
    condense_rows,
    further_looks,
    in_columns,
)
from nachsicht.contracts import Opened, Progress, ProgressListener, Restart
from nachsicht.engines.in_memory import InMemory, observe_with_rows
from nachsicht.engines.threads import preload, threads
from nachsicht.model.column import ColumnSummary
from nachsicht.settings import Settings

T = TypeVar("T")

#: Of the memory that may be used, so much is left to reading and to what is not kept.
_KEPT = 0.25
_UNTOLD_MEMORY = 2 << 30


def run_local(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, AtHand | None]:
    """Compute all parts of a profile, in memory or streaming as its size asks for.

    Returns
    -------
    (what a profile is made of, the data where it fits into memory)
    """
    with threads(settings) as pool:
        pool.submit(preload)  # reading does not wait for it
        if fits(opened, settings):
            table = prepared(opened.table(), settings)
        else:
            while True:
                try:
                    return _Stream(opened, settings, now, pool).run(listener), None
                except Restart:
                    continue
    own = InMemory(table, settings, now, listener)
    return own.computed, own.at_hand


def fits(opened: Opened, settings: Settings) -> bool:
    """Whether the data is computed in memory, exactly."""
    return opened.memory_bytes <= memory_of(settings)


def memory_of(settings: Settings) -> int:
    """Bytes that may be used: the setting, or a quarter of the machine's memory."""
    if settings.memory_bytes:
        return settings.memory_bytes
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 4
    except (AttributeError, ValueError, OSError):  # where the system does not tell
        return _UNTOLD_MEMORY


class _Stream:
    """Parts that grow batch by batch, within the memory given."""

    def __init__(
        self, opened: Opened, settings: Settings, now: int | None, pool: ThreadPoolExecutor
    ) -> None:
        self._opened, self._settings, self._now, self._pool = opened, settings, now, pool
        self._columns: list[ColumnPart] = []
        self._names: list[str] = []
        self._repeats: RepeatsPart | CondensedRepeats = RepeatsPart(())
        # Which columns are identifiers is judged by the first batch.
        self._looks: list[Look] = []
        self._further: list[RepeatsPart | CondensedRepeats] = []
        self._gaps = GapsPart()
        self._patterns = GapPatternsPart()
        self._ends = EndsPart(pa.table({}), pa.table({}), 0)
        self._sample: RowSample | None = None
        self._split_by: tuple[SplitBy, ...] = ()
        self._numbers: list[int] = []
        self._comoments: CoMoments | None = None
        self._rows = 0
        self._told = 0

    def run(self, listener: ProgressListener) -> Computed:
        """Read to the end and finish."""
        size = self._opened.facts.size_bytes or self._opened.memory_bytes
        for batch, done in _ahead(self._opened.batches(), self._pool):
            self._add(prepared(batch, self._settings))
            listener(Progress("bytes", min(done, size), size))
        finished = self._pool.map(self._finish, range(len(self._columns)))
        summaries = tuple(finished)
        found = self._relations(summaries)
        return Computed(
            self._rows,
            fingerprint(self._names, self._rows, self._told),
            summaries,
            self._repeats.finish(),
            tuple(
                in_columns(part.finish(), look, summaries)
                for part, look in zip(self._further, self._looks, strict=True)
            ),
            self._patterns.finish(self._names),
            self._gaps.finish(summaries),
            spreads_by_level(summaries, self._sample),
            found.relations,
            views_of(found.relations, found.drawn, self._settings.outcome),
            components_of(found.drawn),
            over_time(summaries, found.drawn, found.relations.pairs, self._settings.moment),
            outcome_of(summaries, self._sample, self._settings.outcome),
            self._ends.finish(self._sample, summaries),
        )

    def _relations(self, summaries: tuple[ColumnSummary, ...]) -> Found:
        rows = self._sample.rows if self._sample else pa.table({})
        drawn = drawn_places(self._sample.hashes if self._sample else np.empty(0, np.uint64))
        pearson: Pearson = {}
        if self._comoments:
            names = [self._names[i] for i in self._numbers]
            pearson = by_names(names, self._comoments.correlations())
        return relations_of(summaries, rows, drawn, self._rows, pearson)

    def _add(self, batch: Any) -> None:
        hashes = RowHashes(batch.num_rows)
        parts = list(
            self._pool.map(
                lambda position: observe_with_rows(batch.column(position), position, hashes)[0],
                range(batch.num_columns),
            )
        )
        if not self._columns:
            self._names = batch.schema.names
            self._columns = parts
            summaries = [*map(self._finish, range(len(parts)))]
            self._split_by = columns_to_split_by(summaries)
            self._looks = further_looks(summaries, self._settings.repeats_in)
            self._further = [RepeatsPart(()) for _ in self._looks]
        else:
            self._columns = list(self._pool.map(self._merged, self._columns, parts))
        rows = hashes.part()
        self._told += rows_told(rows.chunks[0])
        sample = sample_rows(batch, rows.chunks[0])
        self._sample = self._sample.merge(sample) if self._sample else sample
        self._repeats = self._with_rows(self._repeats, rows)
        self._further = [
            self._with_rows(before, look.hashes(batch, rows.chunks[0]))
            for before, look in zip(self._further, self._looks, strict=True)
        ]
        self._add_comoments(batch)
        self._gaps = self._gaps.merge(observe_gaps(batch, self._split_by))
        self._patterns = self._patterns.merge(observe_patterns(batch, self._rows))
        ends = observe_ends(batch)
        self._ends = self._ends.merge(ends) if self._rows else ends
        self._rows += batch.num_rows

    def _add_comoments(self, batch: Any) -> None:
        if self._comoments is None:
            columns = [as_numbers(batch.column(i).slice(0, 0)) for i in range(batch.num_columns)]
            self._numbers = [i for i, column in enumerate(columns) if column is not None]
        part = observe_comoments([batch.column(i) for i in self._numbers])
        self._comoments = self._comoments.merge(part) if self._comoments else part

    def _share(self) -> int:
        return int(memory_of(self._settings) * _KEPT / (len(self._columns) + 1))

    def _merged(self, before: ColumnPart, part: ColumnPart) -> ColumnPart:
        return before.merge(part).within(self._share())

    def _with_rows(
        self, before: RepeatsPart | CondensedRepeats, part: RepeatsPart
    ) -> RepeatsPart | CondensedRepeats:
        if isinstance(before, CondensedRepeats):
            return before.merge(condense_rows(part))
        merged = before.merge(part)
        kept = sum(chunk.nbytes for chunk in merged.chunks)
        return condense_rows(merged) if kept > self._share() else merged

    def _finish(self, position: int) -> ColumnSummary:
        part, name = self._columns[position], self._names[position]
        return finish_column(part, name, position, self._settings, self._now)


def _ahead(batches: Iterator[T], pool: ThreadPoolExecutor) -> Iterator[T]:
    """Read the next batch while the last is worked on."""
    end = object()
    take: Callable[[], T | object] = lambda: next(batches, end)  # noqa: E731
    coming = pool.submit(take)
    while (batch := coming.result()) is not end:
        coming = pool.submit(take)
        yield batch  # type: ignore[misc]
