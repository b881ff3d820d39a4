"""Where a column changed though no rows are matched: a level or range of another, or of two."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.arrow.buffers import missing_in, taken
from nachsicht.arrow.numeric import as_numbers
from nachsicht.columns.levels import levels_in
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.context import ColumnChange, VersionPair
from nachsicht.comparison.rows.keys import one_array
from nachsicht.comparison.rows.where import between_cells, evenly
from nachsicht.model.column import DatetimeSummary, QuantitySummary
from nachsicht.model.comparison import Condition
from nachsicht.sketches.row_sample import drawn_rows
from nachsicht.stats.scan import Concentrated, concentrated_in, differences

#: So many other columns are looked at, and so many values for each end of a range.
_MOST_COLUMNS, _MOST_ENDS = 100, 40
#: Classes of values that are compared, and parts of an ordered column that make up its ranges.
_CLASSES, _PARTS = 10, 16
_MOST_LEVELS = 200
#: Conditions are about columns of which at most this part of the rows is elsewhere than before.
_MOST_MOVED = 0.15
#: What holds for a larger part of the rows is no place.
_MOST_SHARE = 0.6
#: A row that has no part, or no class.
_NONE = -1

_Codes = NDArray[np.int64]
_Both = tuple[_Codes, _Codes]


class Place(NamedTuple):
    """Conditions that rows fulfil together, which rows of each version do, and the newer share.

    ``rows`` are places in the tables of the versions; ``newer_rows`` are all rows of the newer
    version that fulfil them, estimated where only drawn ones are at hand.
    """

    conditions: tuple[Condition, ...]
    rows: _Both
    share: float
    newer_rows: int


class _Axis(NamedTuple):
    """A column that a condition may be about, of the drawn rows: their levels, or their numbers."""

    name: str
    positions: tuple[int, int]
    parts: _Both
    levels: tuple[str, ...]
    numbers: tuple[NDArray[Any], NDArray[Any]] | None


class _Held(NamedTuple):
    """A level of an axis, or the range between two of its numbers."""

    axis: _Axis
    level: str | None
    ends: tuple[float, float] | None


class PlaceScan:
    """Looks for places of changes in two versions that are there as data."""

    def __init__(self, between: VersionPair, changes: Sequence[ColumnChange]) -> None:
        self.between = between
        self.changes = list(changes)

    def values_changed(self, change: ColumnChange) -> Place | None:
        """Where the values of a column are distributed otherwise, if in a part of the rows."""
        if not self._tables:
            return None
        classes = _classes(change, *self._cells(change))
        return self._place(change, classes) if classes else None

    def missing_changed(self, change: ColumnChange) -> Place | None:
        """Where values of a column are missing that were not, or the other way round."""
        if not self._tables:
            return None
        old, new = (missing_in(cells).astype(np.int64) for cells in self._cells(change))
        return self._place(change, (old, new))

    @property
    def at_hand(self) -> bool:
        """Whether there are rows to be scanned."""
        return bool(self._tables)

    @kept
    def _tables(self) -> list[Any]:
        """The tables of both versions, or their drawn rows; none where there are none."""
        between = self.between
        return [between.old.table, between.new.table] if between.have_rows else []

    @kept
    def _drawn(self) -> list[_Codes]:
        """Places of the rows of both versions that are looked at."""
        return [np.sort(drawn_rows(table.num_rows)) for table in self._tables]

    @kept
    def _axes(self) -> list[_Axis]:
        found = (self._axis(change) for change in self.changes[:_MOST_COLUMNS])
        return [axis for axis in found if axis is not None and _comparable(axis)]

    def _cells(self, change: ColumnChange) -> tuple[Any, Any]:
        """The cells of a column in the drawn rows of both versions."""
        positions = change.old.position, change.new.position
        old, new = (
            one_array(taken(table.column(position), rows))
            for table, position, rows in zip(self._tables, positions, self._drawn, strict=True)
        )
        return old, new

    def _axis(self, change: ColumnChange) -> _Axis | None:
        old, new = change.old, change.new
        positions = old.position, new.position
        cells = self._cells(change)
        levels = levels_of(old.stats), levels_of(new.stats)
        if all(known and len(known) <= _MOST_LEVELS for known in levels):
            names, codes = _level_codes(*cells)
            return _Axis(new.name, positions, codes, names, None)
        if not isinstance(new.stats, QuantitySummary | DatetimeSummary):
            return None
        numbers = _numbers(*cells)
        if numbers is None:
            return None
        parts = _parts(numbers, _edges(numbers, _PARTS))
        return _Axis(new.name, positions, parts, (), numbers)

    def _place(self, change: ColumnChange, classes: _Both) -> Place | None:
        """One condition, and a second one if the change is still plainer where both hold."""
        here = classes[0] != _NONE, classes[1] != _NONE
        held: list[_Held] = []
        plainness: float | None = None
        for _ in range(2):
            used = {change.new.name, *(each.axis.name for each in held)}
            axes = [axis for axis in self._axes if axis.name not in used]
            best = self._plainest(axes, classes, here, plainness)
            if best is None:
                break
            axis, found = best
            plainness = found.plainness
            held.append(_narrowed(axis, found, classes, here))
            old, new = _fulfilled(held[-1])
            here = here[0] & old, here[1] & new
        if not held:
            return None
        rows = tuple(
            np.flatnonzero(
                np.logical_and.reduce(
                    [_holds(each, table.column(each.axis.positions[side])) for each in held]
                )
            )
            for side, table in enumerate(self._tables)
        )
        if not min(map(len, rows)):
            return None
        described = [_condition(each, self._tables[1], rows[1]) for each in held]
        conditions = tuple(condition for condition in described if condition)
        share = len(rows[1]) / self._tables[1].num_rows
        if share > _MOST_SHARE:
            return None
        newer_rows = round(share * self.between.rows[1])
        place = Place(conditions, (rows[0], rows[1]), share, newer_rows)
        return place if all(described) else None

    def _plainest(
        self,
        axes: Sequence[_Axis],
        classes: _Both,
        here: tuple[Any, Any],
        plainness: float | None,
    ) -> tuple[_Axis, Concentrated] | None:
        found = []
        whole = _counts((np.zeros_like(classes[0]), np.zeros_like(classes[1])), classes, here)
        for axis in axes:
            part = concentrated_in(
                _counts(axis.parts, classes, here),
                whole[:, 0],
                ordered=axis.numbers is not None,
                plainness=plainness,
            )
            if part and self.between.unlikely(part.p_value, len(axes)):
                found.append((axis, part))
        return max(found, key=lambda pair: pair[1].plainness, default=None)


def _comparable(axis: _Axis) -> bool:
    """Whether a column has about as many rows in each part as before.

    A column that changed itself, or dates that went on, would select other rows than before.
    """
    size = 2 + max(int(side.max(initial=0)) for side in axis.parts)
    rows = [np.bincount(side - _NONE, minlength=size) for side in axis.parts]
    beyond_chance = differences(np.array(rows, np.float64)[:, None, :])[2]
    return float(beyond_chance[0]) <= _MOST_MOVED


def _counts(parts: _Both, classes: _Both, here: tuple[Any, Any]) -> NDArray[np.float64]:
    """Rows of both versions by part and class, those of no part left out."""
    n = max((int(side.max(initial=0)) for side in parts), default=0) + 1
    k = max((int(side.max(initial=0)) for side in classes), default=0) + 1
    tables = []
    for part, of_class, rows in zip(parts, classes, here, strict=True):
        chosen = rows & (part != _NONE)
        flat = part[chosen] * k + of_class[chosen]
        tables.append(np.bincount(flat, minlength=n * k).reshape(n, k))
    return np.array(tables, np.float64)


def _classes(change: ColumnChange, old: Any, new: Any) -> _Both | None:
    """Classes of values in which a column is compared; None where it has none."""
    if levels_of(change.old.stats) and levels_of(change.new.stats):
        names, codes = _level_codes(old, new)
        rows = sum(np.bincount(side[side != _NONE], minlength=len(names)) for side in codes)
        order = np.argsort(-np.asarray(rows), kind="stable")
        # The frequent levels, and the others as one; the last place is of missing values.
        place = np.full(len(names) + 1, _CLASSES - 1)
        place[order[: _CLASSES - 1]] = np.arange(min(len(order), _CLASSES - 1))
        place[_NONE] = _NONE
        return place[codes[0]], place[codes[1]]
    numbers = _numbers(old, new)
    return None if numbers is None else _parts(numbers, _edges(numbers, _CLASSES))


def _level_codes(old: Any, new: Any) -> tuple[tuple[str, ...], _Both]:
    """Levels of both versions, and the place of each row's."""
    sides = [levels_in(cells, None) for cells in (old, new)]
    names = tuple(dict.fromkeys([*sides[0][0], *sides[1][0]]))
    at = {name: place for place, name in enumerate(names)}
    codes = [
        np.array([*(at[name] for name in own), _NONE], np.int64)[np.minimum(places, len(own))]
        for own, places in sides
    ]
    return names, (codes[0], codes[1])


