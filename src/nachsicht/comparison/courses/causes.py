"""What a change that stayed was: the versions before it against those since, pooled."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

#: So many versions before a change are pooled, the last ones.
_MOST_BEFORE = 24
#: Quantiles may be off by this part of the interquartile range since the change.
_OFF = 0.08
#: Levels that take each other's place have shares that differ by this part at most.
_SHARES_OFF = 0.15

_Floats = NDArray[np.float64]


class StayedCause(msgspec.Struct, frozen=True, kw_only=True):
    """What explains a change that stayed.

    Attributes
    ----------
    rule : str
        ``shifted`` by ``amount``, ``rescaled`` by it, or ``relabelled``.
    amount : float, optional
        The constant or the factor.
    old_level, new_level : str, optional
        Of a level that was renamed.
    """

    rule: Literal["shifted", "rescaled", "relabelled"]
    amount: float | None = None
    old_level: str | None = None
    new_level: str | None = None


def moved_by(
    quantiles: Sequence[Sequence[float]], first: int, last: int, middle_half: tuple[int, int]
) -> StayedCause | None:
    """The constant or the factor that takes the quantiles before a version to those since.

    Parameters
    ----------
    quantiles : sequence of sequence of float
        Each by version, in ascending order of their shares.
    first, last : int
        Places of the versions since the change.
    middle_half : (int, int)
        Places of the lower and the upper quartile among the quantiles.
    """
    by_version = np.array(quantiles, float)
    before = _pooled(by_version[:, max(first - _MOST_BEFORE, 0) : first])
    since = _pooled(by_version[:, first : last + 1])
    if not (np.isfinite(before).all() and np.isfinite(since).all()):
        return None
    low, high = middle_half
    size = float(since[high] - since[low])
    if size <= 0:
        return None
    shift = float(np.median(since - before))
    found = [(_off(before + shift, since) / size, StayedCause(rule="shifted", amount=shift))]
    if (before != 0).all() and (since / before > 0).all():
        factor = float(np.exp(np.median(np.log(since / before))))
        cause = StayedCause(rule="rescaled", amount=factor)
        found.append((_off(before * factor, since) / size, cause))
    off, best = min(found, key=lambda entry: entry[0])
    return best if off <= _OFF else None


def _pooled(values: _Floats) -> _Floats:
    """The median over the versions that have each quantile; NaN where none has."""
    known = [row[np.isfinite(row)] for row in values]
    return np.array([np.median(row) if len(row) else np.nan for row in known])


def _off(expected: _Floats, found: _Floats) -> float:
    return float(np.abs(expected - found).max())


def renamed(changes: Sequence[tuple[str, float, float]]) -> StayedCause | None:
    """Of levels whose shares changed at once, the two that took each other's place.

    Parameters
    ----------
    changes : sequence of tuple
        Of each the level, its share before, and its share since.
    """
    gone = [(level, old) for level, old, new in changes if new <= _SHARES_OFF * old]
    came = [(level, new) for level, old, new in changes if old <= _SHARES_OFF * new]
    if len(gone) != 1 or len(came) != 1:
        return None
    (old_level, old), (new_level, new) = gone[0], came[0]
    if abs(new - old) > _SHARES_OFF * max(old, new):
        return None
    return StayedCause(rule="relabelled", old_level=old_level, new_level=new_level)
