"""Sums of products of rows of numbers: what correlations of all pairs are made of."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels import sums as kernels

#: Of so many rows tiles that stay in registers are faster than a product of matrices.
_FEW = 32


def products_of_rows(rows: NDArray[np.float64]) -> NDArray[np.float64]:
    """The sum of the products of every two rows.

    Parameters
    ----------
    rows : array of shape (k, n)
        Best no power of two long: else numbers below each other share a place in the cache.

    Returns
    -------
    array of shape (k, k)
    """
    found = np.empty((len(rows), len(rows)))
    if 0 < len(rows) <= _FEW:
        kernels.products(rows, found)
    else:
        np.dot(rows, rows.T, out=found)
    return found
