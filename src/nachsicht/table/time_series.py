"""Columns by calendar unit of a datetime column, and where they jump."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.associations.encode import EncodedColumn, NumericVector
from nachsicht.columns.datetime import UNITS, coarsen_counts, places_in
from nachsicht.model.column import ColumnSummary, DatetimeSummary
from nachsicht.model.pair_plots import OverTime, TimeView
from nachsicht.model.profile import Relation
from nachsicht.stats.hypothesis_tests import counts_p_value, ks_p_value, shares_p_value
from nachsicht.stats.quantiles import quantile

#: So many calendar units at most; levels of a category that are distinguished.
MOST_UNITS, MOST_LEVELS = 62, 6
#: A jump is at least so large, so many times as large as usual, and has so many rows beside it.
_JUMP, _TIMES_USUAL, _FEWEST_ROWS = 0.3, 2.5, 20
_GAP_JUMP = 0.1
#: Datetimes that are tied so strongly say the same.
_SAME = 0.98
#: A jump is no work of chance: less often than this, over all units.
_CHANCE = 0.001
_UNITS = ("hour", "day", "month", "year")
#: Columns over time that are kept.
MOST_COLUMNS = 60

_Codes = NDArray[np.int64]


def time_column_of(
    columns: Sequence[ColumnSummary], pairs: Sequence[Relation], chosen: str | None
) -> ColumnSummary | None:
    """The moment column that is chosen, or the only one that can be meant.

    Of several that say the same, such as a date and its time stamp, that is the first.
    """
    fit = [
        column
        for column in columns
        if isinstance(column.stats, DatetimeSummary)
        and not column.stats.time_of_day
        and column.text_format is None
        and column.stats.span_days > 0
    ]
    if chosen:
        return next((column for column in fit if column.name == chosen), None)
    plain = [column for column in fit if column.missing_share < 0.5]
    if not plain:
        return None
    with_first = [
        {pair.x, pair.y}
        for pair in pairs
        if plain[0].name in (pair.x, pair.y) and pair.value >= _SAME
    ]
    same = all(any(column.name in two for two in with_first) for column in plain[1:])
    return plain[0] if same else None


def over_time(
    columns: Sequence[ColumnSummary],
    encoded: Sequence[EncodedColumn],
    pairs: Sequence[Relation],
    chosen: str | None,
) -> OverTime | None:
    """All columns over the moment that is chosen, or the only one; None without.

    Parameters
    ----------
    columns : sequence of ColumnSummary
        All columns.
    encoded : sequence of EncodedColumn
        The same rows of all columns that have numbers or levels.
    pairs : sequence of Relation
        How strongly columns go together.
    chosen : str, optional
        Name of a datetime column.
    """
    moment = time_column_of(columns, pairs, chosen)
    side = next((side for side in encoded if moment and side.name == moment.name), None)
    if moment is None or not isinstance(side, NumericVector) or not side.present.any():
        return None
    assert isinstance(moment.stats, DatetimeSummary)
    unit, first, codes = units_of(side)
    rows = _rows_by_unit(moment.stats, unit, first, int(codes.max()) + 1)
    if rows is None:
        rows = np.bincount(codes[codes >= 0])
    views = {
        other.name: time_view(unit, first, codes, other)
        for other in encoded[: MOST_COLUMNS + 1]
        if other is not side
    }
    return OverTime(
        time_column=moment.name, unit=unit, first=first, rows=tuple(rows.tolist()), views=views
    )


def _rows_by_unit(moments: DatetimeSummary, unit: str, first: int, length: int) -> _Codes | None:
    """All rows of the data by unit; None where the summary counts by a coarser one."""
    if UNITS.index(unit) < UNITS.index(moments.unit):
        return None
    start, counts = coarsen_counts(moments.unit, moments.first, moments.counts, unit)
    rows = np.zeros(length, np.int64)
    for place, count in enumerate(counts, start=start - first):
        if 0 <= place < length:
            rows[place] = count
    return rows


def units_of(moment: NumericVector) -> tuple[str, int, _Codes]:
    """The finest calendar unit that fits, the first one, and for each row its unit (or -1)."""
    micros = (moment.values[moment.present] * moment.ticks).astype(np.int64)
    for unit in _UNITS:
        ends = places_in(np.array([micros.min(), micros.max()]), unit)
        if ends[1] - ends[0] < MOST_UNITS:
            break
    places = places_in(micros, unit)
    first = int(places.min())
    codes = np.full(len(moment.values), -1)
    codes[moment.present] = places - first
    return unit, first, codes


def time_view(unit: str, first: int, codes: _Codes, side: EncodedColumn) -> TimeView:
    """One column by calendar unit; rows without a datetime are left out."""
    known = codes >= 0
    length = int(codes.max(initial=0)) + 1
    rows = np.bincount(codes[known], minlength=length)
    missing = np.bincount(codes[known & ~side.present], minlength=length)
    held = known & side.present
    kept: dict[str, Any] = {}
    if isinstance(side, NumericVector):
        parts = _parts(side.in_milliseconds()[held], codes[held], length)
        distances = [_apart(a, b) for a, b in itertools.pairwise(parts)]
        kept["quartiles"] = tuple(_quartiles(part) for part in parts)
        kept["is_time"] = side.ticks > 0
    else:
        table = np.zeros((len(side.names), length), np.int64)
        np.add.at(table, (side.codes[held], codes[held]), 1)
        distances = [_shares_apart(a, b) for a, b in zip(table.T[:-1], table.T[1:], strict=True)]
        frequent = np.argsort(-table.sum(axis=1), kind="stable")[:MOST_LEVELS]
        kept["levels"] = tuple(side.names[int(i)] for i in frequent)
        kept["counts"] = tuple(tuple(table[i].tolist()) for i in frequent)
    jumps = _jumps(distances) | _gap_jumps(rows, missing)
    return TimeView(
        unit=unit,
        first=first,
        rows=tuple(rows.tolist()),
        missing=tuple(missing.tolist()),
        jumps=tuple(sorted(jumps)),
        **kept,
    )


def _parts(values: NDArray[Any], codes: _Codes, length: int) -> list[NDArray[Any]]:
    """Sorted values of each unit."""
    order = np.lexsort((values, codes))
    return np.split(values[order], np.searchsorted(codes[order], np.arange(1, length)))


def _quartiles(values: NDArray[Any]) -> tuple[float, float, float] | None:
    """Of sorted values."""
    if not len(values):
        return None
    return quantile(values, 0.25), quantile(values, 0.5), quantile(values, 0.75)


def _apart(before: NDArray[Any], after: NDArray[Any]) -> tuple[float, float]:
    """Distance of the values of two units (Kolmogorov and Smirnov), and its chance."""
    if min(len(before), len(after)) < _FEWEST_ROWS:
        return 0.0, 1.0
    at = np.concatenate((before, after))
    shares = [np.searchsorted(v, at, "right") / len(v) for v in (before, after)]
    distance = float(np.abs(shares[0] - shares[1]).max())
    return distance, ks_p_value(distance, len(before), len(after))


def _shares_apart(before: _Codes, after: _Codes) -> tuple[float, float]:
    """Half the sum of the differences of shares, and the chance of such counts."""
    n, m = before.sum(), after.sum()
    if min(n, m) < _FEWEST_ROWS:
        return 0.0, 1.0
    return float(np.abs(before / n - after / m).sum() / 2), counts_p_value(before, after) or 1.0


def _jumps(distances: Sequence[tuple[float, float]]) -> set[int]:
    """Units that are much farther from the one before than units are as a rule."""
    if not distances:
        return set()
    usual = quantile(np.sort([distance for distance, _ in distances]), 0.5)
    limit = max(_JUMP, _TIMES_USUAL * usual)
    return {
        place
        for place, (distance, p_value) in enumerate(distances, start=1)
        if distance >= limit and p_value * len(distances) < _CHANCE
    }


def _gap_jumps(rows: _Codes, missing: _Codes) -> set[int]:
    found = set()
    for place in range(1, len(rows)):
        n, m = int(rows[place - 1]), int(rows[place])
        if min(n, m) < _FEWEST_ROWS:
            continue
        a, b = int(missing[place - 1]), int(missing[place])
        if abs(a / n - b / m) >= _GAP_JUMP and shares_p_value(a, n, b, m) * len(rows) < _CHANCE:
            found.add(place)
    return found
