"""Levels as whole numbers from 0, one for each row; below 0 where a row has none."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels import sums


def rows_by_code(
    codes: NDArray[np.integer[Any]], levels: int, rows: NDArray[np.int64] | None = None
) -> NDArray[np.int64]:
    """In how many rows each of so many levels stands.

    A code stands for one row, or for as many as ``rows`` tells, one at least.

    Raises
    ------
    IndexError
        If there is a code for which there is no level: codes may come with the data.
    """
    found, beside = np.zeros((2, levels), np.int64)
    _look(codes, levels, sums.by_code(np.ascontiguousarray(codes, np.int32), found, beside))
    found += beside
    if rows is not None:
        several = np.flatnonzero(rows > 1)  # of texts that are mostly different these are few
        np.add.at(found, codes[several], rows[several] - 1)
    return found


def other_codes(codes: NDArray[np.integer[Any]], new: NDArray[np.int32]) -> NDArray[np.int32]:
    """For each code the one that stands for it.

    Raises
    ------
    IndexError
        If there is none.
    """
    found = np.empty(len(codes), np.int32)
    _look(codes, len(new), sums.recoded(np.ascontiguousarray(codes, np.int32), new, found))
    return found


def _look(codes: NDArray[np.integer[Any]], levels: int, wrong: int) -> None:
    if wrong >= 0:
        raise IndexError(f"row {wrong} has level {codes[wrong]} of {levels}")
