"""Where the rows are that show a finding: one rule for each way of being seen in them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_texts, missing_in, values_of
from nachsicht.arrow.numeric import as_numbers
from nachsicht.arrow.text_values import ZEROS_AND_DIGITS
from nachsicht.arrow.types import is_text
from nachsicht.columns.levels import levels_in
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.findings import Finding
from nachsicht.model.statistics import known

#: Rows of a version that show a finding.
MOST_ROWS = 4
#: Rows that are looked through at first; all of them where these do not show enough.
_FIRST = 50_000

Places = NDArray[np.int64]


class Look(NamedTuple):
    """What a rule may look at: the columns of a finding, as data and as summaries."""

    arrays: Sequence[Any]
    columns: Sequence[ColumnSummary]

    def first(self, rows: int) -> Look:
        """The first rows alone."""
        return Look([array.slice(0, rows) for array in self.arrays], self.columns)


class Locator(NamedTuple):
    """A rule that finds rows, as numbers from 0.

    ``everywhere`` says that it must see all rows; others find the same in the first ones, if
    there are enough. ``of_columns`` says that it looks at the columns of the finding.
    """

    find: Callable[[Finding, Look], Places]
    everywhere: bool = False
    of_columns: bool = True

    def rows(self, finding: Finding, look: Look) -> Places:
        """The numbers of rows that show a finding, a few at most."""
        if look.arrays and not self.everywhere and len(look.arrays[0]) > _FIRST:
            few = self.find(finding, look.first(_FIRST))
            if len(few) >= MOST_ROWS:
                return few[:MOST_ROWS]
        return self.find(finding, look)[:MOST_ROWS]


def _missing(_: Finding, look: Look) -> Places:
    return np.flatnonzero(np.logical_and.reduce([missing_in(array) for array in look.arrays]))


def _any_present(_: Finding, look: Look) -> Places:
    """Rows from everywhere that have a value in all columns, the same each time."""
    arrays, length = look.arrays, len(look.arrays[0])
    if length > _FIRST:
        # A few neighbours at each place will do, unless values are rare.
        starts = (np.arange(MOST_ROWS) * 2 + 1) * length // (2 * MOST_ROWS)
        near = [_present_in([array.slice(start, 200) for array in arrays]) for start in starts]
        if all(len(places) for places in near):
            return np.array([start + places[0] for start, places in zip(starts, near, strict=True)])
    there = _present_in(arrays)
    if len(there) <= MOST_ROWS:
        return there
    return there[(np.arange(MOST_ROWS) * 2 + 1) * len(there) // (2 * MOST_ROWS)]


def _present_in(arrays: Sequence[Any]) -> Places:
    return np.flatnonzero(~np.logical_or.reduce([missing_in(array) for array in arrays]))


def _none(_: Finding, __: Look) -> Places:
    return np.empty(0, np.int64)


def equal(fact: str) -> Locator:
    """Rows whose value is that of a fact, or one of several."""

    def rows(finding: Finding, look: Look) -> Places:
        wanted = finding.evidence.get(fact)
        values = list(wanted) if isinstance(wanted, tuple) else [wanted]
        return _with_values(look.arrays[0], values)

    return Locator(rows)


def _with_values(array: Any, values: Sequence[object]) -> Places:
    """The first rows of each of some values."""
    numbers = as_numbers(array)
    if numbers and all(isinstance(value, int | float) for value in values):
        held, present = numbers
        each = [np.flatnonzero(present & (held == value)) for value in values]
    elif is_text(array.type):
        each = [_equal_text(array, str(value)) for value in values]
        each = [places for places in each if len(places)]
    else:
        if pa.types.is_nested(array.type):
            return np.empty(0, np.int64)
        names, codes = levels_in(array, None)
        places = {name: i for i, name in enumerate(names)}
        texts = [str(value) for value in values]
        each = [np.flatnonzero(codes == places[text]) for text in texts if text in places]
    if not each:
        return np.empty(0, np.int64)
    share = max(1, MOST_ROWS // len(each))
    return np.concatenate([places[:share] for places in each[:MOST_ROWS]])


def _infinite(_: Finding, look: Look) -> Places:
    if not pa.types.is_floating(look.arrays[0].type):
        return np.empty(0, np.int64)
    numbers = as_numbers(look.arrays[0])
    assert numbers
    return np.flatnonzero(~numbers[1] & ~missing_in(look.arrays[0]))


def _beyond(finding: Finding, look: Look) -> Places:
    """Rows beyond the bound of the finding, the outermost ones."""
    numbers, bound = as_numbers(look.arrays[0]), finding.evidence.get("bound")
    if not numbers or not isinstance(bound, int | float):
        return np.empty(0, np.int64)
    values, present = numbers
    below = finding.evidence.get("side") == "below"
    places = np.flatnonzero(present & ((values < bound) if below else (values > bound)))
    away = np.abs(values[places].astype(np.float64) - bound)
    return np.sort(_largest(away, places))


def _outermost(_: Finding, look: Look) -> Places:
    """Rows farthest from the median."""
    numbers, detail = as_numbers(look.arrays[0]), look.columns[0].stats
    median = detail.median if isinstance(detail, QuantitySummary) else None
    if not numbers or not isinstance(detail, QuantitySummary) or not known(median):
        return np.empty(0, np.int64)
    values, present = numbers
    low, high = _ends_of_outermost(detail, float(median))
    places = np.flatnonzero(present & ((values <= low) | (values >= high)))
    away = np.abs(values[places].astype(np.float64) - median)
    return np.sort(_largest(away, places))


def _twice(_: Finding, look: Look) -> Places:
    """Rows of values that occur more than once."""
    values = [level.value for level in look.columns[0].top_values if level.count > 1]
    return _with_values(look.arrays[0], values[:2])


def _ends_of_outermost(detail: QuantitySummary, median: float) -> tuple[float, float]:
    """The outermost values begin up to the first of these, and from the second on.

    The summary tells how many rows have each of the values at the ends.
    """
    ends = {end.value: end.count for end in (*detail.lowest, *detail.highest)}
    by_distance = sorted(ends, key=lambda value: -abs(value - median))
    rows = 0
    for value in by_distance:
        rows += ends[value]
        if rows >= MOST_ROWS:
            chosen = [end for end in ends if abs(end - median) >= abs(value - median)]
            break
    else:
        return median, median  # there are few rows
    low = max((value for value in chosen if value < median), default=-math.inf)
    return low, min((value for value in chosen if value >= median), default=math.inf)


def _latest(_: Finding, look: Look) -> Places:
    numbers = as_numbers(look.arrays[0])
    if not numbers:
        return np.empty(0, np.int64)
    places = np.flatnonzero(numbers[1])
    return _largest(numbers[0][places].astype(np.int64), places)


def _largest(values: Any, places: Places) -> Places:
    """Places of the largest values, the earlier of equal ones first."""
    if len(values) > MOST_ROWS:
        limit = np.partition(values, len(values) - MOST_ROWS)[len(values) - MOST_ROWS]
        values, places = values[values >= limit], places[values >= limit]
    return places[np.argsort(-values, kind="stable")[:MOST_ROWS]]


def _zero(_: Finding, look: Look) -> Places:
    return _with_values(look.arrays[0], [0])


def _repeated(finding: Finding, _: Look) -> Places:
    """The first rows of a duplicated block, each after the row that it equals; or equal rows."""
    first, original = (finding.evidence.get(f"first_{row}") for row in ("row", "original_row"))
    equal = finding.evidence.get("equal_rows")
    if isinstance(equal, tuple) and equal and isinstance(equal[0], tuple):
        return np.array(equal[0], np.int64)[:MOST_ROWS] - 1
    if not isinstance(first, int) or not isinstance(original, int):
        return np.empty(0, np.int64)
    pairs = np.arange(MOST_ROWS // 2)
    return np.column_stack((original - 1 + pairs, first - 1 + pairs)).ravel()


def _blank(_: Finding, look: Look) -> Places:
    array = look.arrays[0]
    if is_text(array.type):
        return _equal_text(pc.utf8_trim_whitespace(array), "")
    if not pa.types.is_dictionary(array.type):
        return np.empty(0, np.int64)
    names, codes = levels_in(array, None)
    return np.flatnonzero(np.isin(codes, [i for i, name in enumerate(names) if not name.strip()]))


def _written(finding: Finding, look: Look) -> Places:
    """Rows that show a change of writing: those with zeros in front, if it is about these."""
    array = look.arrays[0]
    if finding.form.startswith("zeros_") and is_text(array.type):
        begins = pc.match_substring_regex(array, ZEROS_AND_DIGITS)
        return np.flatnonzero(values_of(begins) & ~missing_in(array))
    return _any_present(finding, look)


def _equal_text(array: Any, text: str) -> Places:
    # A text by itself would go through a conversion that imports pandas.
    same = pc.equal(array, arrow_texts([text]).cast(array.type)[0])
    return np.flatnonzero(values_of(same) & ~missing_in(same))


def _violating(finding: Finding, look: Look) -> Places:
    """Rows that break a rule of a description: by their values, or because they have none."""
    if finding.evidence.get("rule") == "required":
        return _missing(finding, look)
    examples = finding.evidence.get("examples")
    return _with_values(look.arrays[0], examples if isinstance(examples, tuple) else ())


MISSING = Locator(_missing)
ANY_PRESENT = Locator(_any_present, everywhere=True)
NONE = Locator(_none)
BEYOND = Locator(_beyond, everywhere=True)
INFINITE = Locator(_infinite)
OUTERMOST = Locator(_outermost, everywhere=True)
TWICE = Locator(_twice, everywhere=True)
LATEST = Locator(_latest, everywhere=True)
ZERO = Locator(_zero)
BLANK = Locator(_blank)
WRITTEN = Locator(_written, everywhere=True)
VIOLATING = Locator(_violating)
REPEATED = Locator(_repeated, everywhere=True, of_columns=False)