def _numbers(old: Any, new: Any) -> tuple[NDArray[Any], NDArray[Any]] | None:
    """Numbers of both versions, NaN where there is none; None unless both are stored alike."""
    if old.type != new.type and not _plain_numbers(old, new):
        return None  # moments may be stored in other units
    found = []
    for cells in (old, new):
        numbers = as_numbers(cells)
        if numbers is None:
            return None
        found.append(np.where(numbers[1], numbers[0], np.nan).astype(np.float64))
    return found[0], found[1]


def _plain_numbers(*cells: Any) -> bool:
    """Whether all are numbers that stand for themselves, not for moments in some unit."""
    types = pa.types
    return all(
        types.is_integer(c.type) or types.is_floating(c.type) or types.is_decimal(c.type)
        for c in cells
    )


def _edges(numbers: tuple[NDArray[Any], NDArray[Any]], parts: int) -> NDArray[np.float64]:
    """Values that divide the rows of both versions in so many parts, as far as they can be."""
    shares = np.arange(1, parts) / parts
    known = np.concatenate([side[~np.isnan(side)] for side in numbers])
    return np.unique(np.quantile(known, shares)) if len(known) else np.zeros(0)


def _parts(numbers: tuple[NDArray[Any], NDArray[Any]], edges: NDArray[np.float64]) -> _Both:
    old, new = (
        np.where(np.isnan(side), _NONE, np.searchsorted(edges, side, "right")) for side in numbers
    )
    return old, new


