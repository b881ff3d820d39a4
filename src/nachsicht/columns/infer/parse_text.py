"""Numbers and dates that were stored as text are taken for what they mean."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.buffers import values_of
from nachsicht.arrow.text_values import (
    ANY_CURRENCY,
    ANY_UNIT,
    CODE,
    CURRENCIES,
    DATE_FORMATS,
    MANY_DIGITS,
    NUMBER_WITH_COMMA,
    NUMBER_WITH_POINT,
)
from nachsicht.columns.datetime import observe_datetimes
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts

#: Texts that are examined first; most columns fail among them.
_TRIAL = 100


class ParsedNumbers(NamedTuple):
    """Numbers, one for each row, and the unit that stood with all of them."""

    numbers: SortedNumbers
    unit: str | None
    plain: bool


def numbers_in(tally: ValueCounts) -> ParsedNumbers | None:
    """The numbers, if every text is one; None otherwise.

    Numbers may be written with thousands separators, a decimal comma, and one unit, currency
    or per cent sign, the same in all texts. Where a comma could be either, it stands between
    thousands.
    """
    texts = tally.values
    trial = texts[:_TRIAL]
    for read in (_plain, _with_point, _with_comma):
        if read(trial) is None:
            continue
        if pc.any(pc.match_substring_regex(texts, CODE)).as_py():
            return None
        found = read(texts)
        if found is not None:
            values, unit = found
            if _run_together(texts, values):
                return None
            return ParsedNumbers(_each_row(values, tally), unit, read is _plain)
    return None


def _run_together(texts: Any, values: Any) -> bool:
    """Whether texts of more digits than numbers keep would become equal numbers."""
    many = pc.match_substring_regex(texts, MANY_DIGITS)
    if not pc.any(many).as_py():
        return False
    numbers = pc.unique(values.filter(many))
    return bool(len(numbers) < pc.sum(many).as_py())


def datetimes_in(tally: ValueCounts) -> tuple[SortedNumbers, Any] | None:
    """Microseconds, one for each row, and the type, if every text is a date or time.

    ISO 8601, and the usual orders of day, month and year. Where day and month could be
    either, the day stands first.
    """
    found = datetimes_of(tally.values)
    return None if found is None else (_datetimes(found[0], tally), found[1])


def datetimes_of(texts: Any) -> tuple[Any, Any] | None:
    """The dates or times of different texts as an Arrow array, and their type, if all are one."""
    for stored in (pa.date32(), pa.timestamp("us"), pa.timestamp("us", "UTC")):
        if _cast(pc.utf8_trim_whitespace(texts[:_TRIAL]), stored) is not None:
            values = _cast(pc.utf8_trim_whitespace(texts), stored)
            if values is not None:
                return values, stored
    if not pc.all(pc.match_substring_regex(texts[:_TRIAL], r"\d.*\D.*\d")).as_py():
        return None
    for pattern in DATE_FORMATS:
        if _parse(texts[:_TRIAL], pattern) is not None:
            values = _parse(texts, pattern)
            if values is not None:
                day_only = "%H" not in pattern
                return values, pa.date32() if day_only else values.type
    return None


def _datetimes(values: Any, tally: ValueCounts) -> SortedNumbers:
    rows = np.repeat(observe_datetimes(values).chunks[0], tally.counts)
    rows.sort()
    return SortedNumbers(rows)


def _each_row(values: Any, tally: ValueCounts) -> SortedNumbers:
    rows = np.repeat(values_of(values), tally.counts)
    finite = rows[np.isfinite(rows)]
    finite.sort()
    return SortedNumbers(finite, int((rows == -np.inf).sum()), int((rows == np.inf).sum()))


def _plain(texts: Any) -> tuple[Any, None] | None:
    texts = pc.utf8_trim_whitespace(texts)
    values = _cast(texts, pa.int64())
    if values is None:
        values = _cast(texts, pa.float64())
    return None if values is None else (values, None)


def _with_point(texts: Any) -> tuple[Any, str | None] | None:
    return _written(texts, NUMBER_WITH_POINT, "[,' ]", None)


def _with_comma(texts: Any) -> tuple[Any, str | None] | None:
    return _written(texts, NUMBER_WITH_COMMA, "[.' ]", ",")


def _written(
    texts: Any, number: str, between: str, decimal: str | None
) -> tuple[Any, str | None] | None:
    """Numbers of one way of writing, with at most one unit before or behind."""
    bare = pc.utf8_trim_whitespace(texts)
    unit = _unit_of(bare[0].as_py())
    sign = re.escape(unit) if unit else ""
    whole = rf"^{number}$"
    if unit in CURRENCIES:
        whole = rf"^({sign}\s?{number}|{number}\s?{sign})$"
    elif unit:
        whole = rf"^{number}\s?{sign}$"
    if not pc.all(pc.match_substring_regex(bare, whole)).as_py():
        return None
    if unit:
        bare = pc.utf8_trim_whitespace(pc.replace_substring(bare, unit, ""))
    bare = pc.replace_substring_regex(bare, between, "")
    if decimal:
        bare = pc.replace_substring(bare, decimal, ".")
    values = _cast(bare, pa.float64())
    return None if values is None else (values, unit)


def _unit_of(text: str) -> str | None:
    found = re.search(rf"({ANY_UNIT})$", text) or re.match(rf"({ANY_CURRENCY})", text)
    return found.group(1) if found else None


def _parse(texts: Any, pattern: str) -> Any:
    parsed = pc.strptime(
        pc.utf8_trim_whitespace(texts), format=pattern, unit="us", error_is_null=True
    )
    return None if parsed.null_count else parsed


def _cast(texts: Any, to: Any) -> Any:
    try:
        return texts.cast(to)
    except pa.ArrowInvalid:
        return None
