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
    from scipy.cluster.hierarchy import fcluster, leaves_list, linkage
    from scipy.spatial.distance import squareform

    sizes = np.nan_to_num(np.abs(strengths))
    np.fill_diagonal(sizes, 0.0)
    apart = 1 - sizes
    np.fill_diagonal(apart, 0.0)
    tree = linkage(squareform(apart, checks=False), "average")
    order = tuple(names[int(i)] for i in leaves_list(tree))
    found: dict[int, list[str]] = {}
    for name, cluster in zip(names, fcluster(tree, 1 - TOGETHER, "distance"), strict=True):
        found.setdefault(int(cluster), []).append(name)
    groups = sorted(tuple(group) for group in found.values() if len(group) > 1)
    alone = tuple(name for name, row in zip(names, sizes, strict=True) if row.max() < TIED)
    return order, tuple(groups), alone