def _narrowed(axis: _Axis, found: Concentrated, classes: _Both, here: tuple[Any, Any]) -> _Held:
    """The level; or the range, its ends moved to where the change is plainest."""
    if axis.numbers is None:
        return _Held(axis, axis.levels[found.first], None)
    both = np.concatenate([side[rows] for side, rows in zip(axis.numbers, here, strict=True)])
    places = np.concatenate([side[rows] for side, rows in zip(axis.parts, here, strict=True)])
    near = [
        np.unique(both[np.isin(places, (end - 1, end, end + 1))])
        for end in (found.first, found.last)
    ]
    lows, highs = (values[evenly(np.arange(len(values)), _MOST_ENDS)] for values in near)
    edges = np.unique(np.concatenate((lows, np.nextafter(highs, np.inf))))
    fine = _parts(axis.numbers, edges)
    counts = _counts(fine, classes, here)
    whole = _counts((np.zeros_like(fine[0]), np.zeros_like(fine[1])), classes, here)[:, 0]
    best = concentrated_in(counts, whole, ordered=True, plainness=0.0)
    if best is None:  # as can be where few rows are at either end
        inside = both[(places >= found.first) & (places <= found.last)]
        return _Held(axis, None, (float(inside.min()), float(np.nextafter(inside.max(), np.inf))))
    bounds = np.concatenate(([-np.inf], edges, [np.inf]))
    return _Held(axis, None, (float(bounds[best.first]), float(bounds[best.last + 1])))


def _fulfilled(held: _Held) -> tuple[Any, Any]:
    """Which of the drawn rows fulfil a condition."""
    axis = held.axis
    if axis.numbers is None or held.ends is None:
        place = axis.levels.index(str(held.level))
        return axis.parts[0] == place, axis.parts[1] == place
    low, high = held.ends
    old, new = ((side >= low) & (side < high) for side in axis.numbers)
    return old, new


def _holds(held: _Held, column: Any) -> Any:
    """Which rows of a whole column fulfil a condition."""
    cells = one_array(column)
    if held.ends is None:
        names, codes = levels_in(cells, None)
        return codes == (names.index(held.level) if held.level in names else len(names) + 1)
    numbers = as_numbers(cells)
    assert numbers is not None
    return numbers[1] & (numbers[0] >= held.ends[0]) & (numbers[0] < held.ends[1])


def _condition(held: _Held, newer: Any, rows: _Codes) -> Condition | None:
    """The condition in words: a range by the outermost values that the newer version has in it."""
    if held.ends is None:
        return Condition(held.axis.name, held.level, None, None)
    cells = one_array(taken(newer.column(held.axis.positions[1]), rows))
    numbers = as_numbers(cells)
    if numbers is None or not numbers[1].any():
        return None
    low, high = (
        int(end(np.where(numbers[1], numbers[0], worst)))
        for end, worst in ((np.argmin, np.inf), (np.argmax, -np.inf))
    )
    return between_cells(held.axis.name, cells, low, high)
