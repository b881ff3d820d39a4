"""Levels as whole numbers from 0, one for each row; below 0 where a row has none."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.compiled.sums import by_code


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
    wrong = by_code(np.ascontiguousarray(codes, np.int32), found, beside)
    if wrong >= 0:
        raise IndexError(f"row {wrong} has level {codes[wrong]} of {levels}")
    found += beside
    if rows is not None:
        several = np.flatnonzero(rows > 1)  # of texts that are mostly different these are few
        np.add.at(found, codes[several], rows[several] - 1)
    return found
