"""Rows compared with the description that came with them: how many break which rule.

Rules that speak of one value at a time are counted here, exactly, whatever the size of the data;
whether values are missing or repeat is known from the summaries of the columns.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_texts, missing_in, taken, values_of
from nachsicht.arrow.numeric import as_numbers
from nachsicht.arrow.text_values import INTEGER, ISO_DATE, ISO_DATETIME, NO, NUMBER, YES
from nachsicht.arrow.types import is_text, is_usable_pattern
from nachsicht.columns.cell_text import short_texts
from nachsicht.model.dataset_schema import Bound, ColumnDescription, Description, Rule, StatedType

#: Different values that are kept to show how a rule is broken.
MOST_EXAMPLES = 4

_Broken = NDArray[np.bool_]
#: How values are written, where texts stand for them.
_WRITTEN = {
    StatedType.WHOLE: INTEGER,
    StatedType.NUMBER: NUMBER,
    StatedType.DATE: ISO_DATE,
    StatedType.DATETIME: ISO_DATETIME,
}


class Violation(msgspec.Struct, frozen=True):
    """Rows that break one rule of one column, and a few of their values."""

    rows: int
    examples: tuple[str, ...]

    def merge(self, later: Violation) -> Violation:
        """Put the rows that follow to these."""
        both = dict.fromkeys((*self.examples, *later.examples))
        return Violation(self.rows + later.rows, tuple(both)[:MOST_EXAMPLES])


#: By the place of the column and the rule.
Violations = dict[tuple[int, Rule], Violation]


class BreachesPart(msgspec.Struct, frozen=True):
    """All breaches so far."""

    found: Violations = msgspec.field(default_factory=dict)

    def merge(self, later: BreachesPart) -> BreachesPart:
        """Put the part of the rows that follow behind this one."""
        found = dict(self.found)
        for place, breach in later.found.items():
            found[place] = found[place].merge(breach) if place in found else breach
        return BreachesPart(found)


def observe_breaches(batch: Any, description: Description | None) -> BreachesPart:
    """Hold some rows against a description.

    Parameters
    ----------
    batch : Arrow table or record batch
        Prepared.
    description : Description, optional
        Without one nothing is broken.
    """
    found: Violations = {}
    if description is None or not batch.num_rows:
        return BreachesPart(found)
    for place, name in enumerate(batch.schema.names):
        stated = description.column(name)
        if stated is None:
            continue
        array = _plain(batch.column(place))
        for rule, broken in _broken(array, stated):
            rows = np.flatnonzero(broken)
            if len(rows):
                found[place, rule] = Violation(len(rows), _examples(array, rows))
    return BreachesPart(found)


def _plain(array: Any) -> Any:
    """Dictionaries as what they stand for."""
    types = pa.types
    return array.cast(array.type.value_type) if types.is_dictionary(array.type) else array


def _examples(array: Any, rows: NDArray[np.int64]) -> tuple[str, ...]:
    """The first few different values of some rows."""
    few = dict.fromkeys(text or "" for text in short_texts(taken(array, rows[:64])))
    return tuple(few)[:MOST_EXAMPLES]


def _broken(array: Any, stated: ColumnDescription) -> Iterator[tuple[Rule, _Broken]]:
    """Where each rule of a column is broken; missing values break none of these."""
    present = ~missing_in(array)
    mistyped = _mistyped(array, stated, present)
    yield Rule.TYPE, mistyped
    fitting = present & ~mistyped
    for rule, bound in ((Rule.MINIMUM, stated.minimum), (Rule.MAXIMUM, stated.maximum)):
        if bound is not None:
            yield rule, _beyond(array, stated, rule, bound) & fitting
    texts = _texts(array)
    if texts is not None:
        if stated.min_length is not None or stated.max_length is not None:
            yield Rule.LENGTH, _otherwise_long(texts, stated) & fitting
        if stated.pattern is not None and is_usable_pattern(stated.pattern):
            yield Rule.PATTERN, ~_true(_fits(texts, f"^(?:{stated.pattern})$")) & fitting
    if stated.levels:
        yield Rule.LEVELS, ~_among(array, stated.levels) & fitting


def _texts(array: Any) -> Any:
    """Values as texts; None where their way of being written is not kept."""
    if is_text(array.type):
        return array
    return array.cast(pa.string()) if pa.types.is_integer(array.type) else None


def _fits(texts: Any, pattern: str) -> Any:
    return pc.match_substring_regex(texts, pattern)


def _true(array: Any) -> _Broken:
    """Where an Arrow array of flags is true, and not null."""
    flags: _Broken = values_of(pc.fill_null(array, False)).astype(np.bool_)
    return flags


def _mistyped(array: Any, stated: ColumnDescription, present: _Broken) -> _Broken:
    """Where a value is not of the type that is stated; nowhere where that is unknown."""
    said = stated.type
    if said is StatedType.FLAG:
        return present & ~_flags(array, stated)
    if said not in _WRITTEN or stated.format:
        return np.zeros(len(array), np.bool_)
    if is_text(array.type):
        return present & ~_true(_fits(array, _WRITTEN[said]))
    in_time = pa.types.is_timestamp(array.type) or pa.types.is_date(array.type)
    numbers = None if in_time else as_numbers(array)
    fitting = in_time if said in (StatedType.DATE, StatedType.DATETIME) else numbers is not None
    if not fitting:
        return present
    if said is StatedType.WHOLE and numbers and numbers[0].dtype.kind == "f":
        broken: _Broken = numbers[1] & (np.floor(numbers[0]) != numbers[0])
        return broken
    return np.zeros(len(array), np.bool_)


def _flags(array: Any, stated: ColumnDescription) -> _Broken:
    """Where a value is a yes or a no."""
    if pa.types.is_boolean(array.type):
        return np.ones(len(array), np.bool_)
    words = (*stated.yes, *stated.no)
    if is_text(array.type):
        if words:
            return _true(pc.is_in(array, arrow_texts(words).cast(array.type)))
        plain = pc.utf8_lower(pc.utf8_trim_whitespace(array))
        return _true(pc.is_in(plain, arrow_texts((*YES, *NO)).cast(plain.type)))
    return _among(array, words or ("0", "1"))


def _beyond(array: Any, stated: ColumnDescription, rule: Rule, bound: Bound) -> _Broken:
    """Where a value lies beyond a bound; nowhere, where the two cannot be held together."""
    nowhere = np.zeros(len(array), np.bool_)
    if is_text(array.type):
        if stated.type not in (StatedType.WHOLE, StatedType.NUMBER):
            return nowhere
        other = pc.invert(_fits(array, _WRITTEN[StatedType.NUMBER]))
        fitting = pc.replace_with_mask(array, other, pa.scalar(None, array.type))
        array = pc.utf8_trim_whitespace(fitting).cast(pa.float64())
    try:
        if pa.types.is_timestamp(array.type) or pa.types.is_date(array.type):
            limit = _datetime(str(bound), array.type)
        elif as_numbers(array) is not None:
            array, limit = array.cast(pa.float64(), safe=False), pa.scalar(float(bound))
        else:
            return nowhere
    except (pa.ArrowException, ValueError):
        return nowhere
    if rule is Rule.MINIMUM:
        return _true((pc.less_equal if stated.above else pc.less)(array, limit))
    return _true((pc.greater_equal if stated.below else pc.greater)(array, limit))


def _datetime(text: str, stored: Any) -> Any:
    """A date or time as a value of a type; without a zone it is one of UTC."""
    stated = arrow_texts([text])[0]
    try:
        moment = pc.cast(stated, pa.timestamp("us"))
    except pa.ArrowInvalid:  # with a zone
        moment = pc.cast(stated, pa.timestamp("us", "UTC")).cast(pa.timestamp("us"))
    if getattr(stored, "tz", None):
        moment = pc.assume_timezone(moment, "UTC")
    return moment.cast(stored, safe=False)


def _otherwise_long(texts: Any, stated: ColumnDescription) -> _Broken:
    lengths = values_of(pc.fill_null(pc.utf8_length(texts), 0))
    shortest, longest = stated.min_length or 0, stated.max_length
    short: _Broken = lengths < shortest
    return short if longest is None else short | (lengths > longest)


def _among(array: Any, levels: Sequence[str]) -> _Broken:
    """Where a value is one of some, which are shown as texts."""
    numbers = as_numbers(array)
    if is_text(array.type):
        return _true(pc.is_in(array, arrow_texts(levels).cast(array.type)))
    if pa.types.is_boolean(array.type):
        return _true(pc.is_in(array.cast(pa.string()), arrow_texts(levels).cast(pa.string())))
    if numbers is None or pa.types.is_temporal(array.type):
        return _true(pc.is_in(array.cast(pa.string()), arrow_texts(levels).cast(pa.string())))
    known = [number for level in levels if (number := _number(level)) is not None]
    among: _Broken = np.isin(numbers[0], known) & numbers[1]
    return among


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None
