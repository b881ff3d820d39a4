"""The series of numbers that a history follows: one number of a column for each version."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.comparison.courses.followed import FollowedColumn, FollowedProfile

#: So many levels of a column are followed, those with the largest share in any version.
_MOST_LEVELS = 12
#: Standard errors of a median and of an interquartile range, as those of a normal distribution,
#: in interquartile ranges over the root of the rows.
_OF_MEDIAN, _OF_IQR = 1.2533 / 1.349, 1.573 / 1.349
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
        low, median, high = (
            _floats([c.quantile(share) if c else None for c in columns])
            for share in (0.25, 0.5, 0.75)
        )
        spread = high - low
        error = np.hypot(spread / present**0.5, _grain(columns))
        typical = _typical(spread)
        yield Series(name, "median", None, median, _OF_MEDIAN * error, typical)
        yield Series(name, "iqr", None, spread, _OF_IQR * error, typical)
    else:
        distinct = _floats([c.distinct if c else None for c in columns])
        yield Series(name, "distinct", None, distinct, None, _typical(distinct))
    yield from _of_levels(name, columns)


def _kinds(name: str, columns: Sequence[FollowedColumn | None], filled: Sequence[bool]) -> Series:
    """What kind the column is; the most frequent kind is the first state."""
    kinds = [c.kind if c else ABSENT for c in columns]
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
        yield _shares(name, "share", level, shares, rows)


def _shares(name: str, statistic: str, level: str | None, shares: _Floats, rows: _Floats) -> Series:
    """Shares of rows, with their angles."""
    counts = np.round(shares * rows)
    angles = np.arcsin(np.sqrt((counts + 0.375) / (rows + 0.75)))
    errors = 0.5 / np.sqrt(rows + 0.5)
    return Series(name, statistic, level, shares, errors, 1.0, angles=angles)


def _floats(values: Sequence[float | None]) -> _Floats:
    return np.array([np.nan if value is None else value for value in values], float)
