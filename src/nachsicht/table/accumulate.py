"""What is known of a whole table after some of its rows: one part that merges and is finished.

Engines differ in where rows are observed and in how parts come together; what a part is, and
what becomes of it, stands here alone. A plan and a part can be pickled and sent.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.numeric import as_numbers
from nachsicht.associations.all_pairs import Pearson, relations_of
from nachsicht.associations.contingency import ContingencyPlan, plan_contingency
from nachsicht.associations.encode import encode_columns
from nachsicht.associations.from_counts import counted_pairs
from nachsicht.associations.pca import components_of
from nachsicht.associations.pearson import CoMoments, observe_comoments
from nachsicht.columns.accumulate import ColumnPart, encode, finish_column, observe_column
from nachsicht.columns.levels import Grouper, columns_to_split_by
from nachsicht.config.settings import Settings
from nachsicht.errors import UnreadableSourceError
from nachsicht.model.dataset_schema import ColumnDescription, Description
from nachsicht.model.profile import Duplicates
from nachsicht.sketches.row_sample import RowSample, sample_rows
from nachsicht.table.duplicates import (
    CondensedDuplicates,
    DuplicateRowsPart,
    Look,
    RowHashes,
    condense_rows,
    further_subsets,
    in_columns,
)
from nachsicht.table.fingerprint import fingerprint, row_hash_sum
from nachsicht.table.group_stats import stats_by_level
from nachsicht.table.masking import mask_key
from nachsicht.table.missing.by_level import GapsPart, observe_missing_by_level
from nachsicht.table.missing.matrix import missing_matrix_of
from nachsicht.table.missing.patterns import GapPatternsPart, observe_patterns
from nachsicht.table.outcome import outcome_of
from nachsicht.table.pair_plots import views_of
from nachsicht.table.prepare import prepared
from nachsicht.table.preview import EndsPart, observe_ends
from nachsicht.table.result import Computed, DrawnRows
from nachsicht.table.sampled_rows import sampled_rows_of
from nachsicht.table.time_series import over_time
from nachsicht.table.validate import BreachesPart, observe_breaches

#: So many of the first rows decide what is examined in all of them.
PLAN_ROWS = 1 << 16
#: That the hash of a row takes.
_HASH_BYTES = 8
#: Of the memory for parts, tables of pairs take at most this share.
_FOR_PAIRS = 1 / 8
#: Parts that one task of a cluster merges: the branching of the merge tree.
FAN = 8
#: Bytes that the parts of a table may take on a cluster, where the settings do not say: they are
#: sent about.
CLUSTER_BYTES = 256 << 20


class TablePlan(msgspec.Struct, frozen=True):
    """What is decided before the rows are observed.

    Attributes
    ----------
    schema : Arrow schema
        Of the rows as they are examined.
    settings : Settings
    most_bytes : int
        Memory that the parts may take together; beyond its share of it a part is condensed.
    subsets : tuple of Look
        Columns in which rows are examined for duplicates, beside all of them.
    split_by : tuple of Grouper
        Columns by whose levels missing values are counted.
    numbers : tuple of int
        Places of the columns that have co-moments.
    contingency : ContingencyPlan
        Columns that are counted in pairs.
    mask_key : bytes
        What makes pseudonyms; workers of one run need the same.
    description : Description, optional
        What the rows are compared with.
    rows : int
        Of all the data; 0 where that is not known. What will not fit is condensed at once then,
        where it was observed.
    """

    schema: Any
    settings: Settings
    most_bytes: int
    subsets: tuple[Look, ...]
    split_by: tuple[Grouper, ...]
    numbers: tuple[int, ...]
    contingency: ContingencyPlan
    mask_key: bytes
    description: Description | None = None
    rows: int = 0

    @property
    def share(self) -> int:
        """Bytes that one column may take."""
        return self.most_bytes // (len(self.schema) + 1)

    def described(self, name: str) -> ColumnDescription | None:
        """What is said of a column."""
        return self.description.column(name) if self.description else None


class TablePart(msgspec.Struct, frozen=True):
    """Parts of everything, of rows that follow each other."""

    rows: int
    hash_sum: int
    columns: tuple[ColumnPart, ...]
    duplicates: DuplicateRowsPart | CondensedDuplicates
    further: tuple[DuplicateRowsPart | CondensedDuplicates, ...]
    gaps: GapsPart
    patterns: GapPatternsPart
    ends: EndsPart
    sample: RowSample
    comoments: CoMoments
    contingency: NDArray[np.int64]
    breaches: BreachesPart

    def merge(self, other: TablePart, plan: TablePlan, pmap: ParallelMap = map) -> TablePart:
        """Put the part of the rows that follow behind this one."""
        columns = pmap(
            lambda one, two: one.merge(two).within(plan.share), self.columns, other.columns
        )
        return TablePart(
            self.rows + other.rows,
            self.hash_sum + other.hash_sum,
            tuple(columns),
            _merged_duplicates(self.duplicates, other.duplicates, plan.share),
            tuple(
                _merged_duplicates(one, two, plan.share)
                for one, two in zip(self.further, other.further, strict=True)
            ),
            self.gaps.merge(other.gaps),
            self.patterns.merge(other.patterns),
            self.ends.merge(other.ends),
            self.sample.merge(other.sample),
            self.comoments.merge(other.comoments),
            self.contingency + other.contingency,
            self.breaches.merge(other.breaches),
        )


def plan_table(
    first: Any,
    settings: Settings,
    most_bytes: int,
    description: Description | None = None,
    rows: int = 0,
) -> TablePlan:
    """Decide from the first rows of the data, as they were read.

    Parameters
    ----------
    first : Arrow table or record batch
        The beginning of the data.
    settings : Settings
        Of the profile.
    most_bytes : int
        Memory that the parts may take together.
    description : Description, optional
        That came with the data.
    rows : int
        Of all the data, where that is known.
    """
    few = prepared(first.slice(0, PLAN_ROWS), settings)
    plan = bare_plan(few.schema, settings, most_bytes, description, rows)
    names = few.schema.names
    summaries = [
        finish_column(
            observe_column(few.column(i)), names[i], i, settings, None, plan.described(names[i])
        )
        for i in range(few.num_columns)
    ]
    numbers = [as_numbers(few.column(i).slice(0, 0)) for i in range(few.num_columns)]
    encoded, _ = encode_columns(summaries, few)
    return msgspec.structs.replace(
        plan,
        subsets=tuple(further_subsets(summaries, settings.duplicates_in)),
        split_by=columns_to_split_by(summaries),
        numbers=tuple(i for i, column in enumerate(numbers) if column is not None),
        contingency=plan_contingency(encoded, few, int(most_bytes * _FOR_PAIRS)),
    )


def bare_plan(
    schema: Any,
    settings: Settings,
    most_bytes: int = 0,
    description: Description | None = None,
    rows: int = 0,
) -> TablePlan:
    """A plan by which nothing is split or counted in pairs: rows are only read as examined."""
    return TablePlan(
        schema,
        settings,
        most_bytes,
        (),
        (),
        (),
        ContingencyPlan(),
        mask_key(),
        description,
        rows,
    )


def observe_table(
    batch: Any, plan: TablePlan, first_row: int, pmap: ParallelMap = map
) -> TablePart:
    """Take in some rows as they were read; ``first_row`` is the place of the first, from 0."""
    batch = examined(batch, plan)
    hashes = RowHashes(batch.num_rows)
    cells = plan.contingency.by_position

    def observe(i: int) -> tuple[ColumnPart, Any]:
        part, encoded = observe_with_rows(batch.column(i), i, hashes)
        codes = cells[i].codes(encoded) if i in cells else None
        return part.within(plan.share, plan.rows), codes

    observed = dict(enumerate(pmap(observe, range(batch.num_columns))))
    whole = hashes.part()
    (of_rows,) = whole.chunks
    return TablePart(
        batch.num_rows,
        row_hash_sum(of_rows),
        tuple(part for part, _ in observed.values()),
        _bounded(whole, plan),
        tuple(_bounded(subset.hashes(batch, of_rows), plan) for subset in plan.subsets),
        observe_missing_by_level(batch, plan.split_by),
        observe_patterns(batch, first_row),
        observe_ends(batch),
        sample_rows(batch, first_row),
        observe_comoments([batch.column(i) for i in plan.numbers]),
        plan.contingency.count({i: codes for i, (_, codes) in observed.items()}, pmap),
        observe_breaches(batch, plan.description),
    )


class Finished(NamedTuple):
    """What a profile is made of, and the drawn rows that are kept for comparing it."""

    computed: Computed
    drawn: DrawnRows


class Observed(NamedTuple):
    """What is known of all rows, by whatever way: what a table is finished from.

    Where rows are not ``in_order``, nothing is told of what lies along them.
    """

    rows: int
    fingerprint: str
    columns: tuple[ColumnPart, ...]
    duplicates: Duplicates
    further: tuple[Duplicates, ...]
    gaps: GapsPart
    patterns: GapPatternsPart
    ends: EndsPart
    sample: RowSample
    pearson: Pearson
    contingency: NDArray[np.int64] | None
    breaches: BreachesPart
    in_order: bool = True


def finish_table(
    part: TablePart, plan: TablePlan, now: int | None = None, pmap: ParallelMap = map
) -> Finished:
    """Everything that a profile is made of; ``now`` in microseconds since 1970."""
    names = plan.schema.names
    observed = Observed(
        part.rows,
        fingerprint(names, part.rows, part.hash_sum),
        part.columns,
        part.duplicates.finish(),
        tuple(further.finish() for further in part.further),
        part.gaps,
        part.patterns,
        part.ends,
        part.sample,
        Pearson([names[i] for i in plan.numbers], part.comoments.correlations()),
        part.contingency,
        part.breaches,
    )
    return finish_observed(observed, plan, now, pmap)


def finish_observed(
    part: Observed, plan: TablePlan, now: int | None = None, pmap: ParallelMap = map
) -> Finished:
    """As `finish_table`, from what is known of all rows."""
    names, settings = plan.schema.names, plan.settings
    finished = pmap(
        lambda i: finish_column(
            part.columns[i], names[i], i, settings, now, plan.described(names[i])
        ),
        range(len(names)),
    )
    columns = tuple(finished)
    sample = part.sample
    # Bins are for rows that are not at hand.
    binned = part.contingency if sample.rows.num_rows < part.rows else None
    counted = None if binned is None else counted_pairs(plan.contingency, binned, columns, pmap)
    found = relations_of(columns, sample.rows, sample.order, part.rows, part.pearson, counted, pmap)
    further = zip(part.further, plan.subsets, strict=True)
    computed = Computed(
        rows=part.rows,
        fingerprint=part.fingerprint,
        columns=columns,
        duplicates=part.duplicates,
        duplicates_by_subset=tuple(
            in_columns(duplicates, subset, columns) for duplicates, subset in further
        ),
        missing_patterns=part.patterns.finish(names),
        missing_by_level=part.gaps.finish(columns),
        group_stats=stats_by_level(columns, part.sample),
        relations=found.relations,
        pairs=views_of(found.relations, found.drawn, settings.outcome, pmap),
        components=components_of(found.drawn),
        over_time=over_time(columns, found.drawn, found.relations.pairs, settings.time_column),
        outcome=outcome_of(columns, part.sample, settings.outcome),
        excerpt=part.ends.finish(part.sample, columns),
        sampled_rows=sampled_rows_of(
            found.drawn,
            part.sample.order,
            settings.explore_rows,
            found.relations.pairs,
            (settings.outcome, settings.time_column),
        ),
        missing_matrix=missing_matrix_of(part.sample, names) if part.in_order else None,
        breaches=part.breaches.found,
    )
    return Finished(computed, DrawnRows(part.sample.rows, found.pairs, found.drawn))


def observe_with_rows(
    array: Any, position: int, hashes: RowHashes, stored: Any = None
) -> tuple[ColumnPart, Any]:
    """One step serves the column and the rows, so that texts are encoded once.

    ``stored`` is the type of the column, where it was read as another.

    Returns
    -------
    (the part of the column, the column as it was encoded)
    """
    encoded = encode(array)
    hashes.add(encoded, position)
    return observe_column(array, encoded, stored), encoded


def merged_in_order(parts: Sequence[TablePart], plan: TablePlan) -> TablePart:
    """Parts of rows that follow each other as one; there is at least one."""
    first, *others = parts
    for other in others:
        first = first.merge(other, plan)
    return first


def examined(batch: Any, plan: TablePlan) -> Any:
    """Rows as they were read, in the form in which they are examined.

    Raises
    ------
    UnreadableSourceError
        If they have other columns than the first rows, or types that cannot be read as theirs.
    """
    return _conforming(prepared(batch, plan.settings, plan.mask_key), plan.schema)


class PieceWork(msgspec.Struct, frozen=True):
    """Work on pieces of a table as they were read; it can be pickled, if the work can."""

    plan: TablePlan
    work: Any

    def __call__(self, piece: Any, first_row: int) -> Any:
        """What the work gives for a piece; ``first_row`` is the number of its first row, from 0."""
        rows = examined(piece, self.plan)
        return self.work(
            rows if isinstance(rows, pa.Table) else pa.Table.from_batches([rows]), first_row
        )


def _conforming(batch: Any, schema: Any) -> Any:
    """Rows with the types that the first ones had.

    Raises
    ------
    UnreadableSourceError
        If a column cannot be read so, or there are other columns.
    """
    if batch.schema.names != schema.names:
        raise UnreadableSourceError(
            "rows_with_other_columns",
            where=", ".join(sorted({*batch.schema.names} ^ {*schema.names})) or "their order",
        )
    if batch.schema.types == schema.types:
        return batch
    columns = []
    for i, field in enumerate(schema):
        column = batch.column(i)
        both = pa.types.is_dictionary(column.type) and pa.types.is_dictionary(field.type)
        if column.type != field.type and not both:
            try:
                column = column.cast(field.type)
            except (pa.ArrowException, NotImplementedError) as error:
                raise UnreadableSourceError(
                    "rows_with_other_types",
                    where=field.name,
                    type=column.type,
                    type2=field.type,
                    error=error,
                ) from error
        columns.append(column)
    return type(batch).from_arrays(columns, names=schema.names)


def _bounded(part: DuplicateRowsPart, plan: TablePlan) -> DuplicateRowsPart | CondensedDuplicates:
    """Hashes of rows, condensed at once where those of all rows will not fit."""
    return condense_rows(part) if _HASH_BYTES * plan.rows > plan.share else part


def _merged_duplicates(
    one: DuplicateRowsPart | CondensedDuplicates,
    two: DuplicateRowsPart | CondensedDuplicates,
    most_bytes: int,
) -> DuplicateRowsPart | CondensedDuplicates:
    if isinstance(one, DuplicateRowsPart) and isinstance(two, DuplicateRowsPart):
        merged = one.merge(two)
        kept = sum(chunk.nbytes for chunk in merged.chunks)
        return condense_rows(merged) if kept > most_bytes else merged
    one = condense_rows(one) if isinstance(one, DuplicateRowsPart) else one
    return condense_rows(two, onto=one) if isinstance(two, DuplicateRowsPart) else one.merge(two)
