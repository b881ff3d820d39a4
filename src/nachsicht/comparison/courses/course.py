"""The course of every column along many versions, each version judged against those before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.causes import moved_by, renamed
from nachsicht.comparison.courses.followed import FollowedColumn, FollowedProfile
from nachsicht.comparison.courses.happenings import (
    Happening,
    accepted_of,
    happenings_of,
    one_each,
    together,
    without_moved_by_tails,
    without_what_follows,
)
from nachsicht.comparison.courses.series import (
    Series,
    series_of_column,
    series_of_relations,
    series_of_rows,
)
from nachsicht.model.findings import Accepted, Severity
from nachsicht.stats.change_point import FEWEST, course_of, distance_from_past

#: Over all series together, chance alone tells something in one of so many histories.
ALPHA = 0.01
#: Distances from the past, in standard deviations of the noise, from which a version is more
#: unusual by one: 0 is usual, 8 the most unusual.
_STEPS = (2.0, 3.0, 4.0, 6.0, 9.0, 14.0, 22.0, 40.0)
#: Quantiles that a column's course is drawn with.
DRAWN = (0.05, 0.25, 0.5, 0.75, 0.95)
_MIDDLE_HALF = (1, 3)
#: What moves where values are shifted or rescaled.
_OF_VALUES = ("median", "interdecile_range", "below", "above")


class ColumnCourse(msgspec.Struct, frozen=True, kw_only=True):
    """A column along the versions; a number for each of them, NaN where there is none.

    Attributes
    ----------
    name : str
        Its name.
    kind : str
        Its kind in the newest version that has it.
    unusual : tuple of int
        How unusual each version is for it, from 0 to 8; -1 where nothing is before it.
    missing : tuple of float
        Shares of missing values.
    distinct : tuple of float
        Different values.
    quantiles : tuple of tuple of float
        Of a quantity, those of `DRAWN`, each by version.
    shares : dict
        Of a category, the share of each level that is followed, by version.
    """

    name: str
    kind: str
    unusual: tuple[int, ...]
    missing: tuple[float, ...]
    distinct: tuple[float, ...]
    quantiles: tuple[tuple[float, ...], ...]
    shares: dict[str, tuple[float, ...]]


class RelationCourse(NamedTuple):
    """How strongly two columns go together in every version; NaN where that is not known."""

    x: str
    y: str
    values: tuple[float, ...]


class Courses(msgspec.Struct, frozen=True, kw_only=True):
    """What happened along a history, the surest first.

    ``together`` holds the same with what happened to many columns at once put together; ``series``
    is how many series were looked at; ``labels``, ``rows`` and ``duplicates`` (rows that repeat
    another one) are those of the versions; ``relations`` those that are strong in any version.
    """

    happened: tuple[Happening, ...]
    together: tuple[tuple[Happening, ...], ...]
    series: int
    labels: tuple[str, ...]
    rows: tuple[int, ...]
    duplicates: tuple[int, ...]
    columns: tuple[ColumnCourse, ...]
    relations: tuple[RelationCourse, ...]

    @property
    def steady(self) -> int:
        """Columns of which nothing is worth a check."""
        counted = (e for e in self.happened if e.accepted is None)
        moved = {e.column for e in counted if e.severity is not Severity.NOTE}
        return sum(column.name not in moved for column in self.columns)

    def open(self, severity: Severity, *, newest: bool) -> int:
        """How many things of a severity there are in the newest version, or before it.

        What is accepted is not counted.
        """
        return sum(
            group[0].newest is newest and severity_of(group) is severity
            for group in self.together
            if reason_of(group) is None
        )


def severity_of(group: Sequence[Happening]) -> Severity:
    """How urgent what happened together is: as the most urgent of it that is not accepted."""
    counted = [each for each in group if each.accepted is None] or group
    return min((each.severity for each in counted), key=lambda severity: severity.rank)


def reason_of(group: Sequence[Happening]) -> str | None:
    """Why what happened together is accepted; None where some of it is not."""
    reasons = dict.fromkeys(each.accepted for each in group)
    return None if None in reasons else "; ".join(filter(None, reasons))


def courses_of(profiles: Sequence[FollowedProfile], accepted: Sequence[Accepted] = ()) -> Courses:
    """What happened to every column along versions in the order of their moments.

    Columns are followed by their names. One correction is made over all series.
    """
    names = list(dict.fromkeys(c.name for profile in profiles for c in profile.columns))
    # Columns of no rows say nothing.
    by_name = [{c.name: c for c in profile.columns if profile.rows} for profile in profiles]
    columns = {name: [found.get(name) for found in by_name] for name in names}
    filled = [profile.rows > 0 for profile in profiles]
    series = {"": list(series_of_rows(profiles))}
    series |= {name: list(series_of_column(name, own, filled)) for name, own in columns.items()}
    each = [s for own in series.values() for s in own]
    pairs = list(series_of_relations(profiles))
    usable = [s for s in [*each, *pairs] if _is_usable(s)]
    alpha = ALPHA / max(len(usable), 1)
    labels = [profile.label for profile in profiles]
    happened: list[Happening] = []
    unusual: dict[str, NDArray[np.float64]] = {}
    for one in usable:
        course = course_of(one.judged, one.errors, alpha)
        happened += happenings_of(one, course, labels)
        away = distance_from_past(one.judged, one.errors, course)
        unusual[one.column] = np.fmax(unusual.get(one.column, np.nan), away)
    # Of what is equally sure that comes first which comes first in the table.
    places = {name: place for place, name in enumerate(["", *names])}
    courses = tuple(_course(name, columns[name], series[name], unusual.get(name)) for name in names)
    by_place = {label: place for place, label in enumerate(labels)}
    happened_once = without_what_follows(
        one_each(without_moved_by_tails(happened, by_place)), by_place
    )
    explained = [
        _explained(e, happened, courses[places[e.column] - 1], by_place) for e in happened_once
    ]
    explained = [accepted_of(each, accepted) for each in explained]
    in_order = sorted(explained, key=lambda e: (e.p_value, places[e.column]))
    return Courses(
        happened=tuple(in_order),
        together=tuple(together(in_order, places)),
        series=len(usable),
        labels=tuple(labels),
        rows=tuple(profile.rows for profile in profiles),
        duplicates=tuple(profile.duplicates.duplicate_rows for profile in profiles),
        columns=courses,
        relations=tuple(
            RelationCourse(pair.column, str(pair.level), tuple(pair.values.tolist()))
            for pair in pairs
        ),
    )


def _explained(
    happening: Happening,
    happened: Sequence[Happening],
    course: ColumnCourse,
    places: Mapping[str, int],
) -> Happening:
    """With its cause, if it stayed and its cause is plain."""
    cause = None
    if happening.form == "jump" and happening.column:
        if happening.statistic in _OF_VALUES and course.quantiles:
            first, last = places[happening.first], places[happening.last]
            cause = moved_by(course.quantiles, first, last, _MIDDLE_HALF)
        elif happening.statistic in ("share", "distinct"):
            same = (happening.column, "share", "jump", happening.first)
            cause = renamed(
                [
                    (str(e.level), float(e.before), float(e.after))
                    for e in happened
                    if (e.column, e.statistic, e.form, e.first) == same
                ]
            )
    return msgspec.structs.replace(happening, cause=cause) if cause else happening


def _is_usable(series: Series) -> bool:
    return int(np.isfinite(series.values).sum()) >= FEWEST


def _course(
    name: str,
    columns: Sequence[FollowedColumn | None],
    series: Sequence[Series],
    away: NDArray[np.float64] | None,
) -> ColumnCourse:
    newest = next(c for c in reversed(columns) if c) if any(columns) else None
    by_statistic = {s.statistic: tuple(s.values.tolist()) for s in series}
    nowhere = (float("nan"),) * len(columns)
    return ColumnCourse(
        name=name,
        kind=newest.kind if newest else "empty",
        unusual=_steps(away) if away is not None else (-1,) * len(columns),
        missing=by_statistic.get("missing_share", nowhere),
        distinct=tuple(float(c.distinct) if c else float("nan") for c in columns),
        quantiles=tuple(
            tuple(_number(c.quantile(share) if c else None) for c in columns) for share in DRAWN
        )
        if newest and newest.is_quantity
        else (),
        shares={str(s.level): tuple(s.values.tolist()) for s in series if s.statistic == "share"},
    )


def _number(value: float | None) -> float:
    return float("nan") if value is None else value


def _steps(away: NDArray[np.float64]) -> tuple[int, ...]:
    known = np.searchsorted(_STEPS, np.nan_to_num(away), side="right")
    return tuple(np.where(np.isnan(away), -1, known).tolist())
