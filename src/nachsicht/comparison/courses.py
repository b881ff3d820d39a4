"""The course of every column along many versions: what happened to it, judged against its past."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.followed import FollowedColumn, FollowedProfile
from nachsicht.stats.change_point import FEWEST, Event, course_of

#: Over all series together, chance alone tells something in one of so many histories.
ALPHA = 0.01
#: So many levels of a column are followed, those with the largest share in any version.
_MOST_LEVELS = 12
#: Standard errors of a median and of an interquartile range, as those of a normal distribution,
#: in interquartile ranges over the root of the rows.
_OF_MEDIAN, _OF_IQR = 1.2533 / 1.349, 1.573 / 1.349

_Floats = NDArray[np.float64]


class Happening(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened to a column along the versions, or to the rows.

    Attributes
    ----------
    column : str
        Empty for the rows.
    statistic : str
        Which number of it: ``rows``, ``missing_share``, ``distinct``, ``median``, ``iqr``,
        ``share``.
    level : str, optional
        Of a share, that of which level.
    form : str
        ``jump``, ``spike``, ``drift`` or ``season``, as in `stats.change_point`.
    first, last : str
        Labels of the first and last version that it holds for.
    versions : int
        How many they are.
    before, after : float
        The number without noise, before it and in it; of a season, its lowest and highest.
    p_value : float
        How often chance gives as much anywhere in this series.
    period : float, optional
        Of a season, in versions.
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
    before: float
    after: float
    p_value: float
    period: float | None = None
    values: tuple[float, ...] = ()


class Courses(NamedTuple):
    """What happened along a history, the surest first, and how many series were looked at."""

    happened: tuple[Happening, ...]
    series: int
    columns: int
    versions: int


class _Series(NamedTuple):
    column: str
    statistic: str
    level: str | None
    values: _Floats
    errors: _Floats | None


def courses_of(profiles: Sequence[FollowedProfile]) -> Courses:
    """What happened to every column along versions in the order of their moments.

    Columns are followed by their names. One correction is made over all series.
    """
    names = list(dict.fromkeys(c.name for profile in profiles for c in profile.columns))
    # Columns of no rows say nothing.
    by_name = [{c.name: c for c in profile.columns if profile.rows} for profile in profiles]
    found = [_rows(profiles)]
    for name in names:
        found += _of_column(name, [columns.get(name) for columns in by_name])
    usable = [one for one in found if np.isfinite(one.values).sum() >= FEWEST]
    labels = [profile.label for profile in profiles]
    alpha = ALPHA / max(len(usable), 1)
    happened = _once([each for one in usable for each in _happenings(one, labels, alpha)])
    # Of what is equally sure that comes first which comes first in the table.
    places = {name: place for place, name in enumerate(["", *names])}
    in_order = sorted(happened, key=lambda each: (each.p_value, places[each.column]))
    return Courses(tuple(in_order), len(usable), len(names), len(profiles))


def _once(happened: list[Happening]) -> list[Happening]:
    """Of several numbers of a column to which the same happened, the surest one."""
    best: dict[tuple[str, str, str, str], Happening] = {}
    for each in happened:
        what = each.column, each.form, each.first, each.last
        if what not in best or each.p_value < best[what].p_value:
            best[what] = each
    return list(best.values())


def _happenings(series: _Series, labels: Sequence[str], alpha: float) -> Iterator[Happening]:
    course = course_of(series.values, series.errors, alpha)
    fitted = np.array(course.fitted)
    for event in course.events:
        before, after = _ends(event, fitted)
        yield Happening(
            column=series.column,
            statistic=series.statistic,
            level=series.level,
            form=event.form,
            first=labels[event.first],
            last=labels[event.last],
            versions=event.last - event.first + 1,
            before=before,
            after=after,
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


def _rows(profiles: Sequence[FollowedProfile]) -> _Series:
    rows = np.array([profile.rows for profile in profiles], float)
    return _Series("", "rows", None, rows, None)


def _of_column(name: str, columns: Sequence[FollowedColumn | None]) -> Iterator[_Series]:
    """The series of one column; NaN in versions that lack it, or have it as another kind."""
    rows = _floats([c.rows if c else None for c in columns])
    missing = _floats([c.missing if c else None for c in columns]) / np.maximum(rows, 1)
    yield _Series(name, "missing_share", None, missing, _error_of_share(missing, rows))
    if any(c and c.is_quantity for c in columns):
        present = np.maximum(_floats([c.present if c else None for c in columns]), 1)
        low, median, high = (
            _floats([c.quantile(share) if c else None for c in columns])
            for share in (0.25, 0.5, 0.75)
        )
        spread = high - low
        error = np.hypot(spread / present**0.5, _grain(columns))
        yield _Series(name, "median", None, median, _OF_MEDIAN * error)
        yield _Series(name, "iqr", None, spread, _OF_IQR * error)
    else:
        distinct = _floats([c.distinct if c else None for c in columns])
        yield _Series(name, "distinct", None, distinct, None)
    yield from _of_levels(name, columns)


def _grain(columns: Sequence[FollowedColumn | None]) -> float:
    """Half a unit of the coarsest decimal: quantiles of rounded numbers go by whole units."""
    known = [c.decimals for c in columns if c and c.decimals is not None]
    return 0.5 * 10.0 ** -min(known) if known else 0.0


def _of_levels(name: str, columns: Sequence[FollowedColumn | None]) -> Iterator[_Series]:
    """The shares of the levels that are the largest in any version."""
    own = [c if c and c.levels and c.present else None for c in columns]
    if not any(own):
        return
    counts = [{level.value: level.count for level in c.levels} if c else {} for c in own]
    rows = _floats([c.present if c else None for c in own])
    largest: dict[str, float] = {}
    for levels, n in zip(counts, rows.tolist(), strict=True):
        for level, count in levels.items():
            largest[level] = max(largest.get(level, 0.0), count / n)
    for level in sorted(largest, key=lambda level: (-largest[level], level))[:_MOST_LEVELS]:
        shares = _floats([levels.get(level, 0) for levels in counts]) / rows
        yield _Series(name, "share", level, shares, _error_of_share(shares, rows))


def _error_of_share(shares: _Floats, rows: _Floats) -> _Floats:
    """Standard errors of shares, with the share of all versions together."""
    together = float(np.nanmedian(shares))
    at_least = 0.5 / np.nanmax(rows)  # a share of none is not known to be none
    share = min(max(together, at_least), 1 - at_least)
    error: _Floats = np.sqrt(share * (1 - share) / np.maximum(rows, 1))
    return error


def _floats(values: Sequence[float | None]) -> _Floats:
    return np.array([np.nan if value is None else value for value in values], float)
