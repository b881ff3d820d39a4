"""The rows that show a finding, with their numbers."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht._util.parallel import Spread
from nachsicht.arrow.buffers import arrow_texts, missing_in, taken, values_of
from nachsicht.arrow.numeric import as_numbers
from nachsicht.arrow.types import is_text
from nachsicht.columns.cell_text import rows_of_texts
from nachsicht.columns.levels import levels_in
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.findings import Finding, ShownRow, ShownRows
from nachsicht.model.kinds import Kind
from nachsicht.model.statistics import known

#: Rows of a version that show a finding, and columns of which they are shown.
MOST_ROWS, MOST_COLUMNS = 4, 5

_Places = NDArray[np.int64]
_Rule = Callable[[Finding, Sequence[Any]], _Places]

#: Rows that are looked through at first; all of them where these do not show enough.
_FIRST = 50_000


class ExampleRowFinder:
    """Finds the rows of one version that show a finding."""

    def __init__(self, label: str, table: Any, columns: Sequence[ColumnSummary]) -> None:
        self._label, self._table = label, table
        self._columns = columns
        self._far: dict[int, _Places] = {}
        self._places = {column.name: column.position for column in reversed(columns)}
        named = [c.name for c in columns if c.kind in (Kind.IDENTIFIER, Kind.MOMENT)]
        self._names = named[:1]
        # What else is shown of a row: short columns, in their order.
        self._others = [c.name for c in columns if c.kind not in (Kind.TEXT, Kind.NESTED)]

    def rows(
        self, finding: Finding, names: Mapping[str, str], *, newest: bool = True
    ) -> ShownRows | None:
        """Rows with their numbers; None where no single row shows it.

        Parameters
        ----------
        finding : Finding
            What shall be shown.
        names : mapping
            What this version calls the columns of the finding, where otherwise.
        newest : bool
            Whether this is the version that the finding speaks of, not the one before.
        """
        own = [names.get(name, name) for name in finding.columns]
        there = [name for name in own if name in self._places][:MOST_COLUMNS]
        arrays = [self._table.column(self._places[name]) for name in there]
        rule = (_NEWEST if newest else _BEFORE).get(finding.code)
        if not arrays and rule is not _repeated:
            return None
        if finding.code in _TWICE:
            places = self._twice(own)
        elif newest and finding.code in _OUTERMOST:
            places = self._outermost(self._places[there[0]])
        else:
            places = _looked_up(rule, finding, arrays) if rule else _any_present(arrays)
        if not len(places):
            return None
        shown = [*[n for n in self._names if n not in there], *there]
        shown += [n for n in self._others if n not in shown][: max(MOST_COLUMNS - len(shown), 0)]
        shown = shown[:MOST_COLUMNS]
        places = places[:MOST_ROWS]
        few = taken(self._table.select([self._places[n] for n in shown]), places)
        cells = rows_of_texts(few, len(places))
        return ShownRows(
            version=self._label,
            columns=tuple(shown),
            rows=tuple(
                ShownRow(place + 1, own) for place, own in zip(places.tolist(), cells, strict=True)
            ),
        )

    def _outermost(self, position: int) -> _Places:
        """Rows far from all others in a column, of which several findings may speak."""
        if position not in self._far:
            found = _outermost(self._columns[position], self._table.column(position))
            self._far[position] = found
        return self._far[position]

    def _twice(self, names: Sequence[str]) -> _Places:
        """Rows of an identifier's values that occur more than once."""
        for column in self._columns:
            if column.name in names:
                values = [level.value for level in column.frequent if level.count > 1]
                return _with_values(self._table.column(column.position), values[:2])
        return np.empty(0, np.int64)


def _looked_up(rule: _Rule, finding: Finding, arrays: Sequence[Any]) -> _Places:
    """Rows among the first ones, if these are enough; else among all."""
    if arrays and rule in _LAZY and len(arrays[0]) > _FIRST:
        few = rule(finding, [array.slice(0, _FIRST) for array in arrays])
        if len(few) >= MOST_ROWS:
            return few
    return rule(finding, arrays)


