"""Two columns that changed places, in all rows or in a part of them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import msgspec
import numpy as np

from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.distances import distance_between
from nachsicht.model.column import ColumnSummary
from nachsicht.stats.hypothesis_tests import usual_distance

#: So much of the distance may be left once the columns are put back.
_LEFT_OVER = 0.3
_SMALLEST_DISTANCE = 0.1
#: From this distance on, more may be left.
_APART, _LEFT_IF_APART = 0.95, 0.55
#: Pairs are tried among at most so many columns that moved, those that moved most first.
_MOST_TRIED = 60
#: A part of the rows that changed places is at least so large, and alike in both columns.
_LEAST_PART, _ALIKE = 0.1, 0.1
#: Points at which distributions are compared.
_SHARES = np.linspace(0.005, 0.995, 200)


class Swap(msgspec.Struct, frozen=True):
    """The two changes, how far the columns moved at least, and what is left put back.

    ``share`` is that of the rows in which the values changed places.
    """

    first: ColumnChange
    second: ColumnChange
    distance: float
    left_over: float
    share: float = 1.0


def swaps_in(changes: Sequence[ColumnChange]) -> list[Swap]:
    """Pairs of columns of which each is now what the other was."""
    moved = [change for change in changes if not change.pair.renamed and _moved(change)]
    moved.sort(key=lambda change: (-_moved(change), change.new.position))
    found: list[Swap] = []
    taken: set[int] = set()
    for one, other in combinations(moved[:_MOST_TRIED], 2):
        if {one.new.position, other.new.position} & taken:
            continue
        least = min(_moved(one), _moved(other))
        crossed = [_apart(one.old, other.new), _apart(other.old, one.new)]
        left = max(crossed)
        # Columns that are nothing like what they were may have changed besides.
        allowed = _LEFT_OVER if least < _APART else _LEFT_IF_APART
        swap = Swap(one, other, least, left) if left <= allowed * least else _in_part(one, other)
        if swap:
            found.append(swap)
            taken |= {one.new.position, other.new.position}
    return found


def _in_part(one: ColumnChange, other: ColumnChange) -> Swap | None:
    """Values that changed places in a part of the rows.

    Either column is then a mixture of what both were, with the same part of the other.
    """
    if not (one.curves and other.curves):
        return None
    (first, mixed), (second, remixed) = one.curves, other.curves
    points = np.unique(np.concatenate([c.quantiles(_SHARES) for c in (first, second)]))
    f, m, s, r = (curve.shares(points)[1] for curve in (first, mixed, second, remixed))
    apart = s - f
    across = float(apart @ apart)
    if not across:
        return None
    parts = float((m - f) @ apart) / across, float((s - r) @ apart) / across
    part = sum(parts) / 2
    if part < _LEAST_PART or part > 1 or abs(parts[0] - parts[1]) > _ALIKE * part:
        return None
    left = max(float(np.abs(m - f - part * apart).max()), float(np.abs(r - s + part * apart).max()))
    least = min(float(np.abs(m - f).max()), float(np.abs(r - s).max()))
    usual = max(
        usual_distance(*(curve.rows for curve in curves)) for curves in (one.curves, other.curves)
    )
    return Swap(one, other, least, left, part) if left <= min(usual, _LEFT_OVER * least) else None


def _moved(change: ColumnChange) -> float:
    """How far a column moved, 1 where it changed its kind; 0 for too little."""
    if change.kind_changed:
        return 1.0
    moved = max(change.distance, _of_ranges(change))
    return moved if moved >= _SMALLEST_DISTANCE else 0.0


def _of_ranges(change: ColumnChange) -> float:
    """Of datetimes: the share of the new rows that lie outside of the old range."""
    if change.measured and change.measured.measures[0].name == "coverage":
        return 1 - change.measured.measures[0].value
    return 0.0


def _apart(old: ColumnSummary, new: ColumnSummary) -> float:
    if old.kind is not new.kind:
        return 1.0
    measured = distance_between(old, new)
    if measured is None or not measured.measures:
        return 1.0
    leading = measured.measures[0]
    return 1 - leading.value if leading.name == "coverage" else leading.value
