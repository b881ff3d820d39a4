"""Levels as whole numbers from 0, one for each row; below 0 where a row has none."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.compiled.sums import by_code


def rows_by_code(codes: NDArray[np.integer[Any]], levels: int) -> NDArray[np.int64]:
    """In how many rows each of so many levels stands.

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
    return found
