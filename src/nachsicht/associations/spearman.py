"""Spearman's rank correlation of all pairs of quantities, with its standard error.

Columns without gaps are ranked once and multiplied as a matrix. Where one of two columns has
missing values, both are ranked again among common rows; where that takes too long, among
fewer rows, drawn evenly.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.associations.encode import Floats, NumericVector, ranks
from nachsicht.stats.gram import products_of_rows

#: Rows times pairs with missing values that are ranked again at most; beyond, rows are drawn.
MOST_RANKED = 20_000_000
#: At least so many rows are drawn.
FEWEST_DRAWN = 1_000
_BLOCK_ROWS = 30_000


class Correlations(msgspec.Struct, frozen=True):
    """Values, standard errors and rows of all pairs; NaN where one of the two never varies."""

    values: Floats
    errors: Floats
    rows: Floats


class Strength(msgspec.Struct, frozen=True):
    """A strength and its standard error."""

    value: float
    error: float


def rank_correlations(
    sides: Sequence[NumericVector], drawn: NDArray[np.int64], pmap: ParallelMap = map
) -> Correlations:
    """Spearman's correlation of every pair.

    Parameters
    ----------
    sides : sequence of Quantity
        Columns of equal length.
    drawn : array of int
        Places of evenly drawn rows, in the order of their drawing.
    pmap : callable
        As `map`, on as many threads as it likes.
    """
    k = len(sides)
    found = Correlations(np.full((k, k), np.nan), np.full((k, k), np.nan), np.zeros((k, k)))
    whole = [i for i in range(k) if sides[i].whole]
    if whole:
        places = np.ix_(whole, whole)
        n = len(sides[whole[0]].values)
        values, errors = _of_whole([sides[i] for i in whole], drawn, pmap)
        found.values[places], found.errors[places], found.rows[places] = values, errors, n
    gaps = [not side.whole for side in sides]
    pairs = [(i, j) for i, j in combinations(range(k), 2) if gaps[i] or gaps[j]]
    few = _fewer(sides, drawn, len(pairs)) if pairs else []
    for (i, j), (n, strength) in zip(
        pairs, pmap(lambda pair: _pairwise(few[pair[0]], few[pair[1]]), pairs), strict=True
    ):
        for place in ((i, j), (j, i)):
            found.rows[place] = n
            if strength:
                found.values[place], found.errors[place] = strength.value, strength.error
    return found


def _fewer(
    sides: Sequence[NumericVector], drawn: NDArray[np.int64], pairs: int
) -> list[NumericVector]:
    """The columns, in as many rows as may be ranked again for every pair."""
    n = len(sides[0].values)
    if n * pairs <= MOST_RANKED or n <= FEWEST_DRAWN:
        return list(sides)
    most = max(FEWEST_DRAWN, MOST_RANKED // pairs)
    places = np.sort(drawn[:most])
    return [side.at(places) for side in sides]


def _of_whole(
    sides: Sequence[NumericVector], drawn: NDArray[np.int64], pmap: ParallelMap
) -> tuple[Floats, Floats]:
    """Correlations of ranks by products of matrices, block by block, and their errors.

    The errors take powers of the ranks; their means are those of the ``drawn`` rows, which know
    a standard error to a few per cent.
    """
    ranked = list(pmap(lambda side: side.ranked, sides))
    n = len(ranked[0])

    def products(start: int) -> Floats:
        x = np.array([r[start : start + _BLOCK_ROWS] for r in ranked], np.float64)
        return products_of_rows(x)

    sums = np.sum([*pmap(products, range(0, n, _BLOCK_ROWS))], axis=0)
    scale = np.sqrt(np.diag(sums) / n)
    constant = scale == 0
    scale[constant] = 1.0
    values = np.clip(sums / n / np.outer(scale, scale), -1, 1)
    few = np.sort(drawn)
    x = np.array([r[few] for r in ranked], np.float64) / scale[:, None]
    squared = x * x
    second, third = squared @ squared.T / len(few), (squared * x) @ x.T / len(few)
    fourth = np.diag(second)
    # The mean square of x y - r (x² + y²) / 2, the influence of a row.
    variance = (
        second
        - values * (third + third.T)
        + values**2 / 4 * (fourth[:, None] + fourth[None, :] + 2 * second)
    )
    errors = np.sqrt(np.maximum(variance, 0) / n)
    errors = np.maximum(errors, (1 - values**2) / math.sqrt(n))
    values[constant], values[:, constant] = np.nan, np.nan
    return values, errors


def _pairwise(a: NumericVector, b: NumericVector) -> tuple[int, Strength | None]:
    both = a.present & b.present
    n = int(both.sum())
    return n, spearman(a.values[both], b.values[both]) if n > 1 else None


def spearman(a: NDArray[np.generic], b: NDArray[np.generic]) -> Strength | None:
    """Spearman's rank correlation; None where one of the columns never varies."""
    return correlation(ranks(a), ranks(b))


def correlation(a: Floats, b: Floats) -> Strength | None:
    """Pearson's correlation with its error; None where one of the columns never varies.

    The error is that which the influence of the single rows gives (infinitesimal jackknife;
    Efron 1982, chapter 6): it needs no normal distribution and minds ties. In few rows it may
    come out too small, so it is at least that of uncorrelated normal variables.
    """
    x, y = a - a.mean(), b - b.mean()
    n, scale = len(x), math.sqrt(float(x @ x) * float(y @ y))
    if not scale:
        return None
    value = max(-1.0, min(1.0, float(x @ y) / scale))
    x /= math.sqrt(float(x @ x) / n)
    y /= math.sqrt(float(y @ y) / n)
    influence = x * y - value / 2 * (x * x + y * y)
    error = float(influence.std()) / math.sqrt(n)
    return Strength(value, max(error, (1 - value**2) / math.sqrt(n)))
