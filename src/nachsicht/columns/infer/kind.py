"""Which kind a column is of, inferred from its values, and its name where values leave it open."""

from __future__ import annotations

import re
from typing import NamedTuple, Protocol

import numpy as np

from nachsicht._util.cached import kept
from nachsicht.arrow.text_values import YES_NO
from nachsicht.columns.text_stats import shapes
from nachsicht.model.dataset_schema import ColumnDescription, StatedType
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts

Judgement = tuple[Kind, KindReason]
_PAIRS = [set(pair) for pair in YES_NO]

_NAMES_THINGS = re.compile(r"(^|[_\s.-])(id|uuid|guid|key|nr|serial)$|[a-z]Id$", re.IGNORECASE)
#: Numbers that are codes: nobody computes with postcodes and telephone numbers.
_NAMES_CODES = re.compile(
    r"(^|[_\s.-])(zip|zip_?code|post_?code|postal_?code|plz|phone|telephone|fax)($|[_\s.-])",
    re.IGNORECASE,
)
#: Numbers that say which group a row belongs to.
_NAMES_GROUPS = re.compile(
    r"(^|[_\s.-])(group|grp|subject|subj|cluster|treatment|trt|district|region|occupation|"
    r"sex|gender|race|religion|site|lot|plot|block|batch|plate|station|ward|stratum|strata|arm|cohort|"
    r"clinic|hospital|cent(er|re))($|[_\s.-])",
    re.IGNORECASE,
)
#: What counts up without naming a row: years, and steps of time.
_COUNTS_TIME = re.compile(
    r"(^|[_\s.-])(year|yr|jahr|time|t|day|week|month|quarter|period|hour|age|step)s?($|[_\s.-])",
    re.IGNORECASE,
)
#: Of fewer rows, that they are numbered or all named differently says nothing.
_FEWEST_NUMBERED = 8
#: Below so many rows, that all values differ says nothing.
FEW_ROWS = 20
#: A column of texts with at most so many different values is a category in any case.
FEW_LEVELS = 50
_LONGEST_CODE = 64
#: From this share on, values count as all different.
ALL_DIFFERENT = 0.97
#: Numbers count up if this share of them follows on the one before.
_FOLLOWING = 0.9
#: Leaps between runs of numbers that are left out of their span.
_LEAPS = 3
#: Numbers of which so many would repeat by chance, and none does, are names.
_NEVER_BY_CHANCE = 10


def names_things(name: str) -> bool:
    """Whether a column's name says that it holds identifiers."""
    return bool(_NAMES_THINGS.search(name))


class NumberTraits(NamedTuple):
    """What of a column of numbers tells its kind."""

    rows: int
    distinct: int
    stored_whole: bool
    lowest: int | float
    highest: int | float
    zero_and_one: bool
    codes: bool = False
    rising: bool = False
    consecutive: bool = False
    #: How often numbers drawn at random from between the ends would repeat, that do not here.
    expected_repeats: float = 0.0

    @staticmethod
    def of(numbers: SortedNumbers, *, rising: bool = False) -> NumberTraits:
        """The traits of numbers that are all there, and whether they rise from row to row."""
        low, high = (numbers.values[0].item(), numbers.values[-1].item()) if numbers.n else (0, 0)
        stored_whole = numbers.values.dtype.kind in "iu"
        pair = numbers.distinct == 2 and (low, high) == (0, 1)
        few = numbers.distinct <= FEW_LEVELS
        codes = few and low >= 0 and numbers.distinct * 2 <= numbers.n and numbers.whole
        different = stored_whole and numbers.n > FEW_LEVELS and numbers.distinct == numbers.n
        consecutive, repeats = False, 0.0
        if different:
            steps = np.diff(numbers.values.astype(np.float64))
            consecutive = float((steps == 1).mean()) >= _FOLLOWING
            # A few leaps part runs of numbers, such as those of several years.
            span = steps.sum() - np.partition(steps, -_LEAPS)[-_LEAPS:].sum()
            repeats = numbers.n**2 / (2 * max(float(span), 1.0))
        return NumberTraits(
            numbers.n,
            numbers.distinct,
            stored_whole,
            low,
            high,
            pair,
            codes,
            rising,
            consecutive,
            repeats,
        )


def kind_of_numbers(name: str, traits: NumberTraits) -> Judgement:
    """Quantity, flag, category or identifier."""
    if traits.zero_and_one:
        return Kind.FLAG, KindReason.ZERO_AND_ONE
    if traits.stored_whole and _NAMES_CODES.search(name):
        many = traits.distinct > FEW_LEVELS
        return Kind.IDENTIFIER if many else Kind.CATEGORY, KindReason.CODES_BY_NAME
    if traits.codes and _NAMES_GROUPS.search(name):
        return Kind.CATEGORY, KindReason.CODES_BY_NAME
    if traits.stored_whole and not _COUNTS_TIME.search(name):
        reason = _naming_rows(name, traits)
        if reason:
            return Kind.IDENTIFIER, reason
    return Kind.QUANTITY, KindReason.NUMBERS


