"""Pearson's correlation of all pairs of quantities, over pairwise complete rows; it merges."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.numeric import as_numbers
from nachsicht.kernels import sums as kernels
from nachsicht.kernels.ranks import plain
from nachsicht.stats.gram import products_of_rows

#: Rows that are multiplied at once.
BLOCK_ROWS = 60_000
#: Correlations are reported to so many decimals; more depend on the order of the summing.
DECIMALS = 12
#: Relative size of what rounding leaves of sums that should be zero.
ROUNDING = 64 * np.finfo(np.float64).eps

_Floats = NDArray[np.float64]


class CoMoments(msgspec.Struct, frozen=True):
    """Co-moments of columns: each array is columns × columns.

    ``means[a, b]`` and ``squares[a, b]`` are the mean and the sum of squared deviations of
    ``a``, ``products[a, b]`` the sum of products of deviations, all over the ``rows[a, b]``
    rows where both have a value. Parts merge as in Chan, Golub and LeVeque (1983).
    """

    rows: _Floats
    means: _Floats
    squares: _Floats
    products: _Floats

    def merge(self, other: CoMoments) -> CoMoments:
        """Put two parts together."""
        rows = self.rows + other.rows
        share = np.divide(self.rows * other.rows, rows, out=np.zeros_like(rows), where=rows > 0)
        weight = np.divide(other.rows, rows, out=np.zeros_like(rows), where=rows > 0)
        apart = other.means - self.means
        return CoMoments(
            rows,
            self.means + apart * weight,
            self.squares + other.squares + apart**2 * share,
            self.products + other.products + apart * apart.T * share,
        )

    def correlations(self) -> _Floats:
        """Pearson's r; NaN where one of the columns never varies in the common rows."""
        with np.errstate(all="ignore"):
            found = self.products / np.sqrt(self.squares * self.squares.T)
            varies = self._varies()
        found[~(np.isfinite(found) & varies & varies.T)] = np.nan
        return np.clip(found, -1, 1).round(DECIMALS).astype(np.float64)

    def _varies(self) -> NDArray[np.bool_]:
        """Whether ``a`` varies in the rows where both have a value, by more than rounding."""
        # Rounding leaves something where all of its variance lies in rows that the other lacks,
        # and where parts with the same mean merge.
        own = np.diag(self.rows)[:, None]
        variance = np.diag(self.squares)[:, None] / np.maximum(own, 1)
        noise = ROUNDING * variance + (ROUNDING * self.means) ** 2
        return np.greater(self.squares, np.where(self.rows < own, self.rows * noise, 0))


def observe_comoments(columns: Sequence[Any]) -> CoMoments:
    """Co-moments of Arrow columns of numbers, moments or durations, of equal length."""
    numbers = [as_numbers(column) for column in columns]
    assert all(numbers)
    return comoments_of([pair for pair in numbers if pair])


def comoments_of(columns: Sequence[tuple[NDArray[Any], NDArray[np.bool_]]]) -> CoMoments:
    """Co-moments of values and where they are present, block by block."""
    k = len(columns)
    zero = np.zeros((k, k))
    total = CoMoments(zero, zero, zero, zero)
    length = len(columns[0][0]) if columns else 0
    for start in range(0, length, BLOCK_ROWS):
        part = slice(start, start + BLOCK_ROWS)
        total = total.merge(_block([(values[part], there[part]) for values, there in columns]))
    return total


def _block(columns: Sequence[tuple[NDArray[Any], NDArray[np.bool_]]]) -> CoMoments:
    k, n = len(columns), len(columns[0][0])
    away, of_columns = np.empty((k, n)), np.empty((5, k))
    for i, (values, present) in enumerate(columns):
        of_columns[:, i] = kernels.centred(plain(values), present.view(np.uint8), away[i])
    held, means, first, left, squared = of_columns
    with np.errstate(all="ignore"):  # the largest floats overflow, and have no correlation
        if (held == n).all():
            rows = np.full((k, k), float(n))
            sums = np.repeat(left[:, None], k, axis=1)
            squares = np.repeat(squared[:, None], k, axis=1)
        else:
            there = np.array([present for _, present in columns], np.float64)
            rows, sums, squares = (np.dot(x, there.T) for x in (there, away, away**2))
        shifted = np.divide(sums, rows, out=np.zeros_like(rows), where=rows > 0)
        return CoMoments(
            rows,
            shifted + (means + first)[:, None],
            np.maximum(squares - rows * shifted**2, 0),
            products_of_rows(away) - rows * shifted * shifted.T,
        )
