"""The spread of one column in all versions, on one axis."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import singledispatch
from typing import Any

from nachsicht._util.by_type import has_own
from nachsicht.columns.datetime import UNITS, coarsen_counts
from nachsicht.config.settings import Settings
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    Detail,
    Histogram,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.comparison import (
    BinnedDistribution,
    Distribution,
    LevelsDistribution,
    TimeDistribution,
    ValuesDistribution,
)
from nachsicht.stats.histogram import coarsen, edges_of, without_lattice

#: So many levels are drawn; the others are shown as a number.
DRAWN_LEVELS = 12


def shared_distribution(
    columns: Sequence[ColumnSummary | None], settings: Settings
) -> Distribution | None:
    """The spread of those versions whose column has the kind of the newest that has any.

    A version without the column, or with one of another kind, has counts of zero.
    """
    details = [drawn_summary(column.stats) if column else None for column in columns]
    newest = next((detail for detail in reversed(details) if detail is not None), None)
    same = [detail if type(detail) is type(newest) else None for detail in details]
    return distribution_of(newest, same, settings)


@singledispatch
def distribution_of(_newest: Any, _same: list[Any], _settings: Settings) -> Distribution | None:
    """Counts of summaries of one type, or None, on one axis; a kind registers its own."""
    return None


def shared_log_distribution(
    columns: Sequence[ColumnSummary | None], settings: Settings
) -> BinnedDistribution | None:
    """As `shared_distribution`, of the binary logarithms of positive values.

    Only where every version of the column has a histogram of logarithms, which is where the
    linear one cuts a long tail off.
    """
    details = [drawn_summary(column.stats) if column else None for column in columns]
    logs = [d.log_histogram if isinstance(d, QuantitySummary) else None for d in details]
    if any(d is not None and log is None for d, log in zip(details, logs, strict=True)):
        return None
    return _binned_distribution(logs, settings.histogram_bins)


def drawn_summary(detail: Detail | None) -> Any:
    """What of a column is drawn: of texts their lengths; None for kinds that have no axis."""
    drawn = detail.char_count if isinstance(detail, TextSummary) else detail
    return drawn if has_own(distribution_of, drawn) else None


@distribution_of.register
def _quantities(
    _: QuantitySummary, details: list[QuantitySummary | None], settings: Settings
) -> Distribution | None:
    filled = [detail for detail in details if detail and detail.n_finite]
    if not filled:
        return None
    values = sorted({value for detail in filled for value in detail.ecdf.values})
    discrete = all(detail.discrete for detail in filled)
    if discrete and len(values) <= 2 * settings.max_discrete_values:
        return ValuesDistribution(tuple(values), tuple(_value_counts(d, values) for d in details))
    return _binned_distribution(
        [d.histogram if d else None for d in details], settings.histogram_bins
    )


def _value_counts(detail: QuantitySummary | None, values: list[float]) -> tuple[int, ...]:
    if detail is None:
        return (0,) * len(values)
    knots = detail.ecdf
    counts = {
        value: upper - lower
        for value, lower, upper in zip(knots.values, knots.lt, knots.le, strict=True)
    }
    return tuple(counts.get(value, 0) for value in values)


def _binned_distribution(
    histograms: list[Histogram | None], most: int
) -> BinnedDistribution | None:
    lattices = {histogram.decimals for histogram in histograms if histogram}
    if not lattices:
        return None
    if len(lattices) > 1:
        histograms = [without_lattice(h) if h else None for h in histograms]
    filled = [histogram for histogram in histograms if histogram]
    exponent = max(histogram.exponent for histogram in filled)
    while True:
        coarse = [coarsen(h, exponent) if h else None for h in histograms]
        first = min(h.first for h in coarse if h)
        last = max(h.first + len(h.counts) for h in coarse if h)
        if last - first <= most:
            break
        exponent += 1
    decimals = filled[0].decimals if len(lattices) == 1 else None
    return BinnedDistribution(
        start=float(edges_of(first, first, exponent, decimals)[0]),
        width=math.ldexp(1.0, exponent) / 10.0 ** (decimals or 0),
        step=None if decimals is None else 10.0**-decimals,
        counts=tuple(
            _padded(h.first, h.counts, first, last) if h else (0,) * (last - first) for h in coarse
        ),
        underflow=tuple(h.underflow if h else 0 for h in coarse),
        overflow=tuple(h.overflow if h else 0 for h in coarse),
    )


def _padded(start: int, counts: Sequence[int], first: int, last: int) -> tuple[int, ...]:
    return (0,) * (start - first) + tuple(counts) + (0,) * (last - start - len(counts))


@distribution_of.register
def _levels(
    _: CategorySummary, details: list[CategorySummary | None], __: Settings
) -> Distribution:
    """Levels in their own order, or that of the newest version; then those of older ones alone."""
    tables = [{level.value: level.count for level in d.levels} if d else {} for d in details]
    newest = next((detail for detail in reversed(details) if detail), None)
    there = set().union(*tables)
    order = dict.fromkeys(level for level in newest.level_order if level in there) if newest else {}
    for table in reversed(tables):
        order |= dict.fromkeys(table)
    drawn = list(order)[:DRAWN_LEVELS] if len(order) > DRAWN_LEVELS + 1 else list(order)
    counts = tuple(tuple(table.get(level, 0) for level in drawn) for table in tables)
    totals = [
        sum(t.values()) + (d.other_rows if d else 0) for t, d in zip(tables, details, strict=True)
    ]
    beyond_cap = max((d.other_levels for d in details if d), default=0)
    return LevelsDistribution(
        tuple(drawn),
        counts,
        len(order) - len(drawn) + beyond_cap,
        tuple(total - sum(row) for total, row in zip(totals, counts, strict=True)),
    )


@distribution_of.register
def _time(_: DatetimeSummary, details: list[DatetimeSummary | None], __: Settings) -> Distribution:
    filled = [detail for detail in details if detail]
    clock = filled[-1].time_of_day
    unit = max((d.unit for d in filled), key=UNITS.index)
    placed = [
        coarsen_counts(d.unit, d.first, d.counts, unit) if d and d.time_of_day == clock else None
        for d in details
    ]
    first = min(start for start, _ in filter(None, placed))
    last = max(start + len(counts) for start, counts in filter(None, placed))
    return TimeDistribution(
        unit,
        clock,
        first,
        tuple(
            _padded(entry[0], entry[1].tolist(), first, last) if entry else (0,) * (last - first)
            for entry in placed
        ),
    )
