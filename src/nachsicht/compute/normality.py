"""How close a quantity is to the normal distribution, as it is and transformed."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.compiled import sums as kernels
from nachsicht.compute.compiled.normal import quantiles
from nachsicht.compute.moments import blocks_of
from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.ordering import runs_of
from nachsicht.model.column import NormalFit
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic

#: Points of the QQ figure.
POINTS = 101
#: A transformation is named only where it brings the fit closer by at least this.
_CLOSER = 0.005

_Floats = NDArray[np.float64]


def normal_fit(numbers: SortedNumbers) -> NormalFit | None:
    """Probability-plot correlation with Filliben's normal scores; None below three values.

    The correlation of the sorted values with the normal quantiles of the medians of uniform
    order statistics (Filliben, *Technometrics* 17, 1975). Logarithms want positive values,
    square roots want none negative; the fit is absent where they cannot be taken.
    """
    values = numbers.floats
    if numbers.n < 3:
        return None
    scores = normal_scores(numbers.n)
    rows = None
    if numbers.few:
        values, rows = numbers.distinct_values.astype(np.float64), numbers.distinct_counts
        against = np.add.reduceat(scores, np.cumsum(rows) - rows)
    else:
        against = scores
    plot = _Plot(values, against, rows, numbers.n)
    not_positive = Absent(Reason.NOT_POSITIVE)
    fits = {
        "none": _correlation(None, plot),
        "log": _correlation(np.log, plot) if values[0] > 0 else not_positive,
        "square_root": _correlation(np.sqrt, plot) if values[0] >= 0 else not_positive,
    }
    ranks = runs_of(np.linspace(0, numbers.n - 1, POINTS).round().astype(np.int64))[0]
    return NormalFit(
        fits["none"],
        fits["log"],
        fits["square_root"],
        _closest(fits),
        tuple(zip(scores[ranks].tolist(), numbers.floats[ranks].tolist(), strict=True)),
    )


@lru_cache(maxsize=4)
def normal_scores(n: int) -> _Floats:
    """Normal quantiles of the medians of n uniform order statistics, rising."""
    half = n - n // 2
    medians = (np.arange(1, half + 1) - 0.3175) / (n + 0.365)
    medians[0] = 1 - 0.5 ** (1 / n)
    scores = np.zeros(n)
    quantiles(medians, scores[:half])
    # They are symmetric about 0.
    scores[half:] = -scores[: n // 2][::-1]
    return scores


@lru_cache(maxsize=4)
def _square_sum(n: int) -> float:
    scores = normal_scores(n)
    return kernels.with_scores(scores, scores, 1.0, 0.0)[1]


class _Plot(NamedTuple):
    """Values in rising order, and the normal scores that they are held against.

    Of few different values, that stand in ``rows`` each, the scores are the sums of theirs.
    """

    values: _Floats
    scores: _Floats
    rows: NDArray[np.int64] | None
    n: int


def _correlation(transform: np.ufunc | None, plot: _Plot) -> Statistic:
    """Pearson's correlation of the transformed values, the scores being symmetric about 0."""
    values = plot.values

    def transformed(part: _Floats) -> _Floats:
        return transform(part) if transform else part

    low, middle, high = transformed(values[[0, len(values) // 2, -1]]).tolist()
    if low == high:
        return Absent(Reason.NEVER_VARIES)
    # Keeps squares from overflowing, and a power of two changes no digit.
    scale = math.ldexp(1.0, math.frexp(max(abs(low), abs(high)))[1] - 1)
    if plot.rows is None:
        # From the median, which is no further from the mean than the sd: few digits are lost.
        total, squares, products = _sums(transformed, plot, scale, middle / scale)
    else:
        away = transformed(values) / scale
        away -= away @ plot.rows / plot.n
        total, squares = float(away @ plot.rows), float(away**2 @ plot.rows)
        products = float(away @ plot.scores)
    around_mean = squares - total**2 / plot.n
    below = math.sqrt(max(around_mean, 0.0) * _square_sum(plot.n))
    return statistic(products / below) if below else Absent(Reason.OVERFLOW)


def _sums(
    transformed: Callable[[_Floats], _Floats], plot: _Plot, scale: float, middle: float
) -> tuple[float, float, float]:
    """Of the scaled values less their middle, of their squares, and of them times their scores."""
    tiny = scale <= 1e-300  # its inverse would overflow
    factor = 1.0 if tiny else 1 / scale
    sums = []
    for part, scores in zip(blocks_of(plot.values), blocks_of(plot.scores), strict=True):
        away = transformed(part) / scale if tiny else transformed(part)
        sums.append(kernels.with_scores(away, scores, factor, middle))
    total, squares, products = (math.fsum(figures) for figures in zip(*sums, strict=True))
    return total, squares, products


def _closest(fits: dict[str, Statistic]) -> str:
    known = {name: fit for name, fit in fits.items() if not isinstance(fit, Absent)}
    if "none" not in known:
        return "none"
    best = max(known, key=lambda name: known[name])
    return best if known[best] >= known["none"] + _CLOSER else "none"
