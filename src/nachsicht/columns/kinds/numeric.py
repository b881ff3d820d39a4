"""Columns stored as numbers, durations, dates or times: exact, or condensed beyond memory."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.arrow.format import number_text
from nachsicht.arrow.numeric import SECONDS, floats_of_decimals
from nachsicht.columns.approximate import CondensedNumbers
from nachsicht.columns.approximate_summary import condensed_quantity
from nachsicht.columns.categorical import summarise_category
from nachsicht.columns.datetime import (
    TimeType,
    observe_datetimes,
    scaled_datetimes,
    summarise_datetimes,
    time_type,
)
from nachsicht.columns.infer.kind import Judgement, NumberTraits, kind_of_numbers
from nachsicht.columns.kinds.protocol import (
    Body,
    ColumnFacts,
    Counts,
    StoredType,
    TypedColumn,
)
from nachsicht.columns.numeric import summarise_quantity
from nachsicht.columns.numeric_state import NumberPart, observe_numbers
from nachsicht.columns.text import key_hashes, summarise_identifier, value_counts_of_numbers
from nachsicht.config.settings import Settings
from nachsicht.kernels import ranking
from nachsicht.model.column import Detail, IdentifierSummary, Level, Order, TextFormat
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.stats.row_order import OrderPart
from nachsicht.stats.sorted_array import SortedNumbers

#: Up to this many of the smallest are found faster one by one than by sorting all.
_FEW = 64
_KINDS = (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.IDENTIFIER)


class NumericColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    """Numbers with all values kept. ``texts`` is the column as the texts that it was read from."""

    numbers: SortedNumbers
    order: OrderPart | None = None
    time: TimeType | None = None
    now: int | None = None
    texts: TypedColumn | None = None

    @kept
    def counts(self) -> Counts:
        """Counts of present and distinct values; each infinity is a value."""
        infinite = [n for n in (self.numbers.infinite_below, self.numbers.infinite_above) if n]
        counts = np.append(self.numbers.repeated_counts, infinite).astype(np.int64)
        repeated, more = Counts.of(counts), self.numbers.once
        return Counts(
            repeated.present + more,
            repeated.distinct + more,
            repeated.once + more,
            repeated.squares + more,
        )

    @property
    def text_format(self) -> TextFormat | None:
        """How the numbers are written, where they are texts."""
        return self.texts.text_format if self.texts else None

    @property
    def sorted_values(self) -> NDArray[Any] | None:
        """The finite values in rising order, of quantities and durations."""
        quantity = self.judgement[0] in (Kind.QUANTITY, Kind.DURATION)
        return self.numbers.values if quantity else None

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        """The most frequent values or the rarest; ties by size."""
        falling, often = order == "descending", self.numbers.repeated_counts
        alone = [] if falling and len(often) >= most else self.numbers.lowest_once(most).tolist()
        repeated = _first(often, most, falling=falling)
        values = self.numbers.repeated_values[repeated].tolist()
        found = [*zip(values, often[repeated].tolist(), strict=True)]
        once = [(value, 1) for value in alone]
        counted = (found + once if falling else once + found)[:most]
        return tuple(Level(_label(value, self.time), count) for value, count in counted)

    def summarise(self, settings: Settings) -> Detail | None:
        """The summary of a quantity, datetime, category or identifier."""
        order = self.order.finish() if self.order else None
        if self.time:
            return summarise_datetimes(self.numbers, self.time, self.now, order)
        kind = self.judgement[0]
        if kind in (Kind.FLAG, Kind.CATEGORY):
            return summarise_category(value_counts_of_numbers(self.numbers), settings)
        if kind is Kind.IDENTIFIER:
            counts = value_counts_of_numbers(self.numbers)
            return summarise_identifier(counts, settings, order, self.numbers.values)
        return summarise_quantity(self.numbers, settings, self.order)

    def as_kind(self, judgement: Judgement) -> TypedColumn | None:
        """As the texts that they were, or as another kind that numbers can be."""
        found = self.texts.as_kind(judgement) if self.texts else None
        if found is None and not self.time and self.fits(judgement[0], _KINDS):
            found = self.replaced(judgement)
        return found


class CondensedNumericColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    """Numbers of which sketches are kept."""

    numbers: CondensedNumbers
    time: TimeType | None = None
    now: int | None = None

    @property
    def counts(self) -> Counts:
        """Counts of present values, and an estimate of distinct ones."""
        numbers = self.numbers
        present = numbers.finite + numbers.infinite_below + numbers.infinite_above
        return Counts.estimated(numbers.keys, present, numbers.accuracy)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        """The most frequent values; the rarest are not kept."""
        heavy = self.numbers.heavy
        if order == "ascending":
            return ()
        chosen = _first(heavy.counts, most, falling=True)
        values, counts = heavy.values[chosen].tolist(), heavy.counts[chosen].tolist()
        return tuple(Level(_label(v, self.time), n) for v, n in zip(values, counts, strict=True))

    def summarise(self, settings: Settings) -> Detail | None:
        """The summary of a quantity, datetime or identifier."""
        order = self.numbers.order.finish()
        if self.time:
            sample = self.numbers.stand_ins()
            summary = summarise_datetimes(sample, self.time, self.now, order)
            return summary and scaled_datetimes(summary, self.numbers.finite / sample.n)
        if self.judgement[0] is Kind.IDENTIFIER:
            counts = self.counts
            return IdentifierSummary(
                duplicate_values=max(counts.distinct - counts.once, 0),
                duplicate_rows=max(counts.present - counts.once, 0),
                patterns=(),
                min_length=0,
                max_length=0,
                order=order,
                sequence=None,
                min_hashes=(),
                key_hashes=key_hashes(self.numbers.keys),
            )
        return condensed_quantity(self.numbers, settings)

    def as_kind(self, judgement: Judgement) -> TypedColumn | None:
        """As another kind; levels of condensed numbers are not kept."""
        kinds = tuple(kind for kind in _KINDS if kind is not Kind.CATEGORY)
        fits = not self.time and self.fits(judgement[0], kinds)
        return self.replaced(judgement) if fits else None


def _label(value: int | float, time: TimeType | None) -> str:
    return time.text(int(value)) if time else number_text(value)


def _first(keys: NDArray[np.int64], most: int, *, falling: bool) -> NDArray[np.int64]:
    """Places of the smallest keys, or the largest; ties by place. Few are found without sorting."""
    if most > _FEW:
        return np.argsort(-keys if falling else keys, kind="stable")[:most]
    chosen = np.empty(min(most, len(keys)), np.int64)
    ranking.first_of(np.ascontiguousarray(keys), falling, chosen)
    return chosen


def _infer_numbers(body: NumberPart | CondensedNumbers, facts: ColumnFacts) -> TypedColumn:
    if isinstance(body, CondensedNumbers):
        low, high = body.lowest[0][0].item(), body.highest[0][-1].item()
        whole = body.whole and isinstance(low, int)
        traits = NumberTraits(body.finite, body.keys.distinct, whole, low, high, False)
        return CondensedNumericColumn(judgement=kind_of_numbers(facts.name, traits), numbers=body)
    numbers, rising = body.sorted(), body.order.finish() is Order.STRICTLY_INCREASING
    judgement = kind_of_numbers(facts.name, NumberTraits.of(numbers, rising=rising))
    return NumericColumn(judgement=judgement, numbers=numbers, order=body.order)


def _infer_durations(body: NumberPart | CondensedNumbers, _: ColumnFacts) -> TypedColumn:
    judgement = (Kind.DURATION, KindReason.LENGTHS_OF_TIME)
    if isinstance(body, CondensedNumbers):
        return CondensedNumericColumn(judgement=judgement, numbers=body)
    return NumericColumn(judgement=judgement, numbers=body.sorted(), order=body.order)


def _infer_datetimes(body: NumberPart | CondensedNumbers, facts: ColumnFacts) -> TypedColumn:
    judgement, time = (Kind.DATETIME, KindReason.DATES), time_type(facts.stored)
    if isinstance(body, CondensedNumbers):
        return CondensedNumericColumn(judgement=judgement, numbers=body, time=time, now=facts.now)
    return NumericColumn(
        judgement=judgement, numbers=body.sorted(), order=body.order, time=time, now=facts.now
    )


def _observe_numbers(array: Any) -> Body:
    if pa.types.is_decimal(array.type):
        array = floats_of_decimals(array)
    return observe_numbers(array)


def _observe_durations(array: Any) -> Body:
    """As seconds."""
    ticks, seconds = observe_numbers(array.cast(pa.int64())), SECONDS[array.type.unit]
    chunks = tuple(chunk * seconds for chunk in ticks.chunks)
    return NumberPart(chunks, ticks.missing, 0, 0, ticks.order.times(seconds))


def _is_number(stored: Any) -> bool:
    types = pa.types
    checks = (types.is_integer, types.is_floating, types.is_decimal)
    return any(check(stored) for check in checks)


NUMBERS = StoredType("numbers", _is_number, _observe_numbers, _infer_numbers)
DURATIONS = StoredType("durations", pa.types.is_duration, _observe_durations, _infer_durations)
DATETIMES = StoredType(
    "datetimes",
    lambda stored: pa.types.is_temporal(stored) and not pa.types.is_interval(stored),
    observe_datetimes,
    _infer_datetimes,
)
