"""One column from its batches to its summary: observe, merge, finish."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import missing_in
from nachsicht.compute.categories import summarise_category
from nachsicht.compute.condensed import (
    CondensedNumbers,
    CondensedTexts,
    compact,
    condense,
    kept_bytes,
)
from nachsicht.compute.condensed_summaries import (
    condensed_category,
    condensed_identifier,
    condensed_quantity,
)
from nachsicht.compute.kinds import (
    Judgement,
    NumberTraits,
    TallyTraits,
    kind_of_numbers,
    kind_of_texts,
)
from nachsicht.compute.moments_in_time import (
    TimeType,
    observe_moments,
    scaled_moments,
    summarise_moments,
    time_type,
)
from nachsicht.compute.nested import NestedPart, observe_nested, summarise_nested
from nachsicht.compute.numbers import NumberPart, SortedNumbers, observe_numbers
from nachsicht.compute.quantities import summarise_quantity
from nachsicht.compute.recognise import moments_in, numbers_in
from nachsicht.compute.sketches.key_sample import KeySample
from nachsicht.compute.tallies import Tally, TallyPart, observe_texts
from nachsicht.compute.text_measures import measure_texts
from nachsicht.compute.texts import number_text
from nachsicht.compute.written import summarise_identifier, summarise_text, tally_of_numbers
from nachsicht.model.column import Accuracy, ColumnSummary, Detail, IdentifierSummary, Level, Order
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.settings import Settings

Body = NumberPart | TallyPart | NestedPart | CondensedNumbers | CondensedTexts
_SECONDS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}


@dataclass(frozen=True)
class ColumnPart:
    """What is known of a column after some of its rows. Merged in the order of the rows."""

    stored: Any
    rows: int
    memory_bytes: int
    first: str | None
    last: str | None
    body: Body

    def merge(self, other: ColumnPart) -> ColumnPart:
        """Put the part of later rows behind this one."""
        return ColumnPart(
            self.stored,
            self.rows + other.rows,
            self.memory_bytes + other.memory_bytes,
            self.first if self.first is not None else other.first,
            other.last if other.last is not None else self.last,
            merge_bodies(self.body, other.body),
        )

    def within(self, most_bytes: int, marks: tuple[str, ...]) -> ColumnPart:
        """The part, condensed if its values take more memory than that."""
        body = self.body
        if not isinstance(body, NumberPart | TallyPart) or kept_bytes(body) <= most_bytes:
            return self
        body = compact(body)
        return replace(self, body=condense(body, marks) if kept_bytes(body) > most_bytes else body)


def merge_bodies(a: Body, b: Body) -> Body:
    """Put two parts of one column together; if one is condensed, so is the other."""
    if isinstance(a, CondensedNumbers | CondensedTexts) and isinstance(b, NumberPart | TallyPart):
        b = condense(b, ())
    elif isinstance(b, CondensedNumbers | CondensedTexts) and isinstance(a, NumberPart | TallyPart):
        a = condense(a, ())
    return a.merge(b)  # type: ignore[arg-type]


def observe_column(array: Any, encoded: Any = None) -> ColumnPart:
    """Take in one batch of a column.

    Parameters
    ----------
    array : Arrow array or chunked array
        Of any type.
    encoded : Arrow dictionary array, optional
        The same values from `encode`, if that was done before.
    """
    stored = array.type
    if encoded is None:
        encoded = encode(array)
    body = _observe(encoded)
    first, last = _ends(encoded)
    return ColumnPart(stored, len(array), array.nbytes, first, last, body)


def encode(array: Any) -> Any:
    """Texts as a dictionary array, which counts and hashes can share; others as they are."""
    stored = array.type
    if pa.types.is_dictionary(stored) and not is_text(stored.value_type):
        return array.cast(stored.value_type)
    encoded = pc.dictionary_encode(array) if is_text(stored) else array
    if pa.types.is_dictionary(encoded.type) and isinstance(encoded, pa.ChunkedArray):
        # One dictionary for all chunks, so that no value is counted or hashed twice.
        encoded = encoded.unify_dictionaries().combine_chunks()
    return encoded


def finish_column(
    part: ColumnPart, name: str, position: int, settings: Settings, now: int | None = None
) -> ColumnSummary:
    """Judge the kind and compute the summary.

    ``now`` is the time in microseconds since 1970, to tell moments that lie in the future.
    """
    reading = _read(part, name, settings, now)
    kind, reason = reading.judgement
    facts = reading.facts
    missing = part.rows - facts.present
    return ColumnSummary(
        name=name,
        position=position,
        stored_type=str(part.stored),
        kind=kind,
        kind_reason=reason,
        rows=part.rows,
        missing=missing,
        distinct=facts.distinct,
        once=facts.once,
        agreement=(facts.agreeing + missing**2) / max(part.rows, 1) ** 2,
        memory_bytes=part.memory_bytes,
        frequent=reading.top(settings.frequent_values, "descending"),
        rarest=reading.top(settings.frequent_values, "ascending"),
        first_seen=part.first,
        last_seen=part.last,
        detail=reading.detail(settings),
        accuracy=facts.accuracy,
    )


def _observe(array: Any) -> Body:
    stored = array.type
    types = pa.types
    if types.is_dictionary(stored):
        return observe_texts(array)
    if types.is_boolean(stored):
        array = array.cast(pa.string())
    if types.is_decimal(stored):
        array = array.cast(pa.float64(), safe=False)
    if types.is_duration(stored):
        ticks = observe_numbers(array.cast(pa.int64()))
        chunks = tuple(chunk * _SECONDS[stored.unit] for chunk in ticks.chunks)
        return NumberPart(chunks, ticks.missing, 0, 0, ticks.order)
    if types.is_temporal(stored) and not types.is_interval(stored):
        return observe_moments(array)
    if types.is_integer(array.type) or types.is_floating(array.type):
        return observe_numbers(array)
    if is_text(array.type):
        return observe_texts(array)
    return observe_nested(array)


def is_text(stored: Any) -> bool:
    """Whether an Arrow type holds texts."""
    types = pa.types
    return bool(
        types.is_string(stored) or types.is_large_string(stored) or types.is_string_view(stored)
    )


def _ends(array: Any) -> tuple[str | None, str | None]:
    """First and last present value, as text."""
    if pa.types.is_null(array.type) or pa.types.is_nested(array.type):
        return None, None
    size = 1024
    while True:  # a short piece of either end tells, but where many are missing
        head, tail = array[:size], array[max(len(array) - size, 0) :]
        ends = np.flatnonzero(~missing_in(head)), np.flatnonzero(~missing_in(tail))
        if (len(ends[0]) and len(ends[1])) or size >= len(array):
            break
        size *= 32
    if not len(ends[0]):
        return None, None
    return _text(head.slice(int(ends[0][0]), 1)), _text(tail.slice(int(ends[1][-1]), 1))


def _text(one: Any) -> str:
    """An array of one value as text."""
    if pa.types.is_floating(one.type) or pa.types.is_integer(one.type):
        return number_text(one[0].as_py())
    if pa.types.is_temporal(one.type) and not pa.types.is_duration(one.type):
        part = observe_moments(one)
        return time_type(one.type).text(int(part.chunks[0][0]))
    return str(one[0].as_py())


# -- readings: a part, seen as the kind that it is ------------------------------------


@dataclass(frozen=True)
class _Facts:
    """Counts that every kind has. ``agreeing`` is the sum of the squared counts of the values."""

    present: int
    distinct: int
    once: int
    agreeing: float
    accuracy: Accuracy | None = None


def _facts_of(counts: NDArray[np.int64]) -> _Facts:
    squares = float((counts.astype(np.float64) ** 2).sum())
    return _Facts(int(counts.sum()), len(counts), int((counts == 1).sum()), squares)


def _facts_of_keys(keys: KeySample, present: int, accuracy: Accuracy) -> _Facts:
    squares = float((keys.counts.astype(np.float64) ** 2).mean()) if len(keys.counts) else 0.0
    return _Facts(present, keys.distinct, keys.once, squares * keys.distinct, accuracy)


@dataclass(frozen=True)
class _TextReading:
    tally: Tally
    judgement: Judgement

    @cached_property
    def facts(self) -> _Facts:
        return _facts_of(self.tally.counts)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        return tuple(Level(value, count) for value, count in self.tally.top(most, order))

    def detail(self, settings: Settings) -> Detail | None:
        kind = self.judgement[0]
        if kind is Kind.TEXT:
            return summarise_text(measure_texts(self.tally), settings)
        if kind is Kind.IDENTIFIER:
            return summarise_identifier(self.tally, settings)
        return summarise_category(self.tally, settings)


@dataclass(frozen=True)
class _NumberReading:
    numbers: SortedNumbers
    judgement: Judgement
    order: Order
    time: TimeType | None = None
    now: int | None = None

    @cached_property
    def facts(self) -> _Facts:
        infinite = [n for n in (self.numbers.infinite_below, self.numbers.infinite_above) if n]
        counts = np.concatenate((self.numbers.distinct_counts, infinite))
        return _facts_of(counts.astype(np.int64))

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        counts = self.numbers.distinct_counts
        key = -counts if order == "descending" else counts
        chosen = _smallest(key, most)
        values = self.numbers.distinct_values[chosen].tolist()
        return tuple(
            Level(self._label(value), count)
            for value, count in zip(values, counts[chosen].tolist(), strict=True)
        )

    def _label(self, value: int | float) -> str:
        return self.time.text(int(value)) if self.time else number_text(value)

    def detail(self, settings: Settings) -> Detail | None:
        if self.time:
            return summarise_moments(self.numbers, self.time, self.now)
        kind = self.judgement[0]
        if kind is Kind.FLAG:
            return summarise_category(tally_of_numbers(self.numbers), settings)
        if kind is Kind.IDENTIFIER:
            return summarise_identifier(tally_of_numbers(self.numbers), settings, self.order)
        return summarise_quantity(self.numbers, settings, self.order)


@dataclass(frozen=True)
class _NestedReading:
    """Values inside of cells are not told apart, so there is nothing to count."""

    part: NestedPart
    stored: Any
    rows: int
    judgement: Judgement

    @property
    def facts(self) -> _Facts:
        return _Facts(self.rows - self.part.missing, 0, 0, 0.0)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        return ()

    def detail(self, settings: Settings) -> Detail | None:
        return summarise_nested(self.part, self.stored, settings)


@dataclass(frozen=True)
class _CondensedTextReading:
    texts: CondensedTexts
    judgement: Judgement

    @property
    def facts(self) -> _Facts:
        return _facts_of_keys(self.texts.keys, self.texts.rows, self.texts.accuracy)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        if order == "ascending":
            return ()  # rare values are not kept
        return tuple(Level(*pair) for pair in self.texts.heavy.tally.top(most))

    def detail(self, settings: Settings) -> Detail | None:
        kind = self.judgement[0]
        if kind is Kind.TEXT:
            return summarise_text(self.texts.measures, settings)
        if kind is Kind.IDENTIFIER:
            return condensed_identifier(self.texts, settings)
        return condensed_category(self.texts, settings)


@dataclass(frozen=True)
class _CondensedNumberReading:
    numbers: CondensedNumbers
    judgement: Judgement
    time: TimeType | None = None
    now: int | None = None

    @property
    def facts(self) -> _Facts:
        numbers = self.numbers
        present = numbers.finite + numbers.infinite_below + numbers.infinite_above
        return _facts_of_keys(numbers.keys, present, numbers.accuracy)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        heavy = self.numbers.heavy
        if order == "ascending":
            return ()
        chosen = _smallest(-heavy.counts, most)
        label = (lambda v: self.time.text(int(v))) if self.time else number_text
        values, counts = heavy.values[chosen].tolist(), heavy.counts[chosen].tolist()
        return tuple(Level(label(v), n) for v, n in zip(values, counts, strict=True))

    def detail(self, settings: Settings) -> Detail | None:
        if self.time:
            sample = self.numbers.stand_ins()
            summary = summarise_moments(sample, self.time, self.now)
            return summary and scaled_moments(summary, self.numbers.finite / sample.n)
        if self.judgement[0] is Kind.IDENTIFIER:
            return IdentifierSummary(
                repeated_values=max(self.facts.distinct - self.facts.once, 0),
                repeated_rows=max(self.facts.present - self.facts.once, 0),
                shapes=(),
                shortest=0,
                longest=0,
                order=self.numbers.order.finish(),
                sequence=None,
            )
        return condensed_quantity(self.numbers, settings)


@dataclass(frozen=True)
class _NoReading:
    judgement: Judgement

    @property
    def facts(self) -> _Facts:
        return _Facts(0, 0, 0, 0.0)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        return ()

    def detail(self, settings: Settings) -> Detail | None:
        return None


_Reading = (
    _TextReading
    | _NumberReading
    | _CondensedTextReading
    | _CondensedNumberReading
    | _NestedReading
    | _NoReading
)


def _read(part: ColumnPart, name: str, settings: Settings, now: int | None) -> _Reading:
    reading = _read_body(part, part.body, name, settings, now)
    empty = reading.facts.present == 0
    return _NoReading((Kind.EMPTY, KindReason.NO_VALUES)) if empty else reading


def _read_body(
    part: ColumnPart, body: Body, name: str, settings: Settings, now: int | None
) -> _Reading:
    if isinstance(body, NestedPart):
        binary = not pa.types.is_nested(part.stored)
        reason = KindReason.STORED_BINARY if binary else KindReason.STORED_NESTED
        return _NestedReading(body, part.stored, part.rows, (Kind.NESTED, reason))
    if isinstance(body, NumberPart):
        return _read_numbers(part, body, name, settings, now)
    if isinstance(body, CondensedNumbers):
        return _read_condensed(part, body, name, now)
    if isinstance(body, CondensedTexts):
        return _CondensedTextReading(body, kind_of_texts(name, body))
    return _read_texts(part, body.counted().without(settings.missing_marks), name, now)


def _read_condensed(
    part: ColumnPart, body: CondensedNumbers, name: str, now: int | None
) -> _CondensedNumberReading:
    if pa.types.is_duration(part.stored):
        return _CondensedNumberReading(body, (Kind.DURATION, KindReason.LENGTHS_OF_TIME))
    if pa.types.is_temporal(part.stored):
        judged = (Kind.MOMENT, KindReason.DATES)
        return _CondensedNumberReading(body, judged, time_type(part.stored), now)
    low, high = body.lowest[0][0].item(), body.highest[0][-1].item()
    traits = NumberTraits(
        body.finite, body.keys.distinct, body.whole and isinstance(low, int), low, high, False
    )
    return _CondensedNumberReading(body, kind_of_numbers(name, traits))


def _read_numbers(
    part: ColumnPart, body: NumberPart, name: str, settings: Settings, now: int | None
) -> _NumberReading:
    numbers, order = body.sorted(), body.order.finish()
    if pa.types.is_duration(part.stored):
        return _NumberReading(numbers, (Kind.DURATION, KindReason.LENGTHS_OF_TIME), order)
    if pa.types.is_temporal(part.stored):
        judged = (Kind.MOMENT, KindReason.DATES)
        return _NumberReading(numbers, judged, order, time_type(part.stored), now)
    numbers = numbers.without(settings.missing_marks)
    return _NumberReading(numbers, kind_of_numbers(name, NumberTraits.of(numbers)), order)


def _read_texts(
    part: ColumnPart, tally: Tally, name: str, now: int | None
) -> _TextReading | _NumberReading | _NoReading:
    if not tally.distinct:
        return _NoReading((Kind.EMPTY, KindReason.NO_VALUES))
    if pa.types.is_boolean(part.stored):
        return _TextReading(tally, (Kind.FLAG, KindReason.TRUE_AND_FALSE))
    numbers = numbers_in(tally)
    if numbers is not None and numbers.n:
        kind, _ = kind_of_numbers(name, NumberTraits.of(numbers))
        if kind is Kind.QUANTITY:
            return _NumberReading(numbers, (kind, KindReason.NUMBERS_AS_TEXT), Order.NONE)
        return _TextReading(tally, kind_of_texts(name, TallyTraits(tally)))
    moments = moments_in(tally)
    if moments is not None:
        values, stored = moments
        judged = (Kind.MOMENT, KindReason.DATES_AS_TEXT)
        return _NumberReading(values, judged, Order.NONE, time_type(stored), now)
    return _TextReading(tally, kind_of_texts(name, TallyTraits(tally)))


def _smallest(key: NDArray[np.int64], most: int) -> NDArray[np.int64]:
    """Positions of the smallest keys, ties by position, without sorting all of them."""
    if len(key) <= most:
        return np.argsort(key, kind="stable")
    lowest = np.flatnonzero(key[: 64 * most] == key.min())
    if len(lowest) >= most:  # many share the first place, as where all values differ
        return lowest[:most]
    limit = np.partition(key, most - 1)[most - 1]
    under = np.flatnonzero(key < limit)
    level = np.flatnonzero(key == limit)[: most - len(under)]
    return np.concatenate((under[np.argsort(key[under], kind="stable")], level))
