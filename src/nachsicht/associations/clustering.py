"""Columns that move together, columns tied to nothing, and an order that keeps groups together."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

#: From this strength on columns are a group, and below this one a column is tied to nothing.
TOGETHER, TIED = 0.6, 0.1


def grouped(
    names: Sequence[str], strengths: NDArray[np.float64]
) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...], tuple[str, ...]]:
    """Group columns by average linkage of one less the strength (Sokal and Michener 1958).

    Parameters
    ----------
    names : sequence of str
        Of the columns.
    strengths : array, names × names
        NaN counts as no relation at all.

    Returns
    -------
    (all names in the order of the tree, groups of two columns or more, names tied to nothing)
    """
    if len(names) < 3:
        return tuple(names), (), ()
    sizes = np.nan_to_num(np.abs(strengths))
    np.fill_diagonal(sizes, 0.0)
    merges = average_linkage(1 - sizes)
    # Each cluster as the columns in it, in the order of the tree; those of the newest merge last.
    clusters = [[i] for i in range(len(names))]
    groups = {}
    for one, other, apart in merges:
        clusters.append(clusters[one] + clusters[other])
        if apart <= 1 - TOGETHER:
            groups[len(clusters) - 1] = sorted(clusters[-1])
            groups.pop(one, None)
            groups.pop(other, None)
    order = tuple(names[i] for i in clusters[-1])
    alone = tuple(name for name, row in zip(names, sizes, strict=True) if row.max() < TIED)
    together = sorted(tuple(names[i] for i in group) for group in groups.values())
    return order, tuple(together), alone


def average_linkage(apart: NDArray[np.float64]) -> list[tuple[int, int, float]]:
    """The merges of a hierarchical clustering, the nearest first.

    The distance of two clusters is the mean over all pairs of their members (Sokal and
    Michener 1958). Found by chains of nearest neighbours (Murtagh, *The Computer Journal* 26,
    1983), in the order of n**2 steps; of equally near clusters the first is taken.

    Parameters
    ----------
    apart : array, n × n
        Distances of single members, symmetric; the diagonal does not matter. At least two.

    Returns
    -------
    list of (one, other, distance)
        Members are 0 to n - 1, the cluster that the i-th merge makes is n + i; ``one`` is the
        smaller number.
    """
    n = len(apart)
    apart = apart.copy()
    np.fill_diagonal(apart, np.inf)
    sizes = np.ones(n)
    found: list[tuple[int, int, float]] = []
    chain: list[int] = []
    while len(found) < n - 1:
        if not chain:
            chain.append(int(np.flatnonzero(sizes)[0]))
        while True:
            row = apart[chain[-1]]
            nearest = int(row.argmin())
            # Back to the one before where no other is nearer, so that the chain ends.
            if len(chain) > 1 and row[chain[-2]] <= row[nearest]:
                break
            chain.append(nearest)
        kept, gone = sorted((chain.pop(), chain.pop()), reverse=True)
        found.append((gone, kept, float(apart[gone, kept])))
        mean = (sizes[gone] * apart[gone] + sizes[kept] * apart[kept]) / (sizes[gone] + sizes[kept])
        mean[kept] = np.inf
        apart[kept], apart[:, kept] = mean, mean
        apart[gone], apart[:, gone] = np.inf, np.inf
        sizes[kept] += sizes[gone]
        sizes[gone] = 0
    return _numbered(sorted(found, key=lambda merge: merge[2]), n)


def _numbered(merges: list[tuple[int, int, float]], n: int) -> list[tuple[int, int, float]]:
    """Merges in their order, with the clusters as numbers instead of a member of each."""
    cluster, within = list(range(n)), list(range(n))

    def leader(member: int) -> int:
        while within[member] != member:
            member = within[member]
        return member

    found = []
    for i, (gone, kept, apart) in enumerate(merges):
        # Rounding may bring a cluster before one that it was made of: members have leaders.
        a, b = leader(gone), leader(kept)
        one, other = sorted((cluster[a], cluster[b]))
        found.append((one, other, apart))
        within[a], cluster[b] = b, n + i
    return found
