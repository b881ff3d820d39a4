"""Where rewritten rows are: a level, a range of values, or a run of rows that holds them all."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.numeric import as_numbers
from nachsicht.columns.cell_text import cell_texts
from nachsicht.columns.levels import levels_in
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.rows.match import RowsAtHand
from nachsicht.model.column import ColumnSummary, DatetimeSummary, QuantitySummary
from nachsicht.model.comparison import Condition

#: A condition holds for at most this part of the rows, of which at least this part was rewritten.
_MOST_HELD, _LEAST_CHANGED = 0.8, 0.5
#: A second condition is looked for unless nearly all rows of the first were rewritten, and named
#: where so many times the share was, or where so many times fewer rows were not.
_NEARLY_ALL, _BETTER, _FEWER = 0.9, 1.3, 2.0
#: So many first conditions, the narrowest ones, are tried with a second.
_MOST_FIRST = 6
#: Of conditions that hold for hardly more rows, a level is taken before a range, and a range
#: before a run of rows.
_HARDLY_MORE = 1.1
#: So many of the rewritten rows a level may miss, as they were rewritten otherwise.
_MISSED = 0.02
#: Fewer rewritten rows say nothing of where they are, and a rarer coincidence is none.
_FEWEST, _SURE = 6, 1e-4
#: Of many rows, so many evenly drawn ones, and so many rewritten ones, tell the condition.
_MOST_ROWS, _MOST_CHANGED = 8_000, 2_000
#: So many are drawn of all rows that both versions have, of which some are left out.
MOST_DRAWN = 20_000
_MOST_LEVELS = 200
_MIDNIGHT = " 00:00:00"

_Places = NDArray[np.int64]
_Flags = NDArray[np.bool_]


class _Held(NamedTuple):
    """A condition, and for which of the rows that are looked at it holds."""

    condition: Condition
    rows: _Flags


def where_rewritten(
    side: RowsAtHand,
    columns: Sequence[ColumnSummary],
    matched: tuple[_Places, int],
    changed: _Places,
) -> tuple[Condition, ...]:
    """The condition that rewritten rows fulfil and few others, or two together; else none.

    Parameters
    ----------
    side : RowsAtHand
        The newer version.
    columns : sequence of ColumnSummary
        Its columns by which the rows may be selected, without the one that was rewritten.
    matched : (array, int)
        Places of evenly drawn ones of the rows that both versions have, and how many these are.
    changed : array
        Places of those that were rewritten.
    """
    drawn, rows = matched
    if not _FEWEST <= len(changed) <= _MOST_HELD * rows:
        return ()
    by = {column.name: column for column in columns}
    few = evenly(changed, _MOST_CHANGED)
    looked_at = np.union1d(evenly(drawn, _MOST_ROWS), few)
    found = _found(side, columns, looked_at, np.isin(looked_at, changed))
    # What was found in a part of the rewritten rows is made exact by all of them.
    exact = [_exact(side, condition, by, changed) for condition in found]
    return tuple(condition for condition in exact if condition) if all(exact) else ()


def evenly(places: _Places, most: int) -> _Places:
    """At most so many of some places, from the first to the last."""
    if len(places) <= most:
        return places
    return places[np.linspace(0, len(places) - 1, most).astype(np.int64)]


def _exact(
    side: RowsAtHand,
    condition: Condition,
    columns: Mapping[str, ColumnSummary],
    changed: _Places,
) -> Condition | None:
    """The condition with the ends of all rewritten rows; None where it does not hold for them."""
    everywhere = np.ones(len(changed), bool)
    if condition.by is None:
        first, last = side.numbers_at(np.array([changed.min(), changed.max()])) + 1
        return Condition(None, None, str(first), str(last))
    cells = taken(side.table.column(columns[condition.by].position), changed)
    held = (_level if condition.level is not None else _range)(condition.by, cells, everywhere)
    return next((each.condition for each in held), None)


def _found(
    side: RowsAtHand, columns: Sequence[ColumnSummary], rows: _Places, hit: _Flags
) -> tuple[Condition, ...]:
    """The condition, or the two, that rewritten rows among some rows share."""
    found = [*_conditions(side, columns, rows, hit)]
    best = _narrowest(found, hit)
    alone = float(hit[best.rows].mean()) if best else 0.0
    if best and alone >= _NEARLY_ALL:
        return (best.condition,)
    firsts = [held for held in found if held.rows.mean() <= _MOST_HELD]
    both: dict[float, tuple[Condition, Condition]] = {}
    for first in sorted(firsts, key=lambda held: int(held.rows.sum()))[:_MOST_FIRST]:
        inside, others = hit[first.rows], [c for c in columns if c.name != first.condition.by]
        second = _narrowest([*_conditions(side, others, rows[first.rows], inside)], inside)
        if second:
            share = float(inside[second.rows].mean())
            both.setdefault(share, (first.condition, second.condition))
    share = max(both, default=0.0)
    better = min(_BETTER * alone, 1 - (1 - alone) / _FEWER)
    if share >= max(better, _LEAST_CHANGED):
        return both[share]
    return (best.condition,) if best and alone >= _LEAST_CHANGED else ()


def _narrowest(found: Sequence[_Held], hit: _Flags) -> _Held | None:
    telling = [held for held in found if _telling(held, hit, len(found))]
    fewest = min((int(held.rows.sum()) for held in telling), default=0)
    near = [held for held in telling if held.rows.sum() <= _HARDLY_MORE * fewest]
    return min(near, key=lambda held: (_plainness(held.condition), held.rows.sum()), default=None)


def _plainness(condition: Condition) -> int:
    """0 for a level, 1 for a range of values, 2 for a run of rows."""
    return 2 if condition.by is None else int(condition.level is None)


def _telling(held: _Held, hit: _Flags, tried: int) -> bool:
    """Whether a condition would hardly hold for all rewritten rows by chance."""
    part, n = held.rows.mean(), int(hit.sum())
    return bool(part <= _MOST_HELD and n * part ** (n - 1) * tried < _SURE)


def _conditions(
    side: RowsAtHand, columns: Sequence[ColumnSummary], rows: _Places, hit: _Flags
) -> Iterator[_Held]:
    """Levels that hold nearly all rewritten rows, and ranges that hold all of them."""
    for column in columns:
        cells = taken(side.table.column(column.position), rows)
        levels = levels_of(column.stats)
        if levels and len(levels) <= _MOST_LEVELS:
            yield from _level(column.name, cells, hit)
        if isinstance(column.stats, QuantitySummary | DatetimeSummary):
            yield from _range(column.name, cells, hit)
    ends = np.flatnonzero(hit)[[0, -1]]
    inside = np.zeros(len(rows), bool)
    inside[ends[0] : ends[1] + 1] = True
    if (np.diff(rows) > 0).all():
        first, last = (str(number + 1) for number in side.numbers_at(rows[ends]))
        yield _Held(Condition(None, None, first, last), inside)


def _level(name: str, cells: Any, hit: _Flags) -> Iterator[_Held]:
    names, codes = levels_in(cells, None)
    counts = np.bincount(codes[hit], minlength=len(names) + 1)[: len(names)]
    if len(counts) and counts.max() >= (1 - _MISSED) * hit.sum():
        at = int(counts.argmax())
        yield _Held(Condition(name, names[at], None, None), codes == at)


def _range(name: str, cells: Any, hit: _Flags) -> Iterator[_Held]:
    numbers = as_numbers(cells)
    if numbers is None or not numbers[1][hit].all():
        return
    values = numbers[0]
    places = np.flatnonzero(hit)
    low, high = (int(places[end(values[hit])]) for end in (np.argmin, np.argmax))
    inside = numbers[1] & (values >= values[low]) & (values <= values[high])
    yield _Held(between_cells(name, cells, low, high), inside)


def between_cells(name: str, cells: Any, low: int, high: int) -> Condition:
    """The range between two cells of a column, written as the column writes them."""
    texts = cell_texts(taken(cells, np.array([low, high], np.int64)))
    if all(str(text).endswith(_MIDNIGHT) for text in texts):
        texts = [str(text).removesuffix(_MIDNIGHT) for text in texts]
    first, last = texts
    return Condition(name, None, first, last)
