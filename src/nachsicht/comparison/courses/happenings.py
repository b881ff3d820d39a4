"""What happened to a series along the versions, how urgent it is, and what happened together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.causes import StayedCause
from nachsicht.comparison.courses.series import Series
from nachsicht.model.findings import Severity
from nachsicht.stats.change_point import Course, Event

#: From which size on a change is worth a check, and from which it needs action: shares as they
#: are, medians in interquartile ranges, all else as a part of itself.
_LIMITS = {
    "rows": (0.1, 0.5),
    "kind": (0.0, 0.0),
    "missing_share": (0.01, 0.05),
    "share": (0.02, 0.1),
    "distinct": (0.1, 0.5),
    "median": (0.1, 0.5),
    "iqr": (0.1, 0.5),
}
#: From so many columns on, what happened to them at the same time is one thing.
_TOGETHER = 3

_Floats = NDArray[np.float64]


class Happening(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened to a column along the versions, or to the rows.

    Attributes
    ----------
    column : str
        Empty for the rows.
    statistic : str
        Which number of it: ``rows``, ``kind``, ``missing_share``, ``distinct``, ``median``,
        ``iqr``, ``share``.
    level : str, optional
        Of a share, that of which level.
    form : str
        ``jump``, ``spike``, ``drift`` or ``season``, as in `stats.change_point`.
    first, last : str
        Labels of the first and last version that it holds for.
    versions : int
        How many they are.
    before, after : float or str
        The number without noise, before it and in it; of a season, its lowest and highest; of a
        kind, which it was and is, ``absent`` where the column was not there.
    severity : Severity
        By the size of the change; a season is a note, what came back is worth a check at most.
    newest : bool
        Whether it happened to the newest version alone: nobody knows yet whether it stays.
    p_value : float
        How often chance gives as much anywhere in this series.
    period : float, optional
        Of a season, in versions.
    cause : StayedCause, optional
        What explains a change that stayed, where that is plain.
    values : tuple of float
        The number in every version; NaN where there is none.
    """

    column: str
    statistic: str
    level: str | None
    form: str
    first: str
    last: str
    versions: int
    before: float | str
    after: float | str
    severity: Severity
    newest: bool
    p_value: float
    period: float | None = None
    cause: StayedCause | None = None
    values: tuple[float, ...] = ()


def happenings_of(series: Series, course: Course, labels: Sequence[str]) -> Iterator[Happening]:
    """The events of a series, in the names of the versions."""
    fitted = np.array(course.fitted)
    for event in course.events:
        if series.states and event.form not in ("jump", "spike"):
            continue  # kinds have no middle
        before, after = map(series.value_of, _ends(event, fitted))
        newest = event.form == "jump" and event.first == event.last
        yield Happening(
            column=series.column,
            statistic=series.statistic,
            level=series.level,
            form=event.form,
            first=labels[event.first],
            last=labels[event.last],
            versions=event.last - event.first + 1,
            before=_state(series, before),
            after=_state(series, after),
            severity=_severity(series, event.form, abs(after - before)),
            newest=newest,
            p_value=event.p_value,
            period=event.period,
            values=tuple(series.values.tolist()),
        )


def _ends(event: Event, fitted: _Floats) -> tuple[float, float]:
    """Where a series was before an event and went by it."""
    if event.form == "season":
        return float(np.nanmin(fitted)), float(np.nanmax(fitted))
    at = float(fitted[event.first])
    if event.form == "drift":
        return at, at + event.size * (event.last - event.first)
    return at - event.size, at


def _state(series: Series, value: float) -> float | str:
    if not series.states:
        return value
    return series.states[min(max(round(value), 0), len(series.states) - 1)]


def _severity(series: Series, form: str, change: float) -> Severity:
    if form == "season":
        return Severity.NOTE
    check, act = _LIMITS[series.statistic]
    size = change / series.scale if series.scale else np.inf
    if size >= act and form != "spike":
        return Severity.ACT
    return Severity.CHECK if size >= check else Severity.NOTE


def one_each(happened: Sequence[Happening]) -> list[Happening]:
    """Of several numbers of a column to which the same happened, the surest one.

    A change of the kind is the cause of all others at the same time.
    """
    best: dict[tuple[str, str, str, str], Happening] = {}
    for each in happened:
        what = each.column, each.form, each.first, each.last
        if what not in best or _sureness(each) < _sureness(best[what]):
            best[what] = each
    return list(best.values())


def _sureness(happening: Happening) -> tuple[bool, float]:
    return happening.statistic != "kind", happening.p_value


def together(
    happened: Sequence[Happening], places: Mapping[str, int]
) -> list[tuple[Happening, ...]]:
    """What happened to many columns with the same versions as one thing, all else by itself.

    In the order of the first of each; columns of one thing are by their places in the table.
    """
    found: dict[tuple[str, ...], list[Happening]] = {}
    for each in happened:
        found.setdefault((each.form, each.first, each.last), []).append(each)
    groups: dict[int, tuple[Happening, ...]] = {}
    for place, each in enumerate(happened):
        same = found[each.form, each.first, each.last]
        if each.form == "season" or len({other.column for other in same}) < _TOGETHER:
            groups[place] = (each,)
        elif same[0] is each:
            groups[place] = tuple(sorted(same, key=lambda other: places[other.column]))
    return [groups[place] for place in sorted(groups)]
