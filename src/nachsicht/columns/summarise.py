"""A column's part, seen as the kind that it is: what is counted of it, and its summary."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.arrow.format import number_text
from nachsicht.columns.approximate import (
    CondensedNumbers,
    CondensedTexts,
)
from nachsicht.columns.approximate_summary import (
    condensed_category,
    condensed_identifier,
    condensed_quantity,
)
from nachsicht.columns.categorical import summarise_category
from nachsicht.columns.datetime import (
    TimeType,
    scaled_datetimes,
    summarise_datetimes,
    time_type,
)
from nachsicht.columns.infer.kind import (
    Judgement,
    NumberTraits,
    ValueCountsTraits,
    kind_as_described,
    kind_of_numbers,
    kind_of_texts,
)
from nachsicht.columns.infer.parse_text import datetimes_in, numbers_in
from nachsicht.columns.nested import NestedPart, summarise_nested
from nachsicht.columns.numeric import summarise_quantity
from nachsicht.columns.numeric_state import NumberPart
from nachsicht.columns.text import summarise_identifier, summarise_text, value_counts_of_numbers
from nachsicht.columns.text_format import written_of
from nachsicht.columns.text_stats import measure_texts
from nachsicht.config.settings import Settings
from nachsicht.errors import SettingsError
from nachsicht.kernels.ranking import first_of, told_of_counts
from nachsicht.model.column import Detail, ErrorBounds, IdentifierSummary, Level, Order, TextFormat
from nachsicht.model.dataset_schema import ColumnDescription
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.sketches.distinct import KeySample
from nachsicht.stats.row_order import OrderPart
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts, ValueCountsPart

#: So many of the smallest are found faster one by one than by sorting all.
_FEW = 64

Body = NumberPart | ValueCountsPart | NestedPart | CondensedNumbers | CondensedTexts


class _Facts(msgspec.Struct, frozen=True):
    """Counts that every kind has. ``agreeing`` is the sum of the squared counts of the values."""

    present: int
    distinct: int
    once: int
    agreeing: float
    accuracy: ErrorBounds | None = None


def _facts_of(counts: NDArray[np.int64]) -> _Facts:
    present, once, squares = told_of_counts(counts)
    return _Facts(present, len(counts), once, squares)


def _facts_of_keys(keys: KeySample, present: int, accuracy: ErrorBounds) -> _Facts:
    squares = float((keys.counts.astype(np.float64) ** 2).mean()) if len(keys.counts) else 0.0
    return _Facts(present, keys.distinct, keys.once, squares * keys.distinct, accuracy)


class _Unitless:
    unit: str | None = None

    @property
    def written(self) -> TextFormat | None:
        """How texts are written, where they are kept."""
        return None


class _TextReading(_Unitless, msgspec.Struct, frozen=True, dict=True):
    tally: ValueCounts
    judgement: Judgement

    @kept
    def facts(self) -> _Facts:
        return _facts_of(self.tally.counts)

    @property
    def written(self) -> TextFormat | None:
        return None if self.judgement[1] is KindReason.TRUE_AND_FALSE else written_of(self.tally)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        return tuple(Level(value, count) for value, count in self.tally.top(most, order))

    def detail(self, settings: Settings) -> Detail | None:
        kind = self.judgement[0]
        if kind is Kind.TEXT:
            return summarise_text(measure_texts(self.tally), settings)
        if kind is Kind.IDENTIFIER:
            return summarise_identifier(self.tally, settings)
        return summarise_category(self.tally, settings)


class _NumberReading(msgspec.Struct, frozen=True, dict=True):
    numbers: SortedNumbers
    judgement: Judgement
    order: OrderPart | None
    time: TimeType | None = None
    now: int | None = None
    unit: str | None = None
    texts: ValueCounts | None = None

    @property
    def written(self) -> TextFormat | None:
        return written_of(self.texts) if self.texts else None

    @kept
    def facts(self) -> _Facts:
        infinite = [n for n in (self.numbers.infinite_below, self.numbers.infinite_above) if n]
        counts = np.append(self.numbers.repeated_counts, infinite).astype(np.int64)
        known, more = _facts_of(counts), self.numbers.once
        return _Facts(
            known.present + more, known.distinct + more, known.once + more, known.agreeing + more
        )

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        falling, often = order == "descending", self.numbers.repeated_counts
        alone = [] if falling and len(often) >= most else self.numbers.lowest_once(most).tolist()
        repeated = _first(often, most, falling=falling)
        values = self.numbers.repeated_values[repeated].tolist()
        found = [*zip(values, often[repeated].tolist(), strict=True)]
        once = [(value, 1) for value in alone]
        counted = (found + once if falling else once + found)[:most]
        return tuple(Level(self._label(value), count) for value, count in counted)

    def _label(self, value: int | float) -> str:
        return self.time.text(int(value)) if self.time else number_text(value)

    def detail(self, settings: Settings) -> Detail | None:
        order = self.order.finish() if self.order else None
        if self.time:
            return summarise_datetimes(self.numbers, self.time, self.now, order)
        kind = self.judgement[0]
        if kind in (Kind.FLAG, Kind.CATEGORY):
            return summarise_category(value_counts_of_numbers(self.numbers), settings)
        if kind is Kind.IDENTIFIER:
            return summarise_identifier(value_counts_of_numbers(self.numbers), settings, order)
        return summarise_quantity(self.numbers, settings, self.order)


class _NestedReading(_Unitless, msgspec.Struct, frozen=True):
    """Values inside of cells are not distinguished, so there is nothing to count."""

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


class _CondensedTextReading(_Unitless, msgspec.Struct, frozen=True):
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


class _CondensedNumberReading(_Unitless, msgspec.Struct, frozen=True):
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
        chosen = _first(heavy.counts, most, falling=True)
        label = (lambda v: self.time.text(int(v))) if self.time else number_text
        values, counts = heavy.values[chosen].tolist(), heavy.counts[chosen].tolist()
        return tuple(Level(label(v), n) for v, n in zip(values, counts, strict=True))

    def detail(self, settings: Settings) -> Detail | None:
        order = self.numbers.order.finish()
        if self.time:
            sample = self.numbers.stand_ins()
            summary = summarise_datetimes(sample, self.time, self.now, order)
            return summary and scaled_datetimes(summary, self.numbers.finite / sample.n)
        if self.judgement[0] is Kind.IDENTIFIER:
            return IdentifierSummary(
                duplicate_values=max(self.facts.distinct - self.facts.once, 0),
                duplicate_rows=max(self.facts.present - self.facts.once, 0),
                patterns=(),
                min_length=0,
                max_length=0,
                order=order,
                sequence=None,
                min_hashes=(),
            )
        return condensed_quantity(self.numbers, settings)


class _NoReading(_Unitless, msgspec.Struct, frozen=True):
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


def read_part(
    body: Body, stored: Any, rows: int, name: str, now: int | None, chosen: Kind | None = None
) -> _Reading:
    """The reading of a part; of the empty kind where no row has a value.

    Raises
    ------
    SettingsError
        If the user chose a kind that the values cannot have.
    """
    reading = _read_body(body, stored, rows, name, now)
    if reading.facts.present == 0:
        return _NoReading((Kind.EMPTY, KindReason.NO_VALUES))
    if chosen is None or chosen is reading.judgement[0]:
        return reading
    return _as_chosen(reading, name, chosen)


def as_described(reading: _Reading, described: ColumnDescription) -> _Reading:
    """The reading as what a description says that the column is, where its values can be that."""
    kind = reading.judgement[0]
    wished = kind_as_described(kind, reading.facts.distinct, described)
    if wished is kind:
        return reading
    # Beyond memory numbers keep no levels; as codes they still have no mean.
    kinds = (wished, Kind.IDENTIFIER) if wished is Kind.CATEGORY else (wished,)
    found = (_of_kind(reading, (each, KindReason.DESCRIBED)) for each in kinds)
    return next((each for each in found if each), reading)


#: Kinds that a column of texts, and one of numbers, can be taken for.
_TEXT_KINDS = (Kind.CATEGORY, Kind.FLAG, Kind.TEXT, Kind.IDENTIFIER)
_NUMBER_KINDS = (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.IDENTIFIER)


def _as_chosen(reading: _Reading, name: str, chosen: Kind) -> _Reading:
    found = _of_kind(reading, (chosen, KindReason.CHOSEN))
    if found is None:
        raise SettingsError(
            "kind_does_not_fit", where=f"kinds.{name}", chosen=chosen, value=reading.judgement[0]
        )
    return found


def _of_kind(reading: _Reading, judged: Judgement) -> _Reading | None:
    """The same values as another kind; None where they cannot be that."""
    chosen = judged[0]
    two = chosen is not Kind.FLAG or reading.facts.distinct <= 2
    if isinstance(reading, _NumberReading) and reading.texts and chosen in _TEXT_KINDS and two:
        return _TextReading(reading.texts, judged)
    if isinstance(reading, _TextReading | _CondensedTextReading) and chosen in _TEXT_KINDS and two:
        return msgspec.structs.replace(reading, judgement=judged)
    if isinstance(reading, _NumberReading | _CondensedNumberReading) and not reading.time:
        condensed = isinstance(reading, _CondensedNumberReading)
        if two and chosen in _NUMBER_KINDS and not (condensed and chosen is Kind.CATEGORY):
            return msgspec.structs.replace(reading, judgement=judged)
    return None


def _read_body(body: Body, stored: Any, rows: int, name: str, now: int | None) -> _Reading:
    if isinstance(body, NestedPart):
        binary = not pa.types.is_nested(stored)
        reason = KindReason.STORED_BINARY if binary else KindReason.STORED_NESTED
        return _NestedReading(body, stored, rows, (Kind.NESTED, reason))
    if isinstance(body, NumberPart):
        return _read_numbers(stored, body, name, now)
    if isinstance(body, CondensedNumbers):
        return _read_condensed(stored, body, name, now)
    if isinstance(body, CondensedTexts):
        return _CondensedTextReading(body, kind_of_texts(name, body))
    return _read_texts(stored, body.counted(), name, now)


def _read_condensed(
    stored: Any, body: CondensedNumbers, name: str, now: int | None
) -> _CondensedNumberReading:
    if pa.types.is_duration(stored):
        return _CondensedNumberReading(body, (Kind.DURATION, KindReason.LENGTHS_OF_TIME))
    if pa.types.is_temporal(stored):
        judged = (Kind.DATETIME, KindReason.DATES)
        return _CondensedNumberReading(body, judged, time_type(stored), now)
    low, high = body.lowest[0][0].item(), body.highest[0][-1].item()
    traits = NumberTraits(
        body.finite, body.keys.distinct, body.whole and isinstance(low, int), low, high, False
    )
    return _CondensedNumberReading(body, kind_of_numbers(name, traits))


def _read_numbers(stored: Any, body: NumberPart, name: str, now: int | None) -> _NumberReading:
    numbers, order = body.sorted(), body.order
    if pa.types.is_duration(stored):
        return _NumberReading(numbers, (Kind.DURATION, KindReason.LENGTHS_OF_TIME), order)
    if pa.types.is_temporal(stored):
        judged = (Kind.DATETIME, KindReason.DATES)
        return _NumberReading(numbers, judged, order, time_type(stored), now)
    traits = NumberTraits.of(numbers, rising=order.finish() is Order.STRICTLY_INCREASING)
    return _NumberReading(numbers, kind_of_numbers(name, traits), order)


def _read_texts(
    stored: Any, tally: ValueCounts, name: str, now: int | None
) -> _TextReading | _NumberReading | _NoReading:
    if not tally.distinct:
        return _NoReading((Kind.EMPTY, KindReason.NO_VALUES))
    if pa.types.is_boolean(stored):
        return _TextReading(tally, (Kind.FLAG, KindReason.TRUE_AND_FALSE))
    found = numbers_in(tally)
    if found is not None and found.numbers.n:
        kind, _ = kind_of_numbers(name, NumberTraits.of(found.numbers))
        if kind is Kind.QUANTITY:
            plain = KindReason.NUMBERS_AS_TEXT
            judged = (kind, plain if found.plain else KindReason.WRITTEN_NUMBERS)
            return _NumberReading(found.numbers, judged, None, unit=found.unit, texts=tally)
        return _TextReading(tally, kind_of_texts(name, ValueCountsTraits(tally)))
    moments = datetimes_in(tally)
    if moments is not None:
        values, stored = moments
        dates = (Kind.DATETIME, KindReason.DATES_AS_TEXT)
        return _NumberReading(values, dates, None, time_type(stored), now, texts=tally)
    return _TextReading(tally, kind_of_texts(name, ValueCountsTraits(tally)))


def _first(keys: NDArray[np.int64], most: int, *, falling: bool) -> NDArray[np.int64]:
    """Places of the smallest keys, or the largest; ties by place. Few are found without sorting."""
    if most > _FEW:
        return np.argsort(-keys if falling else keys, kind="stable")[:most]
    chosen = np.empty(min(most, len(keys)), np.int64)
    first_of(np.ascontiguousarray(keys), falling, chosen)
    return chosen
