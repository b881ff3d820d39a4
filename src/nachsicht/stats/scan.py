"""The part of the rows in which two samples differ, while they are alike in all others.

A scan statistic (after Kulldorff, *Communications in Statistics: Theory and Methods* 26, 1997). How
plain a difference is in some rows is the square of its total variation, times the rows. Rows that
do not differ thin the variation out, so that it is plainest in just the rows that do: there it is
that of all rows, divided by their share. If all rows differ alike, it falls with the rows.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

#: A part has at least so many rows of both samples, and at most this share of all; so have others.
_FEWEST, _MOST_HELD = 25, 0.8
#: In it this share of the rows is in other classes; of the others at most a quarter of that.
_LEAST_MOVED, _OTHERS = 0.08, 1 / 4
#: Chance must give what is seen of the others at least so often, unless it is less than this part.
_AS_BEFORE, _HARDLY = 0.01, 0.1
#: A difference is plainer than in all rows by at least this part of what it would be if no other
#: rows differed.
_CONCENTRATED = 0.5
#: In the part, the variation is greater by so many times what chance gives of the others.
_SEEN = 3.0
#: All rows show at least this part of what a change of the part alone makes of them.
_SEEN_IN_ALL = 0.5

_Counts = NDArray[np.float64]


class Concentrated(NamedTuple):
    """Parts from ``first`` to ``last``, how plain the difference is, and their share of the rows.

    ``p_value`` is how often chance makes two samples differ so in any of the parts that were tried.
    """

    first: int
    last: int
    plainness: float
    share: float
    p_value: float


def concentrated_in(
    parts: _Counts, whole: _Counts, *, ordered: bool, plainness: float | None = None
) -> Concentrated | None:
    """The part in which two samples differ, and outside of which they do not.

    Parameters
    ----------
    parts : array, shape (2, parts, classes)
        Rows of both samples by part and class.
    whole : array, shape (2, classes)
        All rows, also those of no part.
    ordered : bool
        Whether neighbouring parts are tried together.
    plainness : float, optional
        That of the difference in all rows, where it is known.

    Returns
    -------
    the part in which the difference is plainest, or None
    """
    weights = parts.sum(axis=(0, 2))
    moved = weights * differences(parts)[2]  # of each part by itself: elsewhere none did
    if ordered:
        below = np.concatenate((np.zeros_like(parts[:, :1]), parts.cumsum(axis=1)), axis=1)
        first, last = np.triu_indices(parts.shape[1])
        inside = below[:, last + 1] - below[:, first]
        moved_below, weighed = (np.append(0.0, v.cumsum()) for v in (moved, weights))
        moved_here = moved_below[last + 1] - moved_below[first]
        weight_here = weighed[last + 1] - weighed[first]
    else:
        first = last = np.arange(parts.shape[1])
        inside = parts
        moved_here, weight_here = moved, weights
    elsewhere = (moved.sum() - moved_here) / np.maximum(weights.sum() - weight_here, 1)
    outside = whole[:, None, :] - inside
    rows, others = inside.sum(axis=2), outside.sum(axis=2)
    share = (rows / whole.sum(axis=1)[:, None]).mean(axis=0)
    fits = (np.minimum(rows, others).min(axis=0) >= _FEWEST) & (share <= _MOST_HELD)
    if not fits.any():
        return None
    here, there = differences(inside), differences(outside)
    of_all = differences(whole[:, None, :])
    total = float(of_all[0][0]) if plainness is None else plainness
    plainer = 1 + _CONCENTRATED * (1 / np.maximum(share, 1e-9) - 1)
    by_chance = (there[1] >= _AS_BEFORE) & (there[2] <= _OTHERS * here[2])
    fits &= (here[2] >= _LEAST_MOVED) & (by_chance | (there[2] <= _HARDLY * here[2]))
    # Changes of parts that cancel each other are those of a relation.
    # So few other rows that nothing would be seen of them tell nothing.
    fits &= here[2] - np.maximum(there[2], 0) >= _SEEN * there[3]
    fits &= (elsewhere <= _OTHERS * here[2]) & (of_all[2] >= _SEEN_IN_ALL * share * here[2])
    fits &= here[0] >= plainer * total
    if not fits.any():
        return None
    at = int(np.argmax(np.where(fits, here[0], -1)))
    return Concentrated(
        int(first[at]),
        int(last[at]),
        float(here[0][at]),
        float(share[at]),
        float(here[1][at]) * len(share),
    )


def differences(counts: _Counts) -> tuple[_Counts, _Counts, _Counts, _Counts]:
    """How plain differences are, p-values (chi-squared), and total variations.

    These are beyond those that chance gives, which come last.

    ``counts``, of shape (2, n, classes), are the classes of two samples in n parts.
    """
    from scipy.special import chdtrc

    rows = np.maximum(counts.sum(axis=2), 1e-9)
    both = counts.sum(axis=0)
    scale = np.sqrt(rows[1] / rows[0])[:, None]
    apart = (counts[0] * scale - counts[1] / scale) ** 2 / np.maximum(both, 1e-9)
    statistic = apart.sum(axis=1)
    freedom = np.maximum((both > 0).sum(axis=1) - 1, 1)
    shares = counts / rows[:, :, None]
    variation = np.abs(shares[0] - shares[1]).sum(axis=1) / 2
    mixed = both / both.sum(axis=1, keepdims=True).clip(1e-9)
    spread = mixed * (1 - mixed) * (1 / rows[0] + 1 / rows[1])[:, None]
    usual = np.sqrt(spread * 2 / np.pi).sum(axis=1) / 2
    beyond = variation - usual
    plainness = np.maximum(beyond, 0.0) ** 2 / (1 / rows[0] + 1 / rows[1])
    return plainness, chdtrc(freedom, statistic), beyond, usual
