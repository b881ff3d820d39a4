"""The series of numbers that a history follows: one number of a column for each version."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.followed import (
    FollowedColumn,
    FollowedProfile,
    FollowedRelation,
)
from nachsicht.model.column import Level

#: So many levels of a column are followed, those with the largest share in any version.
_MOST_LEVELS = 12
#: In this part of the versions a level is to be seen, and of their rows such levels hold, where the
#: levels of a column are followed.
_LASTING = 0.5
#: From so many versions on the noise of their rows is known from these alone.
_ENOUGH = 16
#: The number of different values goes with the rows, if these differ by more than this.
_ALIKE = 1.3
#: Relations that are followed: so many at most, that are so strong in a version, surely.
_MOST_RELATIONS, _STRONG, _SURELY = 100, 0.3, 3.0
#: The measure that has a sign; strengths beyond this are as good as 1.
_SIGNED, _NEARLY_ONE = "spearman", 0.9999
#: The quantiles whose distances from what is usual are followed.
_COMPARED = (0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95)
#: Numbers are fine, if the interquartile range has so many half units.
_FINE = 20
#: A column of this share of different values has one for nearly every row.
_MOSTLY_DISTINCT = 0.9
#: Counts are expected to be this small at least: of what was never seen one does not prove much.
_LEAST_EXPECTED, _LARGE = 0.3, 30
#: Shares of a level, so far as logarithms can take them.
_ALL = 1 - 1e-12
#: Kinds between which a column goes to and fro by chance are one.
_SAME_KIND = {"identifier": "text", "flag": "category"}
#: A column that changes its kind more often has none.
_MOST_TURNS = 2
#: How columns are stored, as the names of Arrow's types begin or end.
_STORED = (
    *("string", "utf8", "bool", "timestamp", "date", "time", "duration", "decimal"),
    *("int", "float", "double"),
)
#: What the kind of a column is called in versions that lack it.
ABSENT = "absent"
_RIGHT = math.pi / 2
#: Spreads below this part of the typical one are as good as none.
_SMALL = 1e-3

_Floats = NDArray[np.float64]


class Series(NamedTuple):
    """One number of a column, or of the rows, in every version; NaN where there is none.

    ``errors`` are the standard errors of the values, where they are known. A difference of
    ``scale`` is a large one. Of kinds and types, the values are places in ``states``. The ``level``
    of a relation is the other column.

    What is ``judged`` are values whose noise is the same whatever they are, and ``errors`` are
    theirs: angles of shares (Anscombe 1948), logarithms of spreads and of counts of rows. ``back``
    takes them back.
    """

    column: str
    statistic: str
    level: str | None
    values: _Floats
    errors: _Floats | None
    scale: float
    judged: _Floats
    back: Callable[[float], float] = float
    states: tuple[str, ...] = ()


def series_of_rows(profiles: Sequence[FollowedProfile]) -> Iterator[Series]:
    """The number of rows, and the share of those that repeat another one."""
    rows = np.array([profile.rows for profile in profiles], float)
    # Of few versions one must suppose that rows come as unevenly as chance would have it, at least,
    # unless they are of a fixed number.
    fixed = len(rows) > 1 and float(np.median(np.abs(np.diff(rows)))) == 0
    errors = None if fixed or len(rows) >= _ENOUGH else 1 / np.sqrt(rows + 1)
    yield Series("", "rows", None, rows, errors, _typical(rows), np.log1p(rows), math.expm1)
    repeated = np.array([profile.duplicates.duplicate_rows for profile in profiles], float)
    if repeated.any():
        shares = repeated / np.where(rows > 0, rows, np.nan)
        yield _shares("", "duplicates_share", None, shares, np.maximum(rows, 1))


def series_of_relations(profiles: Sequence[FollowedProfile]) -> Iterator[Series]:
    """How strongly columns go together: of the pairs of which that is strong in any version."""
    found: dict[tuple[str, str, str], dict[int, FollowedRelation]] = {}
    for place, profile in enumerate(profiles):
        for pair in profile.relations.pairs:
            found.setdefault((pair.x, pair.y, pair.measure), {})[place] = pair
    strong = {
        key: max(abs(pair.value) - _SURELY * pair.std_error for pair in own.values())
        for key, own in found.items()
    }
    chosen = sorted((key for key in found if strong[key] >= _STRONG), key=lambda key: -strong[key])
    for key in chosen[:_MOST_RELATIONS]:
        own = [found[key].get(place) for place in range(len(profiles))]
        values = _floats([pair.value if pair else None for pair in own])
        rows = np.maximum(_floats([pair.rows if pair else None for pair in own]), 5)
        errors = _floats([pair.std_error if pair else None for pair in own])
        if key[2] == _SIGNED:  # by Fisher's z, whose noise is the same for all strengths
            values = np.clip(values, -_NEARLY_ONE, _NEARLY_ONE)
            errors = np.fmax(errors / (1 - values**2), (rows - 3) ** -0.5)
            judged, back = np.arctanh(values), math.tanh
            yield Series(key[0], "relation", key[1], values, errors, 1.0, judged, back)
        else:
            errors = np.fmax(errors, 0.5 * rows**-0.5)
            yield Series(key[0], "relation", key[1], values, errors, 1.0, values)


def series_of_column(
    name: str, columns: Sequence[FollowedColumn | None], filled: Sequence[bool]
) -> Iterator[Series]:
    """The series of one column; NaN in versions that lack it, or have it as another kind.

    Versions that are not ``filled`` have no rows, and say nothing of any column.
    """
    yield _kinds(name, columns, filled)
    rows = _floats([c.rows if c else None for c in columns])
    missing = _floats([c.missing if c else None for c in columns]) / np.maximum(rows, 1)
    yield _shares(name, "missing_share", None, missing, rows)
    if any(c and c.is_quantity for c in columns):
        present = np.maximum(_floats([c.present if c else None for c in columns]), 1)
        yield from _quantiles(name, columns, present)
        yield from _signs(name, columns, present)
        yield from _distance_of_quantiles(name, columns)
        decimals = _floats([c.decimals if c else None for c in columns])
        yield Series(name, "decimals", None, decimals, None, 1.0, decimals)
    else:
        yield from _distinct(name, columns, rows - missing * rows)
        yield from _distance_of_levels(name, columns)
    yield from _of_levels(name, columns)
    yield _states(name, "dtype", [_stored_as(c) if c else None for c in columns])


def _quantiles(
    name: str, columns: Sequence[FollowedColumn | None], present: _Floats
) -> Iterator[Series]:
    """Location and spread, with errors by how sparse the values are next to them, and the tails."""
    q05, q10, q25, q50, q75, q90, q95 = (
        _floats([c.quantile(share) if c else None for c in columns])
        for share in (0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95)
    )
    grain, typical = _grain(columns), _typical(q75 - q25)

    def error(share: float, value_per_share: _Floats) -> _Floats:
        found: _Floats = value_per_share * np.sqrt(share * (1 - share) / present)
        return found

    # Value per share: the inverse of the density.
    at_middle, at_low, at_high = (q75 - q25) / 0.5, (q25 - q10) / 0.15, (q90 - q75) / 0.15
    yield Series(name, "median", None, q50, np.hypot(error(0.5, at_middle), grain), typical, q50)
    for statistic, values, width in (("below", q05, q10 - q05), ("above", q95, q95 - q90)):
        # Of numbers that are mostly equal there, quantiles do not tell the share beyond one.
        if np.nan_to_num(_typical(width)) > 2 * grain:
            limit = float(np.nanmedian(values))
            shares = _floats([c.share_below(limit) if c else None for c in columns])
            shares = shares if statistic == "below" else 1 - shares
            yield _shares(name, statistic, repr(limit), shares, present)
    # The two deciles go together a little: their covariance is a ninth of their variances.
    variance = error(0.1, at_low) ** 2 + error(0.1, at_high) ** 2
    variance -= 2 / 9 * error(0.1, at_low) * error(0.1, at_high)
    spread = q90 - q10
    # A spread of nothing has no logarithm; it is judged as far below all others.
    least = max(grain, _SMALL * _typical(spread))
    if least > 0:
        relative = np.hypot(np.sqrt(variance), grain) / np.fmax(spread, least)
        judged = np.log(np.fmax(spread, least))
        scale = _typical(spread)
        yield Series(name, "interdecile_range", None, spread, relative, scale, judged, math.exp)


def _distance_of_quantiles(name: str, columns: Sequence[FollowedColumn | None]) -> Iterator[Series]:
    """How far the quantiles are from their middles over all versions, in interquartile ranges."""
    quantiles = np.array(
        [_floats([c.quantile(share) if c else None for c in columns]) for share in _COMPARED]
    )
    known = np.isfinite(quantiles).any(axis=1)
    if known.all():
        middles = np.nanmedian(quantiles, axis=1, keepdims=True)
        size = float(middles[_COMPARED.index(0.75), 0] - middles[_COMPARED.index(0.25), 0])
        # Quantiles of few different numbers go by whole units: their distances jump by chance.
        if size > _FINE * _grain(columns):
            yield _distance(name, np.abs(quantiles - middles).mean(axis=0) / size, columns)


def _distance_of_levels(name: str, columns: Sequence[FollowedColumn | None]) -> Iterator[Series]:
    """How far the shares of all levels are from their middles: the total variation distance."""
    own = [c if c and c.levels and c.present else None for c in columns]
    listed = [c for c in own if c]
    if not listed or not _has_lasting_levels(listed):
        return
    levels = {level.value: place for place, level in enumerate(_all_levels(listed))}
    shares = np.full((len(levels), len(columns)), np.nan)
    for version, column in enumerate(own):
        if column:
            shares[:, version] = 0.0
            for level in column.levels:
                shares[levels[level.value], version] = level.count / column.present
    middles = np.nanmedian(shares, axis=1, keepdims=True)
    yield _distance(name, np.abs(shares - middles).sum(axis=0) / 2, columns)


def _all_levels(own: Sequence[FollowedColumn]) -> Iterator[Level]:
    """Each level of any version, once."""
    return iter({level.value: level for column in own for level in column.levels}.values())


def _distance(name: str, distances: _Floats, columns: Sequence[FollowedColumn | None]) -> Series:
    """Distances from what is usual; chance makes them larger where there are fewer rows."""
    rows = np.maximum(_floats([c.present if c else None for c in columns]), 1)
    by_rows = np.sqrt(rows / np.nanmedian(rows))
    judged = np.sqrt(distances * by_rows)
    return Series(name, "distance", None, distances, None, 1.0, judged, lambda root: root**2)


def _signs(
    name: str, columns: Sequence[FollowedColumn | None], present: _Floats
) -> Iterator[Series]:
    """Shares of zeros and of negative numbers."""
    own = [c.stats if c and c.is_quantity else None for c in columns]
    for statistic in ("zeros", "negatives"):
        counts = _floats([getattr(stats, statistic) if stats else None for stats in own])
        if np.nansum(counts):
            yield _shares(name, f"{statistic}_share", None, counts / present, present)


def _distinct(
    name: str, columns: Sequence[FollowedColumn | None], present: _Floats
) -> Iterator[Series]:
    """The number of different values, where it does not just go with the rows."""
    distinct = _floats([c.distinct if c else None for c in columns])
    own = [c for c in columns if c and c.present]
    listed = bool(own) and all(c.levels and len(c.levels) >= c.distinct for c in own)
    if listed:
        yield Series(
            name, "distinct", None, distinct, _unseen(own, present), _typical(distinct), distinct
        )
        return
    known = present[np.isfinite(present)]
    if not len(known):
        return
    share, rows = distinct / np.maximum(present, 1), float(np.median(known))
    typical = _typical(distinct)
    if np.nanmedian(share) >= _MOSTLY_DISTINCT:  # they go with the rows, and are judged by these
        repeats = max(float(np.nanmedian(present - distinct)), 1.0)
        errors = math.sqrt(repeats) / np.maximum(present, 1)
        yield Series(
            name, "distinct", None, distinct, errors, typical, share, lambda judged: judged * rows
        )
    elif known.max() <= _ALIKE * known.min():
        yield Series(name, "distinct", None, distinct, None, typical, distinct)


def _unseen(own: Sequence[FollowedColumn], present: _Floats) -> _Floats:
    """Standard errors of the number of levels: rare ones are not seen in every version.

    Whether one is seen is no normal number. The error is such that the rarest lasting level is as
    unlikely not to be seen, by chance, as a normal number that is off by one.
    """
    counts, versions = _totals(own)
    rows = np.nan_to_num(present)
    shares = np.array([*counts.values()]) / max(sum(c.present for c in own), 1)
    absent = np.exp(np.outer(rows, np.log1p(-np.minimum(shares, _ALL))))
    lasting = [counts[level] for level, n in versions.items() if n >= _LASTING * len(own)]
    rarest = min(lasting, default=1) / max(sum(c.present for c in own), 1)
    error: _Floats = np.sqrt((absent * (1 - absent)).sum(axis=1))
    least: _Floats = 1 / np.sqrt(2 * np.fmax(rarest * rows, 0.5))
    return np.maximum(error, least)


def _totals(own: Sequence[FollowedColumn]) -> tuple[Counter[str], Counter[str]]:
    """In how many rows and in how many versions each level is."""
    counts: Counter[str] = Counter()
    for column in own:
        counts.update({level.value: level.count for level in column.levels})
    return counts, Counter(level.value for column in own for level in column.levels)


def _kinds(name: str, columns: Sequence[FollowedColumn | None], filled: Sequence[bool]) -> Series:
    """What kind the column is, or that it is not there."""
    kinds = [_SAME_KIND.get(c.kind, c.kind) if c else ABSENT for c in columns]
    seen = [kind if full else None for kind, full in zip(kinds, filled, strict=True)]
    return _states(name, "kind", seen)


def _states(name: str, statistic: str, seen: Sequence[str | None]) -> Series:
    """States as numbers, the most frequent one first.

    Of a column of no settled state, whether it is there.
    """
    known = [state for state in seen if state is not None]
    if sum(one != other for one, other in pairwise(known)) > _MOST_TURNS:
        seen = [state if state in (None, ABSENT) else "mixed" for state in seen]
    states = tuple(state for state, _ in Counter(filter(None, seen)).most_common())
    places = _floats([None if state is None else states.index(state) for state in seen])
    return Series(name, statistic, None, places, None, 0.0, places, states=states)


def _stored_as(column: FollowedColumn) -> str:
    """What a type of Arrow is, whatever its width, unit or encoding.

    Whole numbers are stored as fractions where some are missing, by what knows no missing whole
    number: they are whole numbers still.
    """
    known = next((name for name in _STORED if name in column.dtype), column.dtype)
    if known in ("float", "double") and column.decimals == 0:
        return "int"
    return {"double": "float", "utf8": "string"}.get(known, known)


def _typical(values: _Floats) -> float:
    known = values[np.isfinite(values)]
    return float(np.median(np.abs(known))) if len(known) else 0.0


def _grain(columns: Sequence[FollowedColumn | None]) -> float:
    """Half a unit of the coarsest decimal: quantiles of rounded numbers go by whole units."""
    known = [c.decimals for c in columns if c and c.decimals is not None]
    return 0.5 * 10.0 ** -min(known) if known else 0.0


def _of_levels(name: str, columns: Sequence[FollowedColumn | None]) -> Iterator[Series]:
    """The shares of the levels that are the largest in any version.

    None where every version has levels of its own, as names that are given anew: these come and go.
    """
    own = [c if c and c.levels and c.present else None for c in columns]
    if not any(own) or not _has_lasting_levels([c for c in own if c]):
        return
    counts = [{level.value: level.count for level in c.levels} if c else {} for c in own]
    rows = _floats([c.present if c else None for c in own])
    largest: dict[str, float] = {}
    for levels, n in zip(counts, rows.tolist(), strict=True):
        for level, count in levels.items():
            largest[level] = max(largest.get(level, 0.0), count / n)
    for level in sorted(largest, key=lambda level: (-largest[level], level))[:_MOST_LEVELS]:
        shares = _floats([levels.get(level, 0) for levels in counts]) / rows
        yield _shares(name, "share", level, shares, rows)


def _has_lasting_levels(own: Sequence[FollowedColumn]) -> bool:
    """Whether levels that most versions have hold most of the rows of a typical version."""
    _, versions = _totals(own)
    lasting = {level for level, n in versions.items() if n >= _LASTING * len(own)}
    held = [sum(e.count for e in c.levels if e.value in lasting) / c.present for c in own]
    return float(np.median(held)) >= _LASTING


def _shares(name: str, statistic: str, level: str | None, shares: _Floats, rows: _Floats) -> Series:
    """Shares of rows, with their angles."""
    counts = np.round(shares * rows)
    angles = np.arcsin(np.sqrt((counts + 0.375) / (rows + 0.75)))
    errors = 0.5 / np.sqrt(rows + 0.5) * _error_of_angle(shares, rows)
    return Series(name, statistic, level, shares, errors, 1.0, angles, _share_of)


def _error_of_angle(shares: _Floats, rows: _Floats) -> float:
    """The standard error of angles as a part of that of large counts: less for rare levels."""
    from scipy.special import gammaln  # loads slowly

    known = np.isfinite(shares)
    if not known.any():
        return 1.0
    share, n = float(np.median(shares[known])), float(np.median(rows[known]))
    expected = max(min(share, 1 - share) * n, _LEAST_EXPECTED)
    if expected > _LARGE:
        return 1.0
    counts = np.arange(4 * _LARGE)
    chances = np.exp(counts * math.log(expected) - expected - gammaln(counts + 1))
    roots = 2 * np.sqrt(counts + 0.375)
    return float(np.sqrt(chances @ roots**2 - (chances @ roots) ** 2))


def _share_of(angle: float) -> float:
    return math.sin(min(max(angle, 0.0), _RIGHT)) ** 2


def _floats(values: Sequence[float | None]) -> _Floats:
    return np.array([np.nan if value is None else value for value in values], float)
