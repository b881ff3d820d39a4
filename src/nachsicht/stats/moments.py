"""Statistical moments: mean, variance, skewness, kurtosis.

Two passes about the mean, with the mean corrected by the mean of the residuals, so that
digits survive where the values are large and their differences small (Chan, Golub and
LeVeque, *The American Statistician* 37, 1983).
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels import sums as kernels
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic

#: A mean this much smaller than the sd is zero but for rounding.
_ROUNDING = 1e-14
_BLOCK = 1 << 15
#: Beyond, differences and sums might overflow.
_LARGE = 1e150


class Moments(msgspec.Struct, frozen=True):
    """Count, mean and the sums of powers of deviations, in units of ``scale``."""

    n: int
    total: float
    mean: float
    scale: float
    m2: float
    m3: float
    m4: float

    def merge(self, other: Moments) -> Moments:
        """Moments of both sets of values together, by the pairwise formulas.

        Source: Pebay, *Formulas for robust, one-pass parallel computation of covariances and
        arbitrary-order statistical moments*, SAND2008-6212.
        """
        if not self.n or not other.n:
            return self if self.n else other
        scale = max(self.scale, other.scale)
        a, b = self._in_units_of(scale), other._in_units_of(scale)
        n = a.n + b.n
        delta = b.mean / scale - a.mean / scale
        p, q = a.n / n, b.n / n
        m2 = a.m2 + b.m2 + delta**2 * a.n * q
        m3 = a.m3 + b.m3 + delta**3 * a.n * q * (p - q) + 3 * delta * (p * b.m2 - q * a.m2)
        m4 = (
            a.m4
            + b.m4
            + delta**4 * a.n * q * (p * p - p * q + q * q)
            + 6 * delta**2 * (p * p * b.m2 + q * q * a.m2)
            + 4 * delta * (p * b.m3 - q * a.m3)
        )
        return Moments(n, a.total + b.total, a.mean + delta * scale * q, scale, m2, m3, m4)

    def _in_units_of(self, scale: float) -> Moments:
        r = self.scale / scale
        return Moments(
            self.n, self.total, self.mean, scale, self.m2 * r**2, self.m3 * r**3, self.m4 * r**4
        )

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
        """Coefficient of variation: sd over the absolute mean.

        Absent for a mean of zero, also where only rounding keeps it from being zero.
        """
        sd = self.sd()
        if isinstance(sd, Absent):
            return sd
        if abs(self.mean) <= _ROUNDING * sd:
            return Absent(Reason.ZERO_MEAN)
        return statistic(sd / abs(self.mean))

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
    values, n = np.ascontiguousarray(values), len(values)
    if not n:
        return Moments(0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0)
    with np.errstate(over="ignore", invalid="ignore"):
        total = float(values.sum())
    mean = _mean(values, total)
    low, high = float(values.min()), float(values.max())
    if low == high:
        return Moments(n, total, low, 1.0, 0.0, 0.0, 0.0)
    # Halves, since the difference itself may overflow.
    largest = max(mean / 2 - low / 2, high / 2 - mean / 2)
    scale = math.ldexp(1.0, math.frexp(largest)[1] - 1)
    middle = mean / 2 / scale
    if scale > 1e-300:
        s1, s2, s3, s4 = kernels.powers(values, 0.5 / scale, middle)
    else:  # whose inverse would overflow
        s1, s2, s3, s4 = kernels.powers(values / 2 / scale, 1.0, middle)
    return moments_about(n, total, mean, scale * 2, (s1, s2, s3, s4))


def moments_about(
    n: int, total: float, mean: float, scale: float, sums: tuple[float, float, float, float]
) -> Moments:
    """Moments from the sums of powers of what is nearly the distance from the mean.

    Distances are in units of ``scale``.
    """
    s1, s2, s3, s4 = sums
    off = s1 / n  # what rounding left of the mean
    return Moments(
        n,
        total,
        mean,
        scale,
        s2 - n * off**2,
        s3 - 3 * off * s2 + 2 * n * off**3,
        s4 - 4 * off * s3 + 6 * off**2 * s2 - 3 * n * off**4,
    )


def moments_of_few(values: NDArray[np.float64], rows: NDArray[np.int64]) -> Moments:
    """As `moments_of`, of different values in rising order, each of which stands in some rows."""
    n, largest = int(rows.sum()), max(abs(values[0]), abs(values[-1]))
    if largest > _LARGE:
        return moments_of(np.repeat(values, rows))
    weights = rows.astype(np.float64)
    total = float(values @ weights)
    mean = total / n
    mean += float((values - mean) @ weights) / n
    away = values - mean
    largest = float(np.abs(away).max())
    if not largest:
        return Moments(n, total, mean, 1.0, 0.0, 0.0, 0.0)
    scale = math.ldexp(1.0, math.frexp(largest)[1])
    away /= scale
    s1, s2, s3, s4 = (float(away**power @ weights) for power in (1, 2, 3, 4))
    return moments_about(n, total, mean, scale, (s1, s2, s3, s4))


def blocks_of(values: NDArray[np.float64]) -> Iterator[NDArray[np.float64]]:
    """The values in pieces that stay near the processor while several steps pass over them."""
    for start in range(0, len(values), _BLOCK):
        yield values[start : start + _BLOCK]


def _mean(values: NDArray[np.float64], total: float) -> float:
    """Mean with one correction step, safe from a total that overflows."""
    n = len(values)
    rough = total / n
    if not math.isfinite(rough):
        with np.errstate(over="ignore"):
            mean = (values / n).sum()
        return float(np.clip(mean, values.min(), values.max()))
    return rough + kernels.away_from(values, rough) / n


#: Numbers that lie so many median absolute deviations away do not count (Mosteller and Tukey 1977).
_FARTHEST = 9.0


def biweight_variance(around_zero: NDArray[np.float64]) -> float:
    """Biweight midvariance about 0: of normal numbers their variance, hardly moved by a few others.

    Far more efficient than the median absolute deviation, which it begins with (Lax 1985, Journal
    of the American Statistical Association 80). 0 where more than half of the numbers are 0.

    Parameters
    ----------
    around_zero : array of shape (n,)
        Such as differences, whose middle is 0; n at least 1.
    """
    middle = float(np.median(np.abs(around_zero)))
    if middle == 0:
        return 0.0
    squares = (around_zero / (_FARTHEST * middle)) ** 2
    near = squares < 1
    counted, weights = around_zero[near] ** 2, 1 - squares[near]
    slopes = float((weights * (1 - 5 * squares[near])).sum())
    return float(len(around_zero) * (counted * weights**4).sum() / slopes**2)
