"""What a description that came with the data says of it, before anybody examined a row."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

import msgspec

#: Numbers; dates and times as ISO texts.
Bound = int | float | str


class StatedType(StrEnum):
    """What the values of a column are said to be."""

    ANY = "any"
    TEXT = "text"
    WHOLE = "whole"
    NUMBER = "number"
    FLAG = "flag"
    DATE = "date"
    DATETIME = "datetime"
    TIME = "time"
    DURATION = "duration"
    NESTED = "nested"


class Rule(StrEnum):
    """What a description can ask of a column."""

    TYPE = "type"
    REQUIRED = "required"
    UNIQUE = "unique"
    MINIMUM = "minimum"
    MAXIMUM = "maximum"
    LENGTH = "length"
    PATTERN = "pattern"
    LEVELS = "levels"


class ColumnDescription(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What is said of one column.

    Attributes
    ----------
    name : str
        As it stands in the data.
    type : StatedType
        What its values are.
    format : str
        How its values are written, as the description has it, where that is not the usual way.
    title, text, unit : str
        For people.
    required, unique : bool
        Whether every row has a value, and no two rows the same.
    minimum, maximum : int, float or str, optional
        What values may not lie beyond; ``above`` and ``below`` say that they may not equal it.
    min_length, max_length : int, optional
        Characters of a value.
    pattern : str, optional
        A regular expression that a value fits as a whole.
    levels : tuple of str
        The only values there may be, as texts; empty for any.
    ordered : bool
        Whether the levels stand in their order, the lowest first.
    na_values : tuple of str
        What stands for missing.
    yes, no : tuple of str
        How a flag is written.
    """

    name: str
    type: StatedType = StatedType.ANY
    format: str = ""
    title: str = ""
    text: str = ""
    unit: str = ""
    required: bool = False
    unique: bool = False
    minimum: Bound | None = None
    maximum: Bound | None = None
    above: bool = False
    below: bool = False
    min_length: int | None = None
    max_length: int | None = None
    pattern: str | None = None
    levels: tuple[str, ...] = ()
    ordered: bool = False
    na_values: tuple[str, ...] = ()
    yes: tuple[str, ...] = ()
    no: tuple[str, ...] = ()


class Description(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What is said of a dataset.

    Attributes
    ----------
    source : str
        Where it was read from: the name of a file, or of a database.
    columns : tuple of ColumnDescription
        In the order that is said to be theirs.
    whole : bool
        Whether it means to tell of every column, so that others are worth a word.
    title, text : str
        For people.
    key : tuple of str
        Columns that together name a row.
    """

    source: str
    columns: tuple[ColumnDescription, ...]
    whole: bool = True
    title: str = ""
    text: str = ""
    key: tuple[str, ...] = ()

    def column(self, name: str) -> ColumnDescription | None:
        """What is said of the first column of that name."""
        return next((column for column in self.columns if column.name == name), None)


class Promise(NamedTuple):
    """One thing that a description asks of a column, as the code of its words and their facts."""

    code: str
    facts: dict[str, Bound | tuple[str, ...]]


def promise_of(rule: Rule, stated: ColumnDescription) -> Promise:
    """What a rule asks of a column."""
    bounds = {
        Rule.MINIMUM: (stated.minimum, stated.above),
        Rule.MAXIMUM: (stated.maximum, stated.below),
    }
    if rule in bounds:
        bound, without = bounds[rule]
        return Promise(str(rule) + "_without" * without, {"bound": bound if bound else 0})
    if rule is Rule.LENGTH:
        shortest: dict[str, Bound | tuple[str, ...]] = {"shortest": stated.min_length or 0}
        if stated.max_length is None:
            return Promise("length_from", shortest)
        return Promise("length", shortest | {"longest": stated.max_length})
    facts: dict[Rule, dict[str, Bound | tuple[str, ...]]] = {
        Rule.PATTERN: {"pattern": stated.pattern or ""},
        Rule.LEVELS: {"levels": stated.levels},
    }
    return Promise(f"type_{stated.type}" if rule is Rule.TYPE else str(rule), facts.get(rule, {}))


def promises_in(stated: ColumnDescription) -> list[Promise]:
    """All that a description asks of a column."""
    asked = {
        Rule.TYPE: stated.type is not StatedType.ANY,
        Rule.REQUIRED: stated.required,
        Rule.UNIQUE: stated.unique,
        Rule.MINIMUM: stated.minimum is not None,
        Rule.MAXIMUM: stated.maximum is not None,
        Rule.LENGTH: stated.min_length is not None or stated.max_length is not None,
        Rule.PATTERN: stated.pattern is not None,
        Rule.LEVELS: bool(stated.levels),
    }
    return [promise_of(rule, stated) for rule, is_asked in asked.items() if is_asked]
