"""Kinds: what a column means, and why it was taken for that."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import msgspec

#: A unit of the calendar; the word for it is in the catalogue under the same code.
CalendarUnit = Annotated[str, msgspec.Meta(pattern="^(second|minute|hour|day|month|year)$")]
#: Why a column has no relations: its kind, how it is stored, or that it never varies.
ExclusionReason = Annotated[
    str,
    msgspec.Meta(
        pattern="^(never_varies|identifier|text|nested|empty|too_many_columns|stored_otherwise)$"
    ),
]


class Kind(StrEnum):
    """What a column means."""

    QUANTITY = "quantity"
    CATEGORY = "category"
    FLAG = "flag"
    DATETIME = "datetime"
    DURATION = "duration"
    TEXT = "text"
    IDENTIFIER = "identifier"
    NESTED = "nested"
    EMPTY = "empty"


class Role(StrEnum):
    """What a column can be named as in the settings."""

    KEY = "key"
    OUTCOME = "outcome"
    TIME = "time_column"


#: Kinds that a column of each role can have; an empty one is what became of any of them.
ROLE_KINDS = {
    Role.KEY: tuple(Kind),
    Role.OUTCOME: (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.EMPTY),
    Role.TIME: (Kind.DATETIME, Kind.EMPTY),
}


class KindReason(StrEnum):
    """Why a column is of its kind; the words are in the catalogue under the same code."""

    NO_VALUES = "no_values"
    NUMBERS = "numbers"
    NUMBERS_AS_TEXT = "numbers_as_text"
    WRITTEN_NUMBERS = "written_numbers"
    ZERO_AND_ONE = "zero_and_one"
    TRUE_AND_FALSE = "true_and_false"
    PAIR_OF_WORDS = "pair_of_words"
    DATES = "dates"
    DATES_AS_TEXT = "dates_as_text"
    LENGTHS_OF_TIME = "lengths_of_time"
    COUNTED_UP = "counted_up"
    ALL_DIFFERENT_CODES = "all_different_codes"
    CODES_BY_NAME = "codes_by_name"
    CODES_OF_ONE_SHAPE = "codes_of_one_shape"
    FEW_LEVELS = "few_levels"
    WRITTEN_WORDS = "written_words"
    STORED_NESTED = "stored_nested"
    STORED_BINARY = "stored_binary"
    CHOSEN = "chosen"
    DESCRIBED = "described"
