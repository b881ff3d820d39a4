"""How far a column moved between two versions, by the measures that suit its kind."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from functools import singledispatch
from typing import Any

import msgspec
import numpy as np

from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    IdentifierSummary,
    Level,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.comparison import Measure, distance_in
from nachsicht.stats.ecdf import Curve, largest_difference, wasserstein
from nachsicht.stats.hypothesis_tests import ks_p_value, levels_p_value

_QUARTILES = np.array([0.25, 0.5, 0.75])
_TENTHS = np.arange(1, 10) / 10
_DAY = 86400e6


class Measured(msgspec.Struct, frozen=True):
    """Measures, the leading one first (0 to 1), and how often chance gives as much of it."""

    measures: tuple[Measure, ...]
    p_value: float | None = None

    @property
    def distance(self) -> float | None:
        """The leading measure, where it is a distance."""
        return distance_in(self.measures)


def distance_between(
    old: ColumnSummary,
    new: ColumnSummary,
    curves: tuple[Curve | None, Curve | None] = (None, None),
) -> Measured | None:
    """The measures that suit the kind; None where the kinds differ or none applies.

    ``curves`` are those of the data where it is at hand; otherwise what the profiles keep is
    taken, and the measures say how far off they may be.
    """
    if type(old.stats) is not type(new.stats):
        return None
    return measures_of(old.stats, new.stats, curves)


@singledispatch
def measures_of(
    _old: Any, _new: Any, _curves: tuple[Curve | None, Curve | None]
) -> Measured | None:
    """The measures between two summaries of one type; a kind registers its own."""
    return None


@measures_of.register
def _(
    old: QuantitySummary, new: QuantitySummary, curves: tuple[Curve | None, Curve | None]
) -> Measured | None:
    if not old.n_finite or not new.n_finite:
        return None
    a, b = curves
    return quantity_measures(a or Curve.of_knots(old.ecdf), b or Curve.of_knots(new.ecdf))


@measures_of.register
def _(old: CategorySummary, new: CategorySummary, _: object) -> Measured | None:
    return level_measures(old, new)


def quantity_measures(a: Curve, b: Curve) -> Measured:
    """Kolmogorov-Smirnov, Wasserstein over the pooled IQR, shifts, and the stability index.

    What no float holds, of values near its limits, is left out.
    """
    off = a.uncertainty + b.uncertainty
    distance = largest_difference(a, b)
    with np.errstate(over="ignore", invalid="ignore"):
        measures = [Measure("ks", distance, off), *_in_units_of_values(a, b)]
    measures.append(Measure("psi", _quantity_psi(a, b), 0.0))
    held = [m for m in measures if math.isfinite(m.value) and math.isfinite(m.error_bound)]
    return Measured(tuple(held), ks_p_value(distance, a.rows, b.rows))


def _in_units_of_values(a: Curve, b: Curve) -> Iterator[Measure]:
    (low, middle, high), (new_low, new_middle, new_high) = (
        curve.exact_quantiles(_QUARTILES) for curve in (a, b)
    )
    rows = a.rows + b.rows
    pooled = ((high - low) * a.rows + (new_high - new_low) * b.rows) / rows
    if pooled > 0:
        apart = float(wasserstein(a, b) / pooled)
        yield Measure("wasserstein", apart, float((a.area_off + b.area_off) / pooled))
    yield Measure("median_shift", float(new_middle - middle), 0.0)
    if high > low:
        yield Measure("spread_ratio", float((new_high - new_low) / (high - low)), 0.0)


def _quantity_psi(a: Curve, b: Curve) -> float:
    """The stability index over the tenths of the old version, each of ten bins its upper end."""
    edges = np.unique(a.exact_quantiles(_TENTHS))
    counts = [np.diff(curve.shares(edges)[1], prepend=0.0, append=1.0) for curve in (a, b)]
    return psi((counts[0] * a.rows).tolist(), (counts[1] * b.rows).tolist())


def psi(old: Sequence[float], new: Sequence[float]) -> float:
    """Population stability index: the sum of (new - old) ln(new / old) over shares.

    A bin without rows counts as half a row, so that the logarithm stays finite.
    """
    n, m = sum(old), sum(new)
    if not n or not m:
        return 0.0
    p = np.maximum(np.asarray(old, float), 0.5) / n
    q = np.maximum(np.asarray(new, float), 0.5) / m
    return float(((q - p) * np.log(q / p)).sum())


def level_measures(a: CategorySummary, b: CategorySummary) -> Measured | None:
    """Total variation, Jensen-Shannon distance and stability index over the levels.

    Levels beyond the cap count as one; then the distances are lower bounds, and the rows
    beyond the cap their uncertainty.
    """
    old, new = level_counts(a), level_counts(b)
    n, m = sum(old.values()), sum(new.values())
    if not n or not m:
        return None
    beyond = a.other_rows / n + b.other_rows / m
    names = sorted({*old, *new})
    counts = [[side.get(name, 0) for name in names] for side in (old, new)]
    return Measured(
        (
            Measure("total_variation", total_variation(old, new), beyond),
            Measure("jensen_shannon", jensen_shannon(*counts), beyond),
            Measure("psi", psi(*counts), 0.0),
            Measure("overlap", sum(new.get(name, 0) for name in old) / m, beyond),
            *_ordered_measures(a, b),
        ),
        levels_p_value(old, new),
    )


def _ordered_measures(a: CategorySummary, b: CategorySummary) -> Iterator[Measure]:
    """Of levels that have an order: how many of them a value moved, and which version is higher.

    The Wasserstein distance with neighbouring levels one apart, and the probability of superiority
    (Grissom 1994, J. Applied Psychology 79), ties counting half.
    """
    old, new = level_counts(a), level_counts(b)
    orders = [each.level_order for each in (b, a) if {*old, *new} <= {*each.level_order}]
    if not orders:
        return
    shares = [
        np.array([side.get(level, 0) for level in orders[0]]) / sum(side.values())
        for side in (old, new)
    ]
    reached = [np.cumsum(share) for share in shares]
    yield Measure("level_steps", float(np.abs(reached[1] - reached[0]).sum()))
    lower = reached[0] - shares[0]
    yield Measure("superiority", float(shares[1] @ (lower + shares[0] / 2)))


def level_counts(summary: CategorySummary) -> dict[str, int]:
    """Counts by level; the levels beyond the cap together under a text no level can be."""
    counts = {level.value: level.count for level in summary.levels}
    if summary.other_rows:
        counts["\0further"] = summary.other_rows
    return counts


def total_variation(old: Mapping[str, float], new: Mapping[str, float]) -> float:
    """The share of rows that would have to change their level: half the sum of differences."""
    n, m = sum(old.values()), sum(new.values())
    if not n or not m:
        return 0.0
    names = sorted({*old, *new})
    return 0.5 * sum(abs(old.get(name, 0) / n - new.get(name, 0) / m) for name in names)


def jensen_shannon(old: Sequence[float], new: Sequence[float]) -> float:
    """Jensen-Shannon distance with logarithms to base 2: the root of the divergence, 0 to 1."""
    n, m = sum(old), sum(new)
    if not n or not m:
        return 0.0
    divergence = 0.0
    for one, other in zip(old, new, strict=True):
        p, q = one / n, other / m
        middle = (p + q) / 2
        divergence += sum(x * math.log2(x / middle) for x in (p, q) if x) / 2
    return math.sqrt(max(divergence, 0.0))


@measures_of.register
def _text_measures(a: TextSummary, b: TextSummary, _: object) -> Measured | None:
    if not a.char_count.n_finite or not b.char_count.n_finite:
        return None
    lengths = Curve.of_knots(a.char_count.ecdf), Curve.of_knots(b.char_count.ecdf)
    distance = largest_difference(*lengths)
    shapes = [shape_counts(detail.patterns) for detail in (a, b)]
    return Measured(
        (
            Measure("characters", distance, lengths[0].uncertainty + lengths[1].uncertainty),
            Measure("patterns", total_variation(*shapes), 0.0),
        ),
        ks_p_value(distance, lengths[0].rows, lengths[1].rows),
    )


def shape_counts(shapes: Sequence[Level]) -> dict[str, int]:
    """Rows by shape, where a run of letters or digits counts as one of any length."""
    counts: dict[str, int] = {}
    for level in shapes:
        shape = re.sub(r"(9|A|a)\1+", r"\1", level.value)
        counts[shape] = counts.get(shape, 0) + level.count
    return counts


@measures_of.register
def _identifier_measures(a: IdentifierSummary, b: IdentifierSummary, _: object) -> Measured:
    old, new = shape_counts(a.patterns), shape_counts(b.patterns)
    measures = [Measure("patterns", total_variation(old, new), 0.0)]
    shared = _shared(a.min_hashes, b.min_hashes)
    if shared:
        measures.append(shared)
    return Measured(tuple(measures), levels_p_value(old, new))


def _shared(old: tuple[int, ...], new: tuple[int, ...]) -> Measure | None:
    """The share of the new values that the old version had, from the smallest hashes of both.

    Up to the smaller of the two largest hashes, both samples hold every hash there is. With
    fewer hashes than the samples keep, that is all of them, and the share exact.
    """
    if not old or not new:
        return None
    full = [len(sample) >= 256 for sample in (old, new)]
    ends = [s[-1] for s, filled in zip((old, new), full, strict=True) if filled]
    limit = min(ends) if ends else max(old[-1], new[-1])
    before = {value for value in old if value <= limit}
    after = [value for value in new if value <= limit]
    if not after:
        return None
    share = sum(value in before for value in after) / len(after)
    off = 2 * math.sqrt(max(share * (1 - share), 1 / len(after)) / len(after)) if ends else 0.0
    return Measure("overlap", share, off)


@measures_of.register
def _datetime_measures(a: DatetimeSummary, b: DatetimeSummary, _: object) -> Measured | None:
    """Share of the new rows within the old range; rows a day; difference of the curves."""
    if a.time_of_day is not b.time_of_day:
        return None
    one, other = Curve.of_knots(a.ecdf), Curve.of_knots(b.ecdf)
    lower = other.shares(one.values[[0]])[0][0]
    upper = other.shares(one.values[[-1]])[1][0]
    measures = [
        Measure("coverage", float(upper - lower), other.uncertainty),
        Measure("ks_moments", largest_difference(one, other), one.uncertainty + other.uncertainty),
    ]
    if a.span_days and b.span_days:
        rate = (other.rows / b.span_days) / (one.rows / a.span_days)
        measures.append(Measure("rate", float(rate), 0.0))
    return Measured(tuple(measures), None)
