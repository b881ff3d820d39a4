"""How often chance alone gives as much: tests that need nothing but counts."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def ks_p_value(distance: float, n: int, m: int) -> float:
    """Asymptotic two-sided p-value of the two-sample Kolmogorov-Smirnov test.

    With Stephens' correction for moderate row counts (Stephens, JRSS B 32, 1970).
    """
    if not n or not m:
        return 1.0
    root = math.sqrt(n * m / (n + m))
    x = (root + 0.12 + 0.11 / root) * distance
    if x < 0.2:
        return 1.0
    terms = [math.exp(-2 * (k * x) ** 2) for k in range(1, 101)]
    return min(1.0, max(0.0, 2 * (sum(terms[::2]) - sum(terms[1::2]))))


def usual_distance(n: int, m: int, p_value: float = 0.01) -> float:
    """The Kolmogorov-Smirnov distance that chance exceeds only so often."""
    return math.sqrt(-math.log(p_value / 2) / 2) * math.sqrt((n + m) / (n * m)) if n and m else 1.0


Counts = Sequence[float] | np.ndarray


def levels_p_value(old: Mapping[str, int], new: Mapping[str, int]) -> float | None:
    """p-value of Pearson's chi-square test that both have the same shares.

    Levels that are expected in fewer than five rows are put together, as is usual.
    """
    names = sorted({*old, *new})
    return counts_p_value(
        [old.get(name, 0) for name in names], [new.get(name, 0) for name in names]
    )


def counts_p_value(old: Counts, new: Counts) -> float | None:
    """As `levels_chance`, of counts in the same order; None where one side has no rows."""
    table = np.array([old, new], float).T.reshape(-1, 2)
    totals = table.sum(axis=0)
    if not len(table) or not totals.all():
        return None
    expected = table.sum(axis=1) * totals.min() / totals.sum()
    rare = expected < 5
    if rare.any():
        table = np.vstack([table[~rare], table[rare].sum(axis=0)])
    table = table[table.sum(axis=1) > 0]
    if len(table) < 2:
        return 1.0
    expectation = np.outer(table.sum(axis=1), totals) / totals.sum()
    statistic = ((table - expectation) ** 2 / expectation).sum()
    return chi_square_tail(len(table) - 1, float(statistic))


def chi_square_tail(freedom: int, statistic: float) -> float:
    """How often a chi-square of so many degrees of freedom, at least 1, is larger.

    Its finite sum (Abramowitz and Stegun 26.4.4 and 26.4.5), term by term: what SciPy has would
    take a small profile a quarter of its time to load.
    """
    half = statistic / 2
    if half <= 0:
        return 1.0
    odd = freedom % 2
    found = math.erfc(math.sqrt(half)) if odd else 0.0
    for step in range(freedom // 2):
        power = step + odd / 2
        found += math.exp(power * math.log(half) - half - math.lgamma(power + 1))
    return min(found, 1.0)


def shares_p_value(old: float, old_rows: float, new: float, new_rows: float) -> float:
    """p-value that two shares are equal.

    The two-proportion z test with pooled variance; where fewer than five rows are expected
    on a side, Fisher's exact test instead, whose p-value here is at most twice its tail.
    """
    if not old_rows or not new_rows:
        return 1.0
    together = old + new
    pooled = together / (old_rows + new_rows)
    fewest = min(pooled, 1 - pooled) * min(old_rows, new_rows)
    if fewest < 5:
        return _fisher(round(old), round(old_rows), round(new), round(new_rows))
    variance = pooled * (1 - pooled) * (1 / old_rows + 1 / new_rows)
    z = abs(old / old_rows - new / new_rows) / math.sqrt(variance)
    return math.erfc(z / math.sqrt(2))


def _fisher(old: int, old_rows: int, new: int, new_rows: int) -> float:
    """Twice the smaller tail of the hypergeometric distribution of the old count."""
    together = old + new
    if together in (0, old_rows + new_rows):
        return 1.0
    lowest, highest = max(0, together - new_rows), min(together, old_rows)
    counts = np.arange(lowest, highest + 1)
    weights = _log_choose(old_rows, counts) + _log_choose(new_rows, together - counts)
    weights = np.exp(weights - weights.max())
    weights /= weights.sum()
    tails = weights[counts <= old].sum(), weights[counts >= old].sum()
    return float(min(1.0, 2 * min(tails)))


def _log_choose(n: int, counts: np.ndarray[tuple[int], np.dtype[np.int64]]) -> Floats:
    """Logarithms of binomial coefficients; of few counts, as SciPy's function loads slowly."""
    whole = math.lgamma(n + 1)
    return np.array([whole - math.lgamma(k + 1) - math.lgamma(n - k + 1) for k in counts.tolist()])


def relations_p_value(old: float, old_error: float, new: float, new_error: float) -> float:
    """p-value that two strengths are equal, from their standard errors, on Fisher's scale."""
    return float(relations_p_values(*(np.array([x]) for x in (old, old_error, new, new_error)))[0])


def relations_p_values(old: Floats, old_error: Floats, new: Floats, new_error: Floats) -> Floats:
    """As `relations_chance`, of many pairs."""
    from scipy.special import erfc

    near = [np.clip(value, -0.999, 0.999) for value in (old, new)]
    errors = [
        error / (1 - value**2) for value, error in zip(near, (old_error, new_error), strict=True)
    ]
    apart = np.abs(np.arctanh(near[0]) - np.arctanh(near[1]))
    scale = np.sqrt(2 * (errors[0] ** 2 + errors[1] ** 2))
    found = erfc(np.divide(apart, scale, out=np.full(len(apart), np.inf), where=scale > 0))
    return np.where((scale == 0) & (apart == 0), 1.0, found)


def bound_over_all(p_values: Sequence[float] | Floats, wanted: float) -> float:
    """The largest p-value that still counts, over all (Benjamini and Hochberg 1995)."""
    ordered = np.sort(np.asarray(p_values, np.float64))
    if not len(ordered):
        return 0.0
    counting = np.flatnonzero(ordered <= wanted * np.arange(1, len(ordered) + 1) / len(ordered))
    return float(ordered[counting[-1]]) if len(counting) else 0.0
