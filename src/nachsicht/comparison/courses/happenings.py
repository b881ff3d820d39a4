"""What happened to a series along the versions, how urgent it is, and what happened together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.causes import StayedCause
from nachsicht.comparison.courses.series import Series
from nachsicht.model.findings import Accepted, Severity
from nachsicht.stats.change_point import Course, Event, hinge

#: From which size on a change is worth a check, and from which it needs action: shares and
#: relations as they are, quantiles in interquartile ranges, all else as a part of itself. The first
#: of several that moved at once, and as surely, is the one that is told.
_LIMITS = {
    "rows": (0.1, 0.5),
    "duplicates_share": (0.005, 0.05),
    "kind": (0.0, 0.0),
    "missing_share": (0.01, 0.05),
    "median": (0.1, 0.5),
    "share": (0.02, 0.1),
    "distinct": (0.1, 0.5),
    "interdecile_range": (0.1, 0.5),
    "zeros_share": (0.02, 0.1),
    "negatives_share": (0.02, 0.1),
    "below": (0.05, 0.2),
    "above": (0.05, 0.2),
    "distance": (0.1, 0.5),
    "relation": (0.2, 0.5),
    "decimals": (0.5, np.inf),
    "dtype": (0.0, np.inf),
}
#: These move with a column's values.
_FOLLOWING = (
    "interdecile_range",
    "below",
    "above",
    "zeros_share",
    "negatives_share",
    "distinct",
    "distance",
    "decimals",
    "dtype",
    "relation",
)
_STORED = ("decimals", "dtype")
#: This moves with everything else of a column.
_OVERALL = "distance"
#: What says of the values where their tails lie; a median that moves takes them along.
_TAILS = ("interdecile_range", "below", "above")
#: Tails that moved by so many times as much as the median, in the sizes that are worth a check, are
#: why it moved.
_OUTWEIGHS = 3.0
#: What stayed for so many versions is the new normal.
_SETTLED = 12
#: What is as sure as this is certain.
_CERTAIN = 1e-12
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
        Which number of it: ``rows``, ``duplicates_share``, ``kind``, ``dtype``, ``decimals``,
        ``missing_share``, ``zeros_share``, ``negatives_share``, ``distinct``, ``median``,
        ``interdecile_range``, ``below`` and ``above``, ``share``, ``distance`` (of the
        distribution from what is usual), ``relation``.
    level : str, optional
        Of a share, that of which level, or of the values below or above which number; of a
        relation, the other column.
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
        By the size of the change; a season is a note, what came back or settled is worth a check
        at most.
    newest : bool
        Whether it happened to the newest version alone: nobody knows yet whether it stays.
    settled : bool
        Whether it stayed for so long that it is the new normal: it is worth a check at most.
    p_value : float
        How often chance gives as much anywhere in this series.
    weight : float
        The size of the change, in sizes that are worth a check.
    period : float, optional
        Of a season, in versions.
    cause : StayedCause, optional
        What explains a change that stayed, where that is plain.
    accepted : str, optional
        Why somebody has accepted it, so that it does not count.
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
    settled: bool
    p_value: float
    weight: float = 0.0
    period: float | None = None
    cause: StayedCause | None = None
    accepted: str | None = None
    values: tuple[float, ...] = ()


def happenings_of(series: Series, course: Course, labels: Sequence[str]) -> Iterator[Happening]:
    """The events of a series, in the names of the versions."""
    fitted = np.array(course.fitted)
    for event in course.events:
        if series.states and event.form not in ("jump", "spike"):
            continue  # kinds have no middle
        before, after = map(series.back, _ends(event, fitted))
        first = event.first
        if event.form == "drift" and len(course.events) == 1 and series.judged is not series.values:
            # A line in the values is none in what was judged.
            first, before, after = hinge(series.values)
        newest = event.form == "jump" and event.first == event.last
        versions = event.last - first + 1
        settled = event.form == "jump" and versions >= _SETTLED
        size = abs(after - before) / series.scale if series.scale else np.inf
        yield Happening(
            column=series.column,
            statistic=series.statistic,
            level=series.level,
            form=event.form,
            first=labels[first],
            last=labels[event.last],
            versions=versions,
            before=_state(series, before),
            after=_state(series, after),
            severity=_severity(series, size, event.form, settled=settled),
            newest=newest,
            settled=settled,
            p_value=event.p_value,
            weight=size / max(_LIMITS[series.statistic][0], _CERTAIN),
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


def _severity(series: Series, size: float, form: str, *, settled: bool) -> Severity:
    if form == "season":
        return Severity.NOTE
    check, act = _LIMITS[series.statistic]
    if size >= act and form != "spike" and not settled:
        return Severity.ACT
    return Severity.CHECK if size >= check else Severity.NOTE


def without_moved_by_tails(
    happened: Sequence[Happening], places: Mapping[str, int]
) -> list[Happening]:
    """All but the medians that moved since some of the values are far out now."""
    tails = [each for each in happened if each.statistic in _TAILS]

    def outweighed(each: Happening) -> bool:
        return each.statistic == "median" and any(
            tail.column == each.column
            and tail.form == each.form
            and tail.weight >= _OUTWEIGHS * each.weight
            and _covers(tail, each, places)
            for tail in tails
        )

    return [each for each in happened if not outweighed(each)]


def one_each(happened: Sequence[Happening]) -> list[Happening]:
    """Of several numbers of a column to which the same happened, the surest one.

    A change of the kind is the cause of all others at the same time; how numbers are stored follows
    from what they are.
    """
    best: dict[tuple[str, str, str, str], Happening] = {}
    for each in happened:
        what = each.column, each.form, each.first, each.last
        if what not in best or _sureness(each) < _sureness(best[what]):
            best[what] = each
    return list(best.values())


def without_what_follows(
    happened: Sequence[Happening], places: Mapping[str, int]
) -> list[Happening]:
    """Of what happened to a column only what does not follow from something else that did.

    Where the median moves, so do the tails, the spread and the relations, perhaps in another form:
    a share that is at its end jumps where the median drifts. How far a distribution is from the
    usual one is said where nothing else of it is known. Places are those of the versions.
    """
    kept: list[Happening] = []

    def in_turn(each: Happening) -> tuple[bool, bool, tuple[int, float, int]]:
        return each.statistic == _OVERALL, each.statistic in _FOLLOWING, _sureness(each)

    for each in sorted(happened, key=in_turn):
        columns = {each.column, each.level} if each.statistic == "relation" else {each.column}
        follows = each.statistic in _FOLLOWING and any(
            each.statistic == _OVERALL or _covers(other, each, places)
            for other in kept
            if other.column in columns
        )
        if not follows:
            kept.append(each)
    return kept


def _covers(one: Happening, other: Happening, places: Mapping[str, int]) -> bool:
    """Whether something that happened may be why something else did."""
    first, last = places[one.first], places[one.last]
    began, ended = places[other.first], places[other.last]
    if one.form in ("drift", "season"):
        # How columns are stored, and go together, does not follow from values that move slowly.
        apart = other.statistic in (*_STORED, "relation") and other.form != one.form
        return not apart and (began >= first - 1 or ended == last)
    if one.form == "spike":
        return other.form == "spike" and began <= last and ended >= first
    return abs(began - first) <= 1 or (other.form == "drift" and began <= first <= ended)


def _sureness(happening: Happening) -> tuple[int, float, int]:
    first = {"kind": 0, "decimals": 3, "dtype": 3, _OVERALL: 4}.get(happening.statistic)
    if first is None:
        first = 2 if happening.statistic in _FOLLOWING else 1
    order = [*_LIMITS].index(happening.statistic)
    return first, max(happening.p_value, _CERTAIN), order


def together(
    happened: Sequence[Happening], places: Mapping[str, int]
) -> list[tuple[Happening, ...]]:
    """What happened to many columns with the same versions as one thing, all else by itself.

    In the order of the first of each; columns of one thing are by their places in the table.
    """
    found: dict[tuple[str, ...], list[Happening]] = {}

    def when(each: Happening) -> tuple[str, ...]:
        # Columns that are stored otherwise are another matter than values that moved.
        stored = each.statistic if each.statistic in _STORED else ""
        return each.form, each.first, each.last, stored

    for each in happened:
        found.setdefault(when(each), []).append(each)
    groups: dict[int, tuple[Happening, ...]] = {}
    for place, each in enumerate(happened):
        same = found[when(each)]
        if each.form == "season" or len({other.column for other in same}) < _TOGETHER:
            groups[place] = (each,)
        elif same[0] is each:
            groups[place] = tuple(sorted(same, key=lambda other: places[other.column]))
    return [groups[place] for place in sorted(groups)]


def accepted_of(happening: Happening, known: Sequence[Accepted]) -> Happening:
    """With the reason why it is accepted, if it is and has not grown graver.

    What began with the same version stays accepted however many versions follow. A drift and a
    season begin nowhere sharply: theirs are those of the column.
    """
    for entry in known:
        begins = entry.since == happening.first or happening.form in ("drift", "season")
        same = (entry.code, entry.column) == (happening.form, happening.column)
        if begins and same and happening.severity.rank >= entry.severity.rank:
            return msgspec.structs.replace(happening, accepted=entry.reason)
    return happening