def _naming_rows(name: str, traits: NumberTraits) -> KindReason | None:
    """Why whole numbers name the rows; None where they do not."""
    # Beyond memory the number of different values is an estimate.
    all_different = traits.distinct >= ALL_DIFFERENT * traits.rows
    many = traits.rows >= FEW_ROWS
    if many and names_things(name) and (all_different or traits.distinct > FEW_LEVELS):
        return KindReason.ALL_DIFFERENT_CODES
    # At least half of the whole numbers between the ends occur, or there are several such runs.
    dense = traits.highest - traits.lowest < 2 * traits.rows or traits.consecutive
    counted = all_different and traits.rows > FEW_LEVELS and dense
    if counted or _is_row_number(traits):
        return KindReason.COUNTED_UP
    never = traits.expected_repeats >= _NEVER_BY_CHANCE
    return KindReason.ALL_DIFFERENT_CODES if never else None


def _is_row_number(traits: NumberTraits) -> bool:
    """Whether rows are numbered from 0 or 1 on, in their order."""
    return (
        traits.rising
        and traits.rows >= _FEWEST_NUMBERED
        and traits.lowest in (0, 1)
        and traits.highest - traits.lowest + 1 == traits.rows == traits.distinct
    )


class TextTraits(Protocol):
    """What of a column of texts tells its kind."""

    @property
    def rows(self) -> int:
        """Rows with a text."""

    @property
    def distinct(self) -> int:
        """Different texts."""

    @property
    def mean_words(self) -> float:
        """Mean number of words."""

    @property
    def longest(self) -> int:
        """Characters of the longest text."""

    @property
    def top_shape(self) -> tuple[str, int]:
        """The most frequent shape, and its rows."""

    def some(self, most: int) -> set[str]:
        """The texts, if there are no more than so many."""


class ValueCountsTraits:
    """Traits read off a tally, when they are asked for."""

    def __init__(self, tally: ValueCounts) -> None:
        self._tally = tally
        self.distinct = tally.distinct
        self.rows = int(tally.counts.sum())

    @kept
    def mean_words(self) -> float:
        """Mean number of words."""
        words, rows = self._tally.measured.words, self._tally.counts
        often = np.flatnonzero(rows > 1)  # most texts of a long column stand once
        further = int(words[often].astype(np.int64) @ (rows[often] - 1))
        return (int(words.sum(dtype=np.int64)) + further) / max(self.rows, 1)

    @kept
    def longest(self) -> int:
        """Characters of the longest text."""
        return int(self._tally.measured.characters.max())

    @kept
    def top_shape(self) -> tuple[str, int]:
        """The most frequent shape, and its rows."""
        return shapes(self._tally).top(1)[0]

    def some(self, most: int) -> set[str]:
        """The texts, if there are no more than so many."""
        return set(self._tally.values.to_pylist()) if self.distinct <= most else set()


def kind_of_texts(name: str, traits: TextTraits) -> Judgement:
    """Flag, identifier, category or text."""
    distinct, rows = traits.distinct, traits.rows
    if {word.strip().casefold() for word in traits.some(2)} in _PAIRS:
        return Kind.FLAG, KindReason.PAIR_OF_WORDS
    if traits.mean_words >= 4 and distinct > FEW_ROWS:
        return Kind.TEXT, KindReason.WRITTEN_WORDS
    reason = _naming_rows_in_texts(name, traits)
    if reason:
        return Kind.IDENTIFIER, reason
    if distinct <= FEW_LEVELS or distinct * 2 <= rows:
        return Kind.CATEGORY, KindReason.FEW_LEVELS
    return Kind.TEXT, KindReason.WRITTEN_WORDS


def _naming_rows_in_texts(name: str, traits: TextTraits) -> KindReason | None:
    """Why short texts name the rows; None where they do not."""
    distinct, rows = traits.distinct, traits.rows
    if traits.longest > _LONGEST_CODE:
        return None
    if rows < FEW_ROWS:
        named = _FEWEST_NUMBERED <= rows == distinct
        return KindReason.ALL_DIFFERENT_CODES if named else None
    if traits.mean_words >= 1.5:
        return None
    # Beyond memory the number of different values is an estimate.
    if distinct >= ALL_DIFFERENT * rows or (names_things(name) and distinct > FEW_LEVELS):
        return KindReason.ALL_DIFFERENT_CODES
    shaped = distinct > max(FEW_LEVELS, rows // 50) and _one_shape(traits)
    return KindReason.CODES_OF_ONE_SHAPE if shaped else None


def _one_shape(traits: TextTraits) -> bool:
    """Whether 95 % of the rows share one shape, with a digit in it."""
    shape, count = traits.top_shape
    return "9" in shape and count >= 0.95 * traits.rows


def kind_as_described(kind: Kind, distinct: int, described: ColumnDescription) -> Kind:
    """The kind that a description gives a column, from what its values make of it.

    Numbers that are called texts are codes: categories where there are few, else identifiers.
    """
    stated, found = described.type, kind
    codes = stated is StatedType.TEXT and kind in (Kind.QUANTITY, Kind.FLAG)
    names = described.unique and stated in (StatedType.TEXT, StatedType.WHOLE, StatedType.ANY)
    if kind in (Kind.EMPTY, Kind.NESTED, Kind.DURATION):
        return kind
    if stated is StatedType.FLAG:
        found = Kind.FLAG
    elif described.levels and kind is not Kind.FLAG:
        found = Kind.CATEGORY
    elif names or (codes and distinct > FEW_LEVELS):
        found = Kind.IDENTIFIER
    elif codes:
        found = Kind.CATEGORY
    elif stated is StatedType.NUMBER and kind is Kind.IDENTIFIER:
        found = Kind.QUANTITY
    return found
