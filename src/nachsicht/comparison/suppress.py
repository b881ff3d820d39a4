"""Whether a change follows from rows that were lost in one level of another column."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in, taken, values_of
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.columns.datetime import observe_datetimes
from nachsicht.columns.levels import levels_in
from nachsicht.comparison.context import ColumnChange, VersionPair
from nachsicht.comparison.distances import distance_between
from nachsicht.comparison.localise import Place, Stretch, rows_by_level
from nachsicht.model.column import DatetimeSummary, QuantitySummary

#: Missing values that rose by so much more than the lost rows explain are reported.
_SLACK = 0.03


def follows_from_loss(change: ColumnChange, place: Place, kept: NDArray[np.int64] | None) -> bool:
    """Whether the older version, without the rows that were lost, has the same spread.

    The column that the rows were lost by follows from it; of others the older column is
    computed again of the rows that were ``kept``, as `rows_left` finds them.
    """
    data = change.between.old.data
    if data is None or kept is None:
        return change.old.name == place.by
    settings = change.between.settings
    column = taken(data.table.column(change.old.position), kept)
    before = finish_column(observe_column(column), change.old.name, 0, settings)
    if abs(before.missing_share - change.new.missing_share) > _SLACK:
        return False
    if before.kind is not change.new.kind:
        return False
    measured = distance_between(before, change.new)
    if measured is None or measured.distance is None or measured.p_value is None:
        return True
    return measured.p_value > settings.alpha


def rows_outside(between: VersionPair, stretch: Stretch) -> NDArray[np.int64] | None:
    """Rows of the older version that are not in a stretch of time; None without its data."""
    data, by = between.old.data, between.old.profile.column(stretch.column)
    if data is None or by is None:
        return None
    column = data.table.column(by.position)
    present = np.flatnonzero(~missing_in(column))
    values = np.concatenate(observe_datetimes(column).chunks)
    inside = (values >= stretch.ends[0]) & (values <= stretch.ends[1])
    return np.delete(np.arange(len(column)), present[inside])


def rows_left(between: VersionPair, place: Place) -> NDArray[np.int64] | None:
    """Rows of the older version of which the level keeps only as many as the newer one has.

    None where its data is not at hand.
    """
    data, old, new = between.old.data, between.old.profile, between.new.profile
    if data is None:
        return None
    by, now = old.column(place.by), new.column(place.by)
    if by is None or now is None or place.level is None:
        return None
    if isinstance(now.stats, QuantitySummary | DatetimeSummary) and place.cut:
        return _within_range(data.table.column(by.position), now.stats)
    unit = None
    if isinstance(by.stats, DatetimeSummary):
        unit = "month" if len(place.level) == 7 else "year"
    names, codes = levels_in(data.table.column(by.position), unit)
    if place.level not in names:
        return None
    in_level = np.flatnonzero(codes == names.index(place.level))
    left = (rows_by_level(new, place.by) or {}).get(place.level, 0)
    # Evenly drawn, the same each time.
    chosen = np.linspace(0, max(len(in_level) - 1, 0), min(left, len(in_level))).astype(np.int64)
    others = np.flatnonzero(codes != names.index(place.level))
    return np.sort(np.concatenate((others, in_level[chosen])))


def _within_range(column: Any, now: QuantitySummary | DatetimeSummary) -> NDArray[np.int64]:
    """Rows of the older version in the range that the newer one has."""
    present = np.flatnonzero(~missing_in(column))
    if isinstance(now, DatetimeSummary):
        values = np.concatenate(observe_datetimes(column).chunks)
    else:
        values = values_of(column)[present]
    low, high = now.ecdf.values[0], now.ecdf.values[-1]
    return present[(values >= low) & (values <= high)]
