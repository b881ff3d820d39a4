"""Statistical moments: mean, variance, skewness, kurtosis.

Two passes about the mean, with the mean corrected by the mean of the residuals, so that
digits survive where the values are large and their differences small (Chan, Golub and
LeVeque, *The American Statistician* 37, 1983).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nachsicht.model.statistics import Absent, Reason, Statistic, statistic


@dataclass(frozen=True)
class Moments:
    """Count, mean and the sums of powers of deviations, in units of ``scale``."""

    n: int
    total: float
    mean: float
    scale: float
    m2: float
    m3: float
    m4: float

    def variance(self) -> Statistic:
        """Sample variance, with n - 1. Absent for fewer than two values."""
        if self.n < 2:
            return Absent(Reason.TOO_FEW_VALUES)
        return statistic(self._scaled_variance() * self.scale * self.scale)

    def sd(self) -> Statistic:
        """Square root of the sample variance, in the unit of the values."""
        if self.n < 2:
            return Absent(Reason.TOO_FEW_VALUES)
        return statistic(math.sqrt(self._scaled_variance()) * self.scale)

    def variation(self) -> Statistic:
        """Coefficient of variation: sd over the absolute mean. Absent for a mean of zero."""
        sd = self.sd()
        if isinstance(sd, Absent):
            return sd
        return statistic(sd / abs(self.mean)) if self.mean else Absent(Reason.ZERO_MEAN)

    def skewness(self) -> Statistic:
        """Adjusted Fisher-Pearson skewness G1 (Joanes and Gill 1998). From three values on."""
        n = self.n
        if n < 3:
            return Absent(Reason.TOO_FEW_VALUES)
        if self.m2 == 0:
            return Absent(Reason.NEVER_VARIES)
        g1 = (self.m3 / n) / (self.m2 / n) ** 1.5
        return statistic(g1 * math.sqrt(n * (n - 1)) / (n - 2))

    def kurtosis(self) -> Statistic:
        """Excess kurtosis G2 (Joanes and Gill 1998). From four values on; 0 for the normal."""
        n = self.n
        if n < 4:
            return Absent(Reason.TOO_FEW_VALUES)
        if self.m2 == 0:
            return Absent(Reason.NEVER_VARIES)
        g2 = (self.m4 / n) / (self.m2 / n) ** 2 - 3
        return statistic((n - 1) / ((n - 2) * (n - 3)) * ((n + 1) * g2 + 6))

    def _scaled_variance(self) -> float:
        return self.m2 / (self.n - 1)


def moments_of(values: NDArray[np.float64]) -> Moments:
    """Moments of finite values, shape (n,), any order.

    Values are divided by a power of two near the largest deviation, which changes no
    digit and keeps fourth powers from overflowing. An empty array gives n = 0.
    """
    n = len(values)
    if not n:
        return Moments(0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0)
    mean = _mean(values)
    with np.errstate(over="ignore", invalid="ignore"):
        total = float(values.sum())
    if values.min() == values.max():
        return Moments(n, total, float(values[0]), 1.0, 0.0, 0.0, 0.0)
    half = values / 2 - mean / 2  # halves, since the difference itself may overflow
    scale = math.ldexp(1.0, math.frexp(float(np.abs(half).max()))[1])
    z = half / scale
    z -= z.mean()
    square = z * z
    return Moments(
        n,
        total,
        mean,
        scale * 2,
        float(square.sum()),
        float((square * z).sum()),
        float((square * square).sum()),
    )


def _mean(values: NDArray[np.float64]) -> float:
    """Mean with one correction step, safe from overflow."""
    n = len(values)
    with np.errstate(over="ignore", invalid="ignore"):
        rough = float(values.sum()) / n
    if not math.isfinite(rough):
        return float((values / n).sum())
    return rough + float((values - rough).sum()) / n