def with_rows(
    findings: Sequence[Finding], shower: ExampleRowFinder, spread: Spread = map
) -> tuple[Finding, ...]:
    """Findings of one version with the rows that show them."""

    def shown(finding: Finding) -> Finding:
        rows = shower.rows(finding, {})
        return msgspec.structs.replace(finding, shown=(rows,)) if rows else finding

    return tuple(spread(shown, findings))


def with_rows_of_both(
    finding: Finding,
    old: ExampleRowFinder | None,
    new: ExampleRowFinder | None,
    renamed: Mapping[str, str],
) -> Finding:
    """A finding between two versions with rows of both; ``renamed`` leads to the older names."""
    found = (
        old.rows(finding, renamed, newest=False) if old else None,
        new.rows(finding, {}) if new else None,
    )
    return msgspec.structs.replace(finding, shown=tuple(rows for rows in found if rows))


def _missing(_: Finding, arrays: Sequence[Any]) -> _Places:
    return np.flatnonzero(np.logical_and.reduce([missing_in(array) for array in arrays]))


def _any_together(_: Finding, arrays: Sequence[Any]) -> _Places:
    return _any_present(arrays)


def _any_present(arrays: Sequence[Any]) -> _Places:
    """Rows from everywhere that have a value in all columns, the same each time."""
    length = len(arrays[0])
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


def _present_in(arrays: Sequence[Any]) -> _Places:
    return np.flatnonzero(~np.logical_or.reduce([missing_in(array) for array in arrays]))


def _nothing(_: Finding, __: Sequence[Any]) -> _Places:
    return np.empty(0, np.int64)


def _equal(fact: str) -> _Rule:
    """Rows whose value is that of a fact, or one of several."""

    def rows(finding: Finding, arrays: Sequence[Any]) -> _Places:
        wanted = finding.evidence.get(fact)
        values = list(wanted) if isinstance(wanted, tuple) else [wanted]
        return _with_values(arrays[0], values)

    return rows


