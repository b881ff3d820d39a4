"""Which kind a column is of, told from its values, and its name where values leave it open."""

from __future__ import annotations

import re

import numpy as np
import pyarrow.compute as pc

from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.tallies import Tally
from nachsicht.compute.text_bytes import count_words
from nachsicht.compute.written import shapes
from nachsicht.model.kinds import Kind, KindReason

Judgement = tuple[Kind, KindReason]

#: Words in which a yes and a no are usually written, in lower case.
PAIRS = (
    {"yes", "no"},
    {"y", "n"},
    {"true", "false"},
    {"t", "f"},
    {"0", "1"},
)
_NAMES_THINGS = re.compile(r"(^|[_\s.-])(id|uuid|guid|key|nr|serial)$|[a-z]Id$", re.IGNORECASE)
#: Below so many rows, that all values differ says nothing.
FEW_ROWS = 20
#: A column of texts with at most so many different values is a category in any case.
FEW_LEVELS = 50
_LONGEST_CODE = 64


def names_things(name: str) -> bool:
    """Whether a column's name says that it holds identifiers."""
    return bool(_NAMES_THINGS.search(name))


def kind_of_numbers(name: str, numbers: SortedNumbers) -> Judgement:
    """Quantity, flag or identifier."""
    distinct = numbers.distinct_values
    if np.array_equal(distinct, [0, 1]):
        return Kind.FLAG, KindReason.ZERO_AND_ONE
    if numbers.whole and numbers.values.dtype.kind in "iu":
        all_different = len(distinct) == numbers.n and numbers.n >= FEW_ROWS
        if names_things(name) and (all_different or len(distinct) > FEW_LEVELS):
            return Kind.IDENTIFIER, KindReason.ALL_DIFFERENT_CODES
        if all_different and numbers.n > FEW_LEVELS and _counted_up(numbers):
            return Kind.IDENTIFIER, KindReason.COUNTED_UP
    return Kind.QUANTITY, KindReason.NUMBERS


def kind_of_texts(name: str, tally: Tally) -> Judgement:
    """Flag, identifier, category or text."""
    distinct, rows = tally.distinct, int(tally.counts.sum())
    if distinct == 2:
        words = {str(value).strip().casefold() for value in tally.values.to_pylist()}
        if words in PAIRS:
            return Kind.FLAG, KindReason.PAIR_OF_WORDS
    words_each = _mean_words(tally)
    if words_each >= 4 and distinct > FEW_ROWS:
        return Kind.TEXT, KindReason.WRITTEN_WORDS
    if rows >= FEW_ROWS and words_each < 1.5 and _short(tally):
        if distinct == rows or (names_things(name) and distinct > FEW_LEVELS):
            return Kind.IDENTIFIER, KindReason.ALL_DIFFERENT_CODES
        if distinct > max(FEW_LEVELS, rows // 50) and _one_shape(tally):
            return Kind.IDENTIFIER, KindReason.CODES_OF_ONE_SHAPE
    if distinct <= FEW_LEVELS or distinct * 2 <= rows:
        return Kind.CATEGORY, KindReason.FEW_LEVELS
    return Kind.TEXT, KindReason.WRITTEN_WORDS


def _counted_up(numbers: SortedNumbers) -> bool:
    """Whether at least half of the whole numbers between the ends occur."""
    return bool(int(numbers.values[-1]) - int(numbers.values[0]) < 2 * numbers.n)


def _mean_words(tally: Tally) -> float:
    return float(np.average(count_words(tally.values), weights=tally.counts))


def _short(tally: Tally) -> bool:
    return int(pc.max(pc.utf8_length(tally.values)).as_py()) <= _LONGEST_CODE


def _one_shape(tally: Tally) -> bool:
    """Whether 95 % of the rows share one shape, with a digit in it."""
    (shape, count), *_ = shapes(tally).top(1)
    return "9" in shape and count >= 0.95 * int(tally.counts.sum())
