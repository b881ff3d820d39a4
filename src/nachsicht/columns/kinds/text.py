"""Columns stored as texts, or as true and false: exact, or condensed beyond memory."""

from __future__ import annotations

from typing import Any

import pyarrow as pa

from nachsicht._util.cached import kept
from nachsicht.arrow.types import is_text
from nachsicht.columns.approximate import CondensedTexts
from nachsicht.columns.approximate_summary import condensed_category, condensed_identifier
from nachsicht.columns.categorical import summarise_category
from nachsicht.columns.datetime import time_type
from nachsicht.columns.infer.kind import (
    Judgement,
    NumberTraits,
    ValueCountsTraits,
    kind_of_numbers,
    kind_of_texts,
)
from nachsicht.columns.infer.parse_text import datetimes_in, numbers_in
from nachsicht.columns.kinds.numeric import NumericColumn
from nachsicht.columns.kinds.protocol import (
    ColumnFacts,
    Counts,
    StoredType,
    TypedColumn,
    empty_column,
)
from nachsicht.columns.text import summarise_identifier, summarise_text
from nachsicht.columns.text_format import written_of
from nachsicht.columns.text_stats import measure_texts
from nachsicht.config.settings import Settings
from nachsicht.model.column import Detail, Level, TextFormat
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.stats.value_counts import (
    ValueCounts,
    ValueCountsPart,
    observe_flags,
    observe_texts,
)

_KINDS = (Kind.CATEGORY, Kind.FLAG, Kind.TEXT, Kind.IDENTIFIER)


class TextColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    """Texts with the count of every distinct one."""

    tally: ValueCounts

    @kept
    def counts(self) -> Counts:
        """Counts of present and distinct values."""
        return Counts.of(self.tally.counts)

    @property
    def text_format(self) -> TextFormat | None:
        """How the texts are written; true and false are none."""
        return None if self.judgement[1] is KindReason.TRUE_AND_FALSE else written_of(self.tally)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        """The most frequent values or the rarest."""
        return tuple(Level(value, count) for value, count in self.tally.top(most, order))

    def summarise(self, settings: Settings) -> Detail | None:
        """The summary of a text, identifier, category or flag."""
        kind = self.judgement[0]
        if kind is Kind.TEXT:
            return summarise_text(measure_texts(self.tally), settings)
        if kind is Kind.IDENTIFIER:
            return summarise_identifier(self.tally, settings)
        return summarise_category(self.tally, settings)

    def as_kind(self, judgement: Judgement) -> TypedColumn | None:
        """As another kind that texts can be."""
        return self.replaced(judgement) if self.fits(judgement[0], _KINDS) else None


class CondensedTextColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    """Texts of which sketches are kept."""

    texts: CondensedTexts

    @property
    def counts(self) -> Counts:
        """Counts of present values, and an estimate of distinct ones."""
        return Counts.estimated(self.texts.keys, self.texts.rows, self.texts.accuracy)

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        """The most frequent values; the rarest are not kept."""
        if order == "ascending":
            return ()
        return tuple(Level(*pair) for pair in self.texts.heavy.tally.top(most))

    def summarise(self, settings: Settings) -> Detail | None:
        """The summary of a text, identifier, category or flag."""
        kind = self.judgement[0]
        if kind is Kind.TEXT:
            return summarise_text(self.texts.measures, settings)
        if kind is Kind.IDENTIFIER:
            return condensed_identifier(self.texts, settings)
        return condensed_category(self.texts, settings)

    def as_kind(self, judgement: Judgement) -> TypedColumn | None:
        """As another kind that texts can be."""
        return self.replaced(judgement) if self.fits(judgement[0], _KINDS) else None


def _infer_texts(body: ValueCountsPart | CondensedTexts, facts: ColumnFacts) -> TypedColumn:
    """Numbers or datetimes where nearly all texts are read as such; else by the texts."""
    if isinstance(body, CondensedTexts):
        return CondensedTextColumn(judgement=kind_of_texts(facts.name, body), texts=body)
    tally = body.counted()
    if not tally.distinct:
        return empty_column()
    return _numbers(tally, facts) or _datetimes(tally, facts) or _texts(tally, facts)


def _texts(tally: ValueCounts, facts: ColumnFacts) -> TextColumn:
    judgement = kind_of_texts(facts.name, ValueCountsTraits(tally))
    return TextColumn(judgement=judgement, tally=tally)


def _numbers(tally: ValueCounts, facts: ColumnFacts) -> TypedColumn | None:
    """Texts that are numbers: as such if they are a quantity, else texts all the same."""
    found = numbers_in(tally)
    if found is None or not found.numbers.n:
        return None
    texts = _texts(tally, facts)
    kind, _ = kind_of_numbers(facts.name, NumberTraits.of(found.numbers))
    if kind is not Kind.QUANTITY:
        return texts
    reason = KindReason.NUMBERS_AS_TEXT if found.plain else KindReason.WRITTEN_NUMBERS
    return NumericColumn(
        judgement=(kind, reason), numbers=found.numbers, unit=found.unit, texts=texts
    )


def _datetimes(tally: ValueCounts, facts: ColumnFacts) -> NumericColumn | None:
    found = datetimes_in(tally)
    if found is None:
        return None
    values, stored = found
    return NumericColumn(
        judgement=(Kind.DATETIME, KindReason.DATES_AS_TEXT),
        numbers=values,
        time=time_type(stored),
        now=facts.now,
        texts=_texts(tally, facts),
    )


def _infer_flags(body: ValueCountsPart | CondensedTexts, facts: ColumnFacts) -> TypedColumn:
    if isinstance(body, CondensedTexts):
        return _infer_texts(body, facts)
    judgement = (Kind.FLAG, KindReason.TRUE_AND_FALSE)
    return TextColumn(judgement=judgement, tally=body.counted())


def _is_text(stored: Any) -> bool:
    return is_text(stored) or pa.types.is_dictionary(stored)


TEXTS = StoredType("texts", _is_text, observe_texts, _infer_texts)
FLAGS = StoredType("flags", pa.types.is_boolean, observe_flags, _infer_flags)
