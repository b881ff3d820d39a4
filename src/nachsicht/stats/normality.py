"""How close a quantity is to the normal distribution, as it is and transformed."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels import normal
from nachsicht.kernels import sums as kernels
from nachsicht.kernels.ranks import runs_of
from nachsicht.model.column import NormalFit
from nachsicht.model.statistics import Absent, Reason, Statistic, statistic
from nachsicht.stats.moments import blocks_of
from nachsicht.stats.sorted_array import SortedNumbers

#: Points of the QQ figure.
POINTS = 101
#: A transformation is named only where it brings the fit closer by at least this.
_CLOSER = 0.005

_Floats = NDArray[np.float64]
_Transformation = Callable[[_Floats], _Floats]

#: Each with the least value of which it can be taken.
_TRANSFORMATIONS: dict[str, tuple[_Transformation, float]] = {
    "none": (lambda values: values, -math.inf),
    "log": (np.log, math.ulp(0.0)),
    "square_root": (np.sqrt, 0.0),
}


def normal_fit(numbers: SortedNumbers) -> NormalFit | None:
    """Probability-plot correlation with Filliben's normal scores; None below three values.

    The correlation of the sorted values with the normal quantiles of the medians of uniform
    order statistics (Filliben, *Technometrics* 17, 1975). Logarithms want positive values,
    square roots want none negative; the fit is absent where they cannot be taken.
    """
    if numbers.n < 3:
        return None
    scores = normal_scores(numbers.n)
    if numbers.few:
        values, rows = numbers.distinct_values.astype(np.float64), numbers.distinct_counts
        sums = np.add.reduceat(scores, np.cumsum(rows) - rows)
        plot = _Plot(values, sums, rows, numbers.n)
    else:
        values = numbers.all_floats
        plot = _Plot(values, scores, None, numbers.n)
    fits: dict[str, Statistic] = dict.fromkeys(_TRANSFORMATIONS, Absent(Reason.NOT_POSITIVE))
    possible = {name: of for name, (of, least) in _TRANSFORMATIONS.items() if values[0] >= least}
    found = _correlations(list(possible.values()), plot)
    fits.update(zip(possible, found, strict=True))
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
    normal.quantiles(medians, scores[:half])
    # They are symmetric about 0.
    scores[half:] = -scores[: n // 2][::-1]
    return scores


@lru_cache(maxsize=4)
def _square_sum(n: int) -> float:
    scores = normal_scores(n)
    return kernels.with_scores(scores, scores, 1.0, 0.0)[1]


class _Plot(NamedTuple):
    """Values in rising order, and the normal scores that they are compared with.

    Of few different values, that stand in ``rows`` each, the scores are the sums of theirs.
    """

    values: _Floats
    scores: _Floats
    rows: NDArray[np.int64] | None
    n: int


class _Transformed(NamedTuple):
    """Values, transformed and less their middle, in units of a scale.

    The scale is a power of two, which changes no digit and keeps squares from overflowing. The
    median is no further from the mean than the sd: few digits are lost.
    """

    transform: _Transformation
    scale: float
    middle: float

    def sums(self, part: _Floats, scores: _Floats) -> tuple[float, float, float]:
        """Of a part of the values, of their squares, and of them times their scores."""
        transformed = self.transform(part)
        if self.scale <= 1e-300:  # its inverse would overflow
            return kernels.with_scores(transformed / self.scale, scores, 1.0, self.middle)
        return kernels.with_scores(transformed, scores, 1 / self.scale, self.middle)


def _correlations(transforms: Sequence[_Transformation], plot: _Plot) -> list[Statistic]:
    """Pearson's of the values, transformed in each way, and scores that are symmetric about 0."""
    found: list[Statistic] = [Absent(Reason.NEVER_VARIES)] * len(transforms)
    varying: dict[int, _Transformed] = {}
    for i, transform in enumerate(transforms):
        ends = transform(plot.values[[0, len(plot.values) // 2, -1]])
        low, middle, high = ends.tolist()
        if low < high:
            scale = math.ldexp(1.0, math.frexp(max(abs(low), abs(high)))[1] - 1)
            varying[i] = _Transformed(transform, scale, middle / scale)
    for i, sums in zip(varying, _sums(list(varying.values()), plot), strict=True):
        total, squares, products = sums
        around_mean = squares - total**2 / plot.n
        below = math.sqrt(max(around_mean, 0.0) * _square_sum(plot.n))
        found[i] = statistic(products / below) if below else Absent(Reason.OVERFLOW)
    return found


def _sums(of: Sequence[_Transformed], plot: _Plot) -> Iterator[tuple[float, ...]]:
    """Those of all values, of one transformation after the other."""
    if plot.rows is not None:
        for each in of:
            away = each.transform(plot.values) / each.scale
            away -= away @ plot.rows / plot.n
            yield (float(away @ plot.rows), float(away**2 @ plot.rows), float(away @ plot.scores))
        return
    # All transformations of a piece while it is near the processor.
    pieces = [
        [each.sums(part, scores) for each in of]
        for part, scores in zip(blocks_of(plot.values), blocks_of(plot.scores), strict=True)
    ]
    for i in range(len(of)):
        yield tuple(math.fsum(figures) for figures in zip(*(p[i] for p in pieces), strict=True))


def _closest(fits: dict[str, Statistic]) -> str:
    known = {name: fit for name, fit in fits.items() if not isinstance(fit, Absent)}
    if "none" not in known:
        return "none"
    best = max(known, key=lambda name: known[name])
    return best if known[best] >= known["none"] + _CLOSER else "none"
