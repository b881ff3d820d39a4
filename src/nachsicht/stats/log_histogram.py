"""Histograms of binary logarithms, of which few are taken."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.model.column import Histogram
from nachsicht.stats.histogram import binned, decimals_of, histogram_of
from nachsicht.stats.sorted_array import SortedNumbers

#: So many logarithms tell that they cannot be written with few decimals, as most cannot.
_TRIAL = 1000
#: Every so many a logarithm is taken, and all up to the next one where a limit lies between.
_STEP = 64


def log_histogram_of(values: NDArray[np.float64], most: int) -> Histogram | None:
    """The histogram of the binary logarithms of positive values in rising order."""
    if decimals_of(SortedNumbers(np.log2(values[:_TRIAL]))) is None:
        return binned(_Logarithms(values), None, most)
    return histogram_of(SortedNumbers(np.log2(values)), most)


class _Logarithms(msgspec.Struct, frozen=True):
    """Binary logarithms of positive values in rising order, taken where they are read."""

    values: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.values)

    def __getitem__(self, places: Any) -> Any:
        return np.log2(self.values[places])

    def searchsorted(self, limits: Any, side: Any = "left") -> Any:
        """As of an array of all of them."""
        limits = np.asarray(limits)[..., None]
        before = np.maximum(self[::_STEP].searchsorted(limits, side) - 1, 0) * _STEP
        places = before + np.arange(_STEP)
        near = self[np.minimum(places, len(self) - 1)]
        reached = near <= limits if side == "right" else near < limits
        return before[..., 0] + (reached & (places < len(self))).sum(axis=-1)
