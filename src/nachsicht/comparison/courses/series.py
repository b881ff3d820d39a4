"""The series of numbers that a history follows: one number of a column for each version."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.followed import FollowedColumn, FollowedProfile

#: So many levels of a column are followed, those with the largest share in any version.
_MOST_LEVELS = 12
#: In this part of the versions a level is to be seen, and of their rows such levels hold, where the
#: levels of a column are followed.
_LASTING = 0.5
#: The number of different values goes with the rows, if these differ by more than this.
_ALIKE = 1.3
#: Shares of a level, so far as logarithms can take them.
_ALL = 1 - 1e-12
#: Kinds between which a column goes to and fro by chance are one.
_SAME_KIND = {"identifier": "text", "flag": "category"}
#: A column that changes its kind more often has none.
_MOST_TURNS = 2
#: What the kind of a column is called in versions that lack it.
ABSENT = "absent"
_RIGHT = np.pi / 2

_Floats = NDArray[np.float64]


class Series(NamedTuple):
    """One number of a column, or of the rows, in every version; NaN where there is none.

    ``errors`` are the standard errors of the values, where they are known. A difference of
    ``scale`` is a large one. Of kinds, the values are places in ``states``. Shares are judged as
    ``angles``, whose noise is the same for rare and for frequent levels (Anscombe 1948).
    """

    column: str
    statistic: str
    level: str | None
    values: _Floats
    errors: _Floats | None
    scale: float
    states: tuple[str, ...] = ()
    angles: _Floats | None = None

    @property
    def judged(self) -> _Floats:
        """What the course is looked for in."""
        return self.values if self.angles is None else self.angles

    def value_of(self, judged: float) -> float:
        """The value that stands behind what was judged."""
        return judged if self.angles is None else float(np.sin(min(max(judged, 0.0), _RIGHT)) ** 2)


def series_of_rows(profiles: Sequence[FollowedProfile]) -> Series:
    """The number of rows."""
    rows = np.array([profile.rows for profile in profiles], float)
    return Series("", "rows", None, rows, None, _typical(rows))


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
    else:
        yield from _distinct(name, columns, rows - missing * rows)
    yield from _of_levels(name, columns)


def _quantiles(
    name: str, columns: Sequence[FollowedColumn | None], present: _Floats
) -> Iterator[Series]:
    """Median and interquartile range, with errors by how sparse the values are next to them."""
    q10, q25, q50, q75, q90 = (
        _floats([c.quantile(share) if c else None for c in columns])
        for share in (0.1, 0.25, 0.5, 0.75, 0.9)
    )
    # Value per share: the inverse of the density.
    at_low, at_middle, at_high = (q50 - q10) / 0.4, (q75 - q25) / 0.5, (q90 - q50) / 0.4
    grain, typical = _grain(columns), _typical(q75 - q25)
    error = np.hypot(at_middle * np.sqrt(0.25 / present), grain)
    yield Series(name, "median", None, q50, error, typical)
    variance = 0.1875 * (at_low**2 + at_high**2) - 2 * 0.0625 * at_low * at_high
    error = np.hypot(np.sqrt(variance / present), grain)
    yield Series(name, "iqr", None, q75 - q25, error, typical)


def _distinct(
    name: str, columns: Sequence[FollowedColumn | None], present: _Floats
) -> Iterator[Series]:
    """The number of different values, where it does not just go with the rows."""
    distinct = _floats([c.distinct if c else None for c in columns])
    own = [c for c in columns if c and c.present]
    listed = bool(own) and all(c.levels and len(c.levels) >= c.distinct for c in own)
    if listed:
        yield Series(name, "distinct", None, distinct, _unseen(own, present), _typical(distinct))
        return
    known = present[np.isfinite(present)]
    if len(known) and known.max() <= _ALIKE * known.min():
        yield Series(name, "distinct", None, distinct, None, _typical(distinct))


def _unseen(own: Sequence[FollowedColumn], present: _Floats) -> _Floats:
    """Standard errors of the number of levels: rare ones are not seen in every version."""
    counts: Counter[str] = Counter()
    for column in own:
        counts.update({level.value: level.count for level in column.levels})
    shares = np.array([*counts.values()]) / max(sum(c.present for c in own), 1)
    absent = np.exp(np.outer(np.nan_to_num(present), np.log1p(-np.minimum(shares, _ALL))))
    error: _Floats = np.sqrt((absent * (1 - absent)).sum(axis=1))
    return error


def _kinds(name: str, columns: Sequence[FollowedColumn | None], filled: Sequence[bool]) -> Series:
    """What kind the column is; the most frequent kind is the first state.

    Of a column of no settled kind, whether it is there.
    """
    kinds = [_SAME_KIND.get(c.kind, c.kind) if c else ABSENT for c in columns]
    seen = [kind for kind, full in zip(kinds, filled, strict=True) if full]
    if sum(one != other for one, other in pairwise(seen)) > _MOST_TURNS:
        kinds = [ABSENT if kind == ABSENT else "mixed" for kind in kinds]
    states = tuple(kind for kind, _ in Counter(kinds).most_common())
    places = [states.index(k) if full else None for k, full in zip(kinds, filled, strict=True)]
    return Series(name, "kind", None, _floats(places), None, 0.0, states)


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
    versions = Counter(level.value for column in own for level in column.levels)
    lasting = {level for level, n in versions.items() if n >= _LASTING * len(own)}
    held = [sum(e.count for e in c.levels if e.value in lasting) / c.present for c in own]
    return float(np.median(held)) >= _LASTING


def _shares(name: str, statistic: str, level: str | None, shares: _Floats, rows: _Floats) -> Series:
    """Shares of rows, with their angles."""
    counts = np.round(shares * rows)
    angles = np.arcsin(np.sqrt((counts + 0.375) / (rows + 0.75)))
    errors = 0.5 / np.sqrt(rows + 0.5)
    return Series(name, statistic, level, shares, errors, 1.0, angles=angles)


def _floats(values: Sequence[float | None]) -> _Floats:
    return np.array([np.nan if value is None else value for value in values], float)
