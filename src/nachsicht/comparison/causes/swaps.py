"""Two columns that changed places."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import msgspec

from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.distances import distance_between
from nachsicht.model.column import ColumnSummary

#: So much of the distance may be left once the columns are put back.
_LEFT_OVER = 0.3
_SMALLEST_DISTANCE = 0.1
#: Pairs are tried among at most so many columns that moved, those that moved most first.
_MOST_TRIED = 60


class Swap(msgspec.Struct, frozen=True):
    """The two changes, how far the columns moved at least, and what is left put back."""

    first: ColumnChange
    second: ColumnChange
    distance: float
    left_over: float


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
        if left <= _LEFT_OVER * least:
            found.append(Swap(one, other, least, left))
            taken |= {one.new.position, other.new.position}
    return found


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