def _with_values(array: Any, values: Sequence[object]) -> _Places:
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
        places = {name: i for i, name in enumerate(names[:-1])}
        texts = [str(value) for value in values]
        each = [np.flatnonzero(codes == places[text]) for text in texts if text in places]
    if not each:
        return np.empty(0, np.int64)
    share = max(1, MOST_ROWS // len(each))
    return np.concatenate([places[:share] for places in each[:MOST_ROWS]])


def _infinite(_: Finding, arrays: Sequence[Any]) -> _Places:
    if not pa.types.is_floating(arrays[0].type):
        return np.empty(0, np.int64)
    numbers = as_numbers(arrays[0])
    assert numbers
    return np.flatnonzero(~numbers[1] & ~missing_in(arrays[0]))


def _outermost(column: ColumnSummary, array: Any) -> _Places:
    """Rows farthest from the median."""
    numbers, detail = as_numbers(array), column.detail
    median = detail.median if isinstance(detail, QuantitySummary) else None
    if not numbers or not isinstance(detail, QuantitySummary) or not known(median):
        return np.empty(0, np.int64)
    values, present = numbers
    low, high = _ends_of_outermost(detail, float(median))
    places = np.flatnonzero(present & ((values <= low) | (values >= high)))
    away = np.abs(values[places].astype(np.float64) - median)
    return np.sort(_largest(away, places))


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


def _latest(_: Finding, arrays: Sequence[Any]) -> _Places:
    numbers = as_numbers(arrays[0])
    if not numbers:
        return np.empty(0, np.int64)
    places = np.flatnonzero(numbers[1])
    return _largest(numbers[0][places].astype(np.int64), places)


def _largest(values: Any, places: _Places) -> _Places:
    """Places of the largest values, the earlier of equal ones first."""
    if len(values) > MOST_ROWS:
        limit = np.partition(values, len(values) - MOST_ROWS)[len(values) - MOST_ROWS]
        values, places = values[values >= limit], places[values >= limit]
    return places[np.argsort(-values, kind="stable")[:MOST_ROWS]]


def _zero(_: Finding, arrays: Sequence[Any]) -> _Places:
    return _with_values(arrays[0], [0])


def _repeated(finding: Finding, _: Sequence[Any]) -> _Places:
    """The first rows of the longest block of repeats, each after the one that it repeats."""
    first, original = finding.evidence.get("first_row"), finding.evidence.get("first_original")
    if not isinstance(first, int) or not isinstance(original, int):
        return np.empty(0, np.int64)
    pairs = np.arange(MOST_ROWS // 2)
    return np.column_stack((original - 1 + pairs, first - 1 + pairs)).ravel()


def _blank(_: Finding, arrays: Sequence[Any]) -> _Places:
    array = arrays[0]
    if is_text(array.type):
        return _equal_text(pc.utf8_trim_whitespace(array), "")
    if not pa.types.is_dictionary(array.type):
        return np.empty(0, np.int64)
    names, codes = levels_in(array, None)
    return np.flatnonzero(np.isin(codes, [i for i, name in enumerate(names) if not name.strip()]))


def _equal_text(array: Any, text: str) -> _Places:
    # A text by itself would go through a conversion that imports pandas.
    same = pc.equal(array, arrow_texts([text]).cast(array.type)[0])
    return np.flatnonzero(values_of(same) & ~missing_in(same))


def _otherwise(finding: Finding, arrays: Sequence[Any]) -> _Places:
    """Rows that break a rule of a description: by their values, or because they have none."""
    if finding.evidence.get("rule") == "required":
        return _missing(finding, arrays)
    examples = finding.evidence.get("examples")
    return _with_values(arrays[0], examples if isinstance(examples, tuple) else ())


#: Findings that speak of values that occur twice.
_TWICE = ("identifier_repeats", "identifier_repeats_new")
#: Findings that speak of values far from all others.
_OUTERMOST = ("outliers", "skewed")
#: How rows of the version that a finding speaks of show it; others show any rows with values.
_NEWEST: dict[str, _Rule] = {
    "gaps": _missing,
    "gaps_risen": _missing,
    "gaps_together": _missing,
    "all_missing": _missing,
    "stand_in": _equal("value"),
    "stand_in_new": _equal("value"),
    "surged": _equal("value"),
    "gaps_filled": _equal("value"),
    "clipped": _equal("cap"),
    "look_alikes": _equal("spellings"),
    "respelled": _equal("new_spellings"),
    "levels_new": _equal("levels"),
    "relabelled": _equal("new_levels"),
    "imbalance": _equal("level"),
    "nearly_constant": _equal("value"),
    "levels_gone": _nothing,
    "described_otherwise": _otherwise,
    "not_described": _nothing,
    "infinite": _infinite,
    "infinite_new": _infinite,
    "future": _latest,
    "zeros": _zero,
    "rows_repeated": _repeated,
    "repeats_new": _repeated,
    "names_renewed": _repeated,
    "blank": _blank,
    "constant": _nothing,
    "moves_together": _any_together,
}
#: How rows of the version before do; others show any rows with values.
_BEFORE: dict[str, _Rule] = {
    "gaps_risen": _any_together,
    "gaps_filled": _missing,
    "gaps_fallen": _missing,
    "respelled": _equal("old_spellings"),
    "relabelled": _equal("old_levels"),
    "levels_gone": _equal("levels"),
    "stand_in_new": _nothing,
    "infinite_new": _nothing,
    "surged": _nothing,
    "levels_new": _nothing,
    "repeats_new": _nothing,
    "names_renewed": _nothing,
    "identifier_repeats_new": _nothing,
}
#: Rules that find the same rows wherever they begin to look.
_LAZY = {_missing, _infinite, _zero, _blank, *_NEWEST.values(), *_BEFORE.values()} - {
    _latest,
    _repeated,
    _nothing,
    _any_together,
}
