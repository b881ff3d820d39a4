"""The engine of databases: they count, group, sum and rank their rows, and give the results.

The parts of a table are made from these as if its rows had been observed. What needs whole rows, as
plots of pairs do, is computed of evenly drawn ones.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import Progress, ProgressListener
from nachsicht.arrow.buffers import values_of
from nachsicht.arrow.normalize import normalize_types
from nachsicht.arrow.types import is_text
from nachsicht.associations.all_pairs import Pearson
from nachsicht.associations.contingency import MOST_LEVELS, ContingencyPlan, LevelledColumn
from nachsicht.associations.pearson import DECIMALS
from nachsicht.columns.accumulate import ColumnPart
from nachsicht.columns.approximate import CondensedNumbers, CondensedTexts, sketched_texts
from nachsicht.columns.kinds.protocol import Body
from nachsicht.columns.kinds.registry import type_handler
from nachsicht.columns.levels import levels_in
from nachsicht.columns.numeric_state import NumberPart
from nachsicht.config.settings import Settings
from nachsicht.engines.memory import memory_of
from nachsicht.engines.plan import check_in_database
from nachsicht.engines.sql_rows import RowsInDatabase
from nachsicht.model.notes import Note
from nachsicht.model.profile import Duplicates
from nachsicht.sketches.distinct import CountedKeys, KeySample
from nachsicht.sketches.heavy_hitters import HeavyNumbers, HeavyTexts
from nachsicht.sketches.quantiles import QuantileSketch
from nachsicht.sketches.row_sample import SIZE, RowSample
from nachsicht.sources.database.aggregates import (
    ColumnReading,
    DatabaseTable,
    Spread,
)
from nachsicht.sources.database.number_sums import DatabaseNumbers, NumberColumn, NumberSums
from nachsicht.sources.database.values import array_of, table_of
from nachsicht.sources.protocol import Opened, Tally
from nachsicht.stats.moments import moments_about
from nachsicht.stats.row_order import OrderPart
from nachsicht.stats.value_counts import ValueCounts, ValueCountsPart, observe_texts
from nachsicht.table.accumulate import Observed, examined, finish_observed, plan_table
from nachsicht.table.masking import pseudonyms
from nachsicht.table.missing.by_level import GapsPart
from nachsicht.table.missing.patterns import MOST_KNOWN, GapPatternsPart
from nachsicht.table.prepare import fitting
from nachsicht.table.preview import EndsPart
from nachsicht.table.result import Computed
from nachsicht.table.validate import BreachesPart

#: Up to so many different values of a column are read with their counts.
MOST_VALUES = 1 << 16
#: Of `SIZE` rows, this share is different where all rows have so many different values.
_FEW = MOST_VALUES / SIZE * (1 - math.exp(-SIZE / MOST_VALUES))
#: Pairs of categories that are counted by the database, each in a pass of its own.
_MOST_CROSSED = 100
#: Of the memory that may be used, so much is for what is kept.
_KEPT = 0.25


class _Column(NamedTuple):
    """A column of the profile: how the database reads it, and whether its values are masked.

    ``checked`` says whether there may be numbers that are infinite or none; ``drawn`` are the
    values of the drawn rows, as they are examined.
    """

    place: int
    name: str
    family: str
    checked: bool
    masked: bool
    drawn: Any

    @property
    def is_ranked(self) -> bool:
        """Whether its values are told of as numbers or times."""
        return self.family in ("whole", "number", "time") and not self.masked


def run_sql(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, RowsInDatabase]:
    """Compute all parts of a profile by a database.

    Returns
    -------
    (what a profile is made of, what asks for the rows again)

    Raises
    ------
    SettingsError
        If the source is no table or query of a database that is known well enough.
    """
    check_in_database(opened, settings)
    assert opened.database
    with opened.database() as table, threads(settings.threads) as pool:
        asked = _Asked(table, settings, opened)
        observed = asked.observed(listener)
        drawn = observed.sample.rows.num_rows
        opened.facts.notes.append(
            Note("computed_in_database", {"rows": drawn, "of": observed.rows})
        )
        computed = finish_observed(observed, asked.plan, now, pool.map).computed
    return computed, RowsInDatabase(opened.facts.name, opened.database, asked.readings, asked.plan)


class _Asked:
    """A table of a database, what it is asked with, and what is known of all its rows."""

    def __init__(self, table: DatabaseTable, settings: Settings, opened: Opened) -> None:
        self.rows, _ = table.counts()
        drawn = table_of(table.names, table.drawn(SIZE))
        numbers = [f.name for f in drawn.schema if _family(f.type) in ("whole", "number")]
        as_texts = table.with_texts(numbers)
        as_texts |= {field.name for field in drawn.schema if not _is_plain(field.type)}
        if as_texts:
            table = table.read_as(
                [ColumnReading(n, "text" if n in as_texts else "unknown") for n in table.names]
            )
            drawn = table_of(table.names, table.drawn(SIZE))
        most = int(memory_of(settings) * _KEPT)
        self.plan = plan_table(drawn, settings, most, opened.description, self.rows)
        self._drawn = examined(drawn, self.plan)
        masked = {*fitting(table.names, settings.mask)}
        self._columns = [
            _column(place, drawn.schema.field(name), self._drawn.column(place), name in masked)
            for place, name in enumerate(self.plan.schema.names)
        ]
        self.readings = tuple(_reading(column, settings) for column in self._columns)
        self._table = table.read_as(self.readings)
        _, self._held = self._table.counts()
        self._ranked = [c.name for c in self._columns if c.is_ranked]
        self._numbers = DatabaseNumbers(
            self._table,
            [
                NumberColumn(c.name, c.checked, c.family == "time")
                for c in self._columns
                if c.is_ranked
            ],
        )
        self._sums = self._numbers.sums()
        #: Of columns of few different values these, as the database gives them and as Arrow values.
        self._tallies: dict[int, tuple[Tally, Any]] = {}

    def observed(self, listener: ProgressListener) -> Observed:
        """Everything that a profile is finished from."""
        columns = []
        for done, column in enumerate(self._columns, start=1):
            columns.append(self._column(column))
            listener(Progress("columns", done, len(self._columns)))
        crossed, contingency = self._crossed()
        self.plan = msgspec.structs.replace(self.plan, contingency=crossed)
        names = [column.name for column in self._columns]
        nothing = self._drawn.slice(0, 0)
        return Observed(
            rows=self.rows,
            fingerprint="",  # only who has seen all rows can give one
            columns=tuple(columns),
            duplicates=self._duplicates(names),
            further=tuple(
                self._duplicates([names[place] for place in look.positions])
                for look in self.plan.subsets
            ),
            gaps=self._gaps(),
            patterns=self._patterns(),
            ends=EndsPart(nothing, nothing, self.rows),
            sample=self._sample([part.stored for part in columns]),
            pearson=Pearson(
                self._ranked,
                self._numbers.correlations(self._sums, self.rows).round(DECIMALS),
            ),
            contingency=contingency,
            breaches=BreachesPart(),
            in_order=False,
        )

    def _crossed(self) -> tuple[ContingencyPlan, NDArray[np.int64] | None]:
        """Contingency tables of all pairs of categories of few levels, unless they are too many."""
        chosen = [
            _levelled(column, *self._tallies[column.position])
            for column in self.plan.contingency.columns
            if isinstance(column, LevelledColumn)
            and column.position in self._tallies
            and not self._columns[column.position].masked
        ]
        plan = ContingencyPlan(tuple(crossed.column for crossed in chosen))
        if len(plan.pairs) > _MOST_CROSSED:
            return ContingencyPlan(), None
        counts = np.zeros(plan.starts[-1], np.int64)
        for place, crossed in enumerate(chosen):
            np.add.at(plan.by_cell(counts, place), [*crossed.cells.values()], crossed.rows)
        for pair, (i, j) in enumerate(plan.pairs):
            one, other = chosen[i], chosen[j]
            found = self._table.crossed(one.column.name, other.column.name)
            for x, y, rows in found:
                plan.table(counts, pair)[one.cells[x], other.cells[y]] += rows
        return plan, counts

    def _sample(self, stored: Sequence[Any]) -> RowSample:
        """The drawn rows; where none has a value, as the type of the values that others have."""
        columns = [
            drawn.cast(own) if pa.types.is_null(drawn.type) else drawn
            for drawn, own in zip(self._drawn.columns, stored, strict=True)
        ]
        rows = pa.table(columns, self._drawn.schema.names)
        return RowSample(np.arange(rows.num_rows, dtype=np.uint64), rows)

    def _column(self, column: _Column) -> ColumnPart:
        held = self._held[column.place]
        tally = None
        if self.rows <= MOST_VALUES or _repeats(column.drawn):
            tally = self._table.tally(column.name, MOST_VALUES)
        if tally is None:
            stored, body = column.drawn.type, self._of_many(column, held)
        else:
            values = self._values(tally, column)
            if len(tally.values) <= MOST_LEVELS:
                self._tallies[column.place] = tally, values
            stored = column.drawn.type if is_text(column.drawn.type) else values.type
            body = _of_tally(values, tally.counts, self.rows - held)
        size = column.drawn.nbytes * self.rows // max(len(column.drawn), 1)
        part = ColumnPart(stored, self.rows, size, None, None, body)
        return part.within(self.plan.share)

    def _of_many(self, column: _Column, held: int) -> Body:
        """The part of a column of very many different values."""
        spread = self._table.spread(
            column.name, held, ranked=column.is_ranked, finite=column.checked
        )
        counted = CountedKeys(spread.distinct, spread.once, spread.squares)
        if not column.is_ranked:
            keys = KeySample(known=counted)
            values = self._values(spread.top, column).cast(pa.large_string())
            top = HeavyTexts(ValueCounts.of(values, spread.top.counts))
            return _condensed_texts(column.drawn, held, keys, top)
        sums = self._sums[column.name]
        for infinite in filter(None, (sums.infinite_below, sums.infinite_above)):
            counted = counted.with_value(infinite)
        return _condensed_numbers(column, spread, KeySample(known=counted), sums, self.rows)

    def _values(self, tally: Tally, column: _Column) -> Any:
        """Values of a column as they are examined."""
        values = array_of(tally.values)
        if column.masked:
            return pseudonyms(values, self.plan.mask_key)
        if not len(values):
            return values.cast(column.drawn.type)
        values = normalize_types(pa.table([values], ["values"])).column(0).combine_chunks()
        return values.cast(pa.large_string()) if is_text(values.type) else values

    def _duplicates(self, names: Sequence[str]) -> Duplicates:
        repeated = 0 if self._table.key in names else self._table.repeated_rows(names)
        return Duplicates(duplicate_rows=repeated, distinct_rows=self.rows - repeated, runs=())

    def _patterns(self) -> GapPatternsPart:
        with_gaps = [c for c in self._columns if self._held[c.place] < self.rows]
        counted: Counter[tuple[int, ...]] = Counter({(): self.rows} if not with_gaps else {})
        if with_gaps:
            for gaps, rows in self._table.gap_patterns([c.name for c in with_gaps], MOST_KNOWN):
                places = (c.place for c, gap in zip(with_gaps, gaps, strict=True) if gap)
                counted[tuple(places)] = rows
        return GapPatternsPart(self.rows, counted, self.rows - counted.total())

    def _gaps(self) -> GapsPart:
        """Missing values by the levels of categories; calendar units are left out."""
        part = GapsPart()
        with_gaps = [c for c in self._columns if 0 < self._held[c.place] < self.rows]
        for by in (self._columns[split.position] for split in self.plan.split_by if not split.unit):
            others = [column for column in with_gaps if column is not by]
            levels, rows, held = self._table.held_by_level(by.name, [c.name for c in others])
            array = array_of(levels)
            names, codes = levels_in(
                pseudonyms(array, self.plan.mask_key) if by.masked else array, None
            )
            labels = [names[code] if code < len(names) else None for code in codes.tolist()]
            part.rows[by.place] = _counter(labels, rows)
            for column, values in zip(others, held.T, strict=True):
                part.missing[column.place, by.place] = _counter(labels, rows - values)
        return part.merge(GapsPart())  # which drops a column that turns out to have many levels


class _Crossed(NamedTuple):
    """A category of few levels: the cell of each value as the database gives it, and its rows."""

    column: LevelledColumn
    cells: dict[Any, int]
    rows: NDArray[np.int64]


def _levelled(column: LevelledColumn, tally: Tally, values: Any) -> _Crossed:
    names, codes = levels_in(values, None)
    cells = dict(zip(tally.values, codes.tolist(), strict=True))
    return _Crossed(LevelledColumn(column.name, column.position, tuple(names)), cells, tally.counts)


def _column(place: int, field: Any, drawn: Any, masked: bool) -> _Column:
    checked = pa.types.is_floating(field.type) or pa.types.is_decimal(field.type)
    return _Column(place, field.name, _family(field.type), checked, masked, drawn)


def _repeats(drawn: Any) -> bool:
    """Whether so few rows repeat values as often as if there were few different ones in all."""
    held = drawn.drop_null()
    return len(held.unique()) <= _FEW * max(len(held), 1)


def _family(stored: Any) -> str:
    """What a database can reckon of values that come as an Arrow type."""
    types = pa.types
    if types.is_boolean(stored):
        return "flag"
    if types.is_integer(stored):
        return "whole"
    if types.is_floating(stored) or types.is_decimal(stored):
        return "number"
    if types.is_date(stored) or types.is_timestamp(stored) or types.is_time(stored):
        return "time"
    return "unknown" if types.is_null(stored) else "text"


def _is_plain(stored: Any) -> bool:
    """Whether values come as numbers, times, flags or texts."""
    return _family(stored) != "text" or is_text(stored)


def _reading(column: _Column, settings: Settings) -> ColumnReading:
    marks: list[Any] = [
        *settings.na_values,
        *settings.na_values_by_column.get(column.name, ()),
    ]
    if column.family in ("whole", "number"):
        marks = [number for mark in marks if (number := _number(mark)) is not None]
        marks += [math.nan] if column.checked else []
    elif column.family != "text":
        marks = []
    return ColumnReading(column.name, column.family, tuple(marks))


def _number(mark: str) -> float | None:
    try:
        return float(mark)
    except ValueError:
        return None


def _of_tally(values: Any, counts: NDArray[np.int64], missing: int) -> Body:
    """The part of a column whose different values are all known."""
    if pa.types.is_null(values.type):
        return type_handler(values.type).observe(pa.nulls(missing))
    if pa.types.is_boolean(values.type):
        words = ["true" if value else "false" for value in values.to_pylist()]
        values = pa.array(words, pa.large_string())
    if is_text(values.type):
        held = (ValueCounts.of(values, counts).table,) if len(values) else ()
        return ValueCountsPart(held, missing)
    body = type_handler(values.type).observe(values)
    assert isinstance(body, NumberPart)
    below = above = 0
    finite = np.ones(len(values), np.bool_)
    if pa.types.is_floating(values.type):
        numbers = values_of(values)
        finite = np.isfinite(numbers)
        below, above = (int(counts[numbers == end].sum()) for end in (-np.inf, np.inf))
    chunks = tuple(np.repeat(chunk, counts[finite]) for chunk in body.chunks)
    return NumberPart(chunks, missing, below, above, OrderPart.unordered())


def _condensed_numbers(
    column: _Column, spread: Spread, keys: KeySample, sums: NumberSums, rows: int
) -> CondensedNumbers:
    """The part of a column of very many different numbers or datetimes."""
    top, low, high, ranks = (
        _numbers(tally, column.drawn.type)
        for tally in (spread.top, spread.low, spread.high, spread.ranks)
    )
    rising = np.argsort(top, kind="stable")
    infinite = sums.infinite_below + sums.infinite_above
    return CondensedNumbers(
        missing=rows - sums.rows - infinite,
        infinite_below=sums.infinite_below,
        infinite_above=sums.infinite_above,
        order=OrderPart.unordered(),
        moments=moments_about(sums.rows, sums.total, sums.mean, sums.scale, sums.powers),
        zeros=sums.zeros,
        negatives=sums.negatives,
        whole=sums.whole or column.family == "time",
        lowest=(low, spread.low.counts),
        highest=(high, spread.high.counts),
        ranks=QuantileSketch.of_counted(
            ranks.astype(np.float64), spread.ranks.counts, spread.error
        ),
        keys=keys,
        heavy=HeavyNumbers(top[rising], spread.top.counts[rising]),
    )


def _numbers(tally: Tally, stored: Any) -> NDArray[Any]:
    """Finite values as numbers; of datetimes microseconds."""
    array = array_of(tally.values)
    array = array if len(array) else array.cast(stored)
    body = type_handler(array.type).observe(array)
    assert isinstance(body, NumberPart)
    return np.concatenate(body.chunks)


def _condensed_texts(drawn: Any, held: int, keys: KeySample, top: HeavyTexts) -> CondensedTexts:
    """The part of a column of very many different texts; their looks are those of drawn rows."""
    texts = drawn.cast(pa.large_string()).combine_chunks().dictionary_encode()
    part = observe_texts(texts)
    assert isinstance(part, ValueCountsPart)
    few = part.counted()
    reached = np.round(np.cumsum((0, *few.counts)) * (held / max(int(few.counts.sum()), 1)))
    tally = ValueCounts.of(few.values, np.diff(reached).astype(np.int64))
    return sketched_texts(tally, keys, top)


def _counter(labels: Sequence[str | None], rows: NDArray[np.int64]) -> Counter[str | None]:
    return Counter({label: n for label, n in zip(labels, rows.tolist(), strict=True) if n})
