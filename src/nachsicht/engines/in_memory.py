"""A table in memory: every part is computed when it is first asked for, and kept."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from functools import cached_property
from typing import Any, NamedTuple, TypeVar

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.blas_threads import beside, threads
from nachsicht._util.parallel import ParallelMap
from nachsicht._util.progress import Progress, ProgressListener
from nachsicht.arrow.buffers import missing_in
from nachsicht.arrow.dictionary import stored_type
from nachsicht.associations.all_pairs import Found, relations_of
from nachsicht.associations.pca import components_of
from nachsicht.columns.accumulate import ColumnPart, encode, observe_column, read_column
from nachsicht.columns.levels import columns_to_split_by
from nachsicht.config.settings import Settings
from nachsicht.model.column import CategorySummary, ColumnSummary
from nachsicht.model.dataset_schema import Description
from nachsicht.model.missing import MissingPatterns
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, OverTime, PairView
from nachsicht.model.profile import Duplicates, Relations, SampledRows
from nachsicht.sketches.row_sample import RowSample, drawn_rows, sampled
from nachsicht.table.accumulate import observe_with_rows
from nachsicht.table.duplicates import (
    DuplicateRowsPart,
    Look,
    RowHashes,
    further_subsets,
    in_columns,
    with_cells,
)
from nachsicht.table.fingerprint import fingerprint, row_hash_sum
from nachsicht.table.group_stats import stats_by_level
from nachsicht.table.missing.by_level import observe_missing_by_level
from nachsicht.table.missing.matrix import missing_matrix_of
from nachsicht.table.missing.patterns import observe_patterns
from nachsicht.table.outcome import outcome_of
from nachsicht.table.pair_plots import views_of
from nachsicht.table.preview import MOST_COLUMNS, observe_ends
from nachsicht.table.result import EXACT_ROWS, Computed, RetainedData
from nachsicht.table.sampled_rows import sampled_rows_of
from nachsicht.table.time_series import over_time
from nachsicht.table.validate import observe_breaches

T = TypeVar("T")

#: In columns of fewer bytes nearly all work holds the interpreter, which threads would hand to and
#: fro.
_BYTES_FOR_THREADS = 1 << 17


class _Columns(NamedTuple):
    """All columns: their summaries, sorted numbers by place where these are not too many to be
    compared with others, and the table as it was encoded.
    """

    summaries: tuple[ColumnSummary, ...]
    numbers: dict[int, NDArray[Any]]
    encoded: Any


class InMemory:
    """The parts of a profile of a table.

    Parameters
    ----------
    table : Arrow table
        Prepared, in memory.
    now : int, optional
        Microseconds since 1970, for what lies in the future.
    listener : callable
        Told of the columns while all of them are computed.
    description : Description, optional
        That came with the data.
    """

    def __init__(
        self,
        table: Any,
        settings: Settings,
        now: int | None,
        listener: ProgressListener,
        description: Description | None = None,
    ) -> None:
        self.table, self._description = table, description
        self._settings, self._now, self._listener = settings, now, listener
        self._hashes = RowHashes(table.num_rows)
        self._single: dict[int, ColumnSummary] = {}
        #: What was computed of all columns, and of all pairs; None before.
        self._read_columns: _Columns | None = None
        self._related: Found | None = None
        self._hashed: DuplicateRowsPart | None = None

    @property
    def rows(self) -> int:
        """How many there are."""
        n: int = self.table.num_rows
        return n

    @cached_property
    def names(self) -> Sequence[str]:
        """Of the columns."""
        names: Sequence[str] = self.table.schema.names
        return names

    def column(self, position: int) -> ColumnSummary:
        """One column; no other is examined."""
        if self._read_columns is not None:
            return self._read_columns.summaries[position]
        if position not in self._single:
            array = self.table.column(position)
            stored = stored_type(self.table.schema.field(position))
            part = observe_column(array, encode(array), stored)
            name = self.names[position]
            summary, _ = self._read(part, name, position)
            self._single[position] = summary
        return self._single[position]

    @property
    def columns(self) -> tuple[ColumnSummary, ...]:
        """All columns."""
        return self._columns.summaries

    @cached_property
    def missing(self) -> dict[str, int]:
        """Rows without a value, by column."""
        counted = (int(missing_in(column).sum()) for column in self.table.columns)
        return dict(zip(self.names, counted, strict=True))

    @cached_property
    def missing_patterns(self) -> MissingPatterns:
        """Which columns go missing together, and where."""
        return observe_patterns(self.table, among=self._with_missing).finish(self.names)

    @property
    def _with_missing(self) -> list[int] | None:
        """Places of the columns that have missing values; None as long as that is not known."""
        if self._read_columns is None:
            return None
        return [column.position for column in self._read_columns.summaries if column.missing]

    @cached_property
    def duplicates(self) -> Duplicates:
        """Rows that equal an earlier one."""
        return with_cells(self._rows.finish(), self.table, MOST_COLUMNS)

    @cached_property
    def duplicates_by_subset(self) -> tuple[Duplicates, ...]:
        """Duplicates in all columns but identifiers, and in those that the settings name."""
        subsets = further_subsets(self.columns, self._settings.duplicates_in)
        with threads(self._settings.threads) as pool:
            return tuple(pool.map(self._duplicates_in, subsets))

    @property
    def found(self) -> Found:
        """Relations of all pairs, and the columns in drawn rows."""
        if self._related is None:
            with threads(self._settings.threads) as pool:
                self._related = self._relations(pool)
        return self._related

    @property
    def relations(self) -> Relations:
        """Relations between columns."""
        return self.found.relations

    @cached_property
    def pairs(self) -> tuple[PairView, ...]:
        """The pairs that are drawn."""
        with threads(self._settings.threads) as pool:
            return self._pairs(pool.map)

    @cached_property
    def components(self) -> Components | None:
        """Principal components."""
        return components_of(self.found.drawn)

    @cached_property
    def over_time(self) -> OverTime | None:
        """Every column over the datetime column."""
        found, moment = self.found, self._settings.time_column
        return over_time(self.columns, found.drawn, found.relations.pairs, moment)

    @cached_property
    def outcome(self) -> Outcome | None:
        """Every column against the outcome."""
        return outcome_of(self.columns, self._sample, self._settings.outcome)

    @cached_property
    def computed(self) -> Computed:
        """Everything, each thread busy with another part."""
        columns = self._columns
        hashes = self._rows.chunks[0]
        subsets = further_subsets(self.columns, self._settings.duplicates_in)
        split_by = columns_to_split_by(self.columns)
        with threads(self._settings.threads) as pool, beside(self._settings.threads, pool) as aside:
            # What needs no relations fills the pauses in which these wait for each other.
            further = [aside.submit(self._duplicates_in, subset) for subset in subsets]
            duplicates = aside.submit(lambda: self.duplicates)
            by_level = aside.submit(
                observe_missing_by_level, columns.encoded, split_by, self._with_missing
            )
            gaps = aside.submit(lambda: self.missing_patterns)
            breaches = aside.submit(observe_breaches, self.table, self._description)
            spreads = aside.submit(lambda: stats_by_level(self.columns, self._sample))
            excerpt = aside.submit(
                lambda: observe_ends(self.table).finish(self._sample, self.columns)
            )
            # In this thread, which may wait for the others.
            if self._related is None:
                self._related = self._relations(pool)
            pairs = self._pairs(pool.map)
            return Computed(
                rows=self.table.num_rows,
                fingerprint=fingerprint(self.names, self.table.num_rows, row_hash_sum(hashes)),
                columns=self.columns,
                duplicates=duplicates.result(),
                duplicates_by_subset=tuple(subset.result() for subset in further),
                missing_patterns=gaps.result(),
                missing_by_level=by_level.result().finish(self.columns),
                group_stats=spreads.result(),
                relations=self.relations,
                pairs=pairs,
                components=self.components,
                over_time=self.over_time,
                outcome=self.outcome,
                excerpt=excerpt.result(),
                sampled_rows=self._sampled_rows(),
                missing_matrix=missing_matrix_of(self._sample, self.names),
                breaches=breaches.result().found,
            )

    @property
    def at_hand(self) -> RetainedData:
        """The data, for what needs more than a profile."""
        numbers, found = self._columns.numbers, self.found
        return RetainedData(self.table, self._rows.chunks[0], numbers, found.pairs, found.drawn)

    @property
    def _columns(self) -> _Columns:
        if self._read_columns is None:
            self._read_columns = self._all_columns()
        return self._read_columns

    def _all_columns(self) -> _Columns:
        def read(position: int) -> tuple[ColumnSummary, NDArray[Any] | None, Any]:
            array = self.table.column(position)
            stored = stored_type(self.table.schema.field(position))
            part, encoded = observe_with_rows(array, position, self._hashes, stored)
            name = self.names[position]
            summary, values = self._read(part, name, position)
            # Levels that were found once are not looked for again.
            few = isinstance(summary.stats, CategorySummary)
            if values is not None and len(values) > EXACT_ROWS:
                values = None
            return summary, values, encoded if few else array

        if self._hashed is not None:
            self._hashes = RowHashes(self.table.num_rows)  # they are not added up twice
        # The largest columns first, so that no thread is left with one in the end.
        sizes = [column.nbytes for column in self.table.columns]
        order = sorted(range(len(sizes)), key=lambda i: -sizes[i])
        small = self.table.nbytes < _BYTES_FOR_THREADS * self.table.num_columns
        with threads(1 if small else self._settings.threads) as pool:
            futures = {i: pool.submit(read, i) for i in order}
            _await(futures.values(), self._listener)
        results = [futures[i].result() for i in range(len(sizes))]
        numbers = {i: values for i, (_, values, _) in enumerate(results) if values is not None}
        encoded = pa.table([column for _, _, column in results], self.names)
        return _Columns(tuple(summary for summary, _, _ in results), numbers, encoded)

    def _read(
        self, part: ColumnPart, name: str, position: int
    ) -> tuple[ColumnSummary, NDArray[Any] | None]:
        described = self._description.column(name) if self._description else None
        return read_column(part, name, position, self._settings, self._now, described)

    @property
    def _rows(self) -> DuplicateRowsPart:
        """Hashes of the rows: from the columns, where these were read, else by themselves."""
        if self._hashed is None:
            self._hashed = self._hashes_of_rows()
        return self._hashed

    def _hashes_of_rows(self) -> DuplicateRowsPart:
        if self._read_columns is None:
            hashes = RowHashes(self.table.num_rows)

            def add(position: int) -> None:
                hashes.add(encode(self.table.column(position)), position)

            with threads(self._settings.threads) as pool:
                list(pool.map(add, range(self.table.num_columns)))
            return hashes.part()
        return self._hashes.part()

    @cached_property
    def _sample(self) -> RowSample | None:
        if not self.table.num_columns:
            return None
        return sampled(self.table, self._drawn)

    @cached_property
    def _drawn(self) -> NDArray[np.int64]:
        """Places of evenly drawn rows."""
        return drawn_rows(self.table.num_rows)

    def _sampled_rows(self) -> SampledRows | None:
        settings = self._settings
        return sampled_rows_of(
            self.found.drawn,
            np.argsort(np.argsort(self._drawn)),
            settings.explore_rows,
            self.relations.pairs,
            (settings.outcome, settings.time_column),
        )

    def _relations(self, pool: ThreadPoolExecutor) -> Found:
        columns, rows = self._columns, self.table.num_rows
        return relations_of(columns.summaries, columns.encoded, self._drawn, rows, pmap=pool.map)

    def _duplicates_in(self, subset: Look) -> Duplicates:
        found = subset.hashes(self.table, self._rows.chunks[0]).finish()
        return with_cells(in_columns(found, subset, self.columns), self.table, MOST_COLUMNS)

    def _pairs(self, pmap: ParallelMap) -> tuple[PairView, ...]:
        return views_of(self.relations, self.found.drawn, self._settings.outcome, pmap)


def _await(futures: Iterable[Future[T]], listener: ProgressListener) -> None:
    waiting = list(futures)
    try:
        for done, future in enumerate(as_completed(waiting), start=1):
            future.result()
            listener(Progress("columns", done, len(waiting)))
    except BaseException:
        for future in waiting:
            future.cancel()
        raise
