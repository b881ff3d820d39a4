"""A column as it may be shared: no single value, and no group that is too small.

Everything is built anew from what is named here, so that a field which is added to a summary is
not shared before somebody says so.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import singledispatch
from typing import Any, NamedTuple

import msgspec
import numpy as np

from nachsicht.arrow.format import DAY
from nachsicht.columns.datetime import UNITS, TimeType, coarsen_counts, unit_starts, unit_text
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    Ecdf,
    Histogram,
    IdentifierSummary,
    Level,
    NestedSummary,
    NumberCount,
    Quantile,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.statistics import Absent, Reason
from nachsicht.sharing.groups import Groups
from nachsicht.stats.histogram import coarsen, edges_of

#: Bins are put together until at most this share of the rows lies in bins that are too small.
_MOST_HIDDEN = 0.05
#: Fewer bins than this are not put together further.
_FEWEST_BINS = 4
#: A histogram never needs to be halved more often: it has at most 4,096 bins.
_MOST_HALVINGS = 12
#: Shares of rows whose values are told, as ranges.
_SHARES = (0.05, 0.25, 0.5, 0.75, 0.95)
#: A time of day is counted by units up to this one.
_LARGEST_OF_A_DAY = "hour"
_NOT_SHARED = Absent(Reason.NOT_SHARED)
_NOTHING_KNOWN = Ecdf((), (), (), False)


class _Range(NamedTuple):
    """Values from ``low`` up to ``high`` (both the same for a value) in so many rows."""

    low: float
    high: float
    rows: int


def shared_column(column: ColumnSummary, groups: Groups) -> ColumnSummary:
    """A column without its values."""
    stats = shared_stats(column.stats, groups)
    levels = stats.levels if isinstance(stats, CategorySummary) else ()
    return ColumnSummary(
        name=column.name,
        position=column.position,
        dtype=column.dtype,
        kind=column.kind,
        kind_reason=column.kind_reason,
        unit=column.unit,
        text_format=None,
        rows=groups.told(column.rows),
        missing=groups.told(column.missing),
        distinct=_distinct(column, stats, groups),
        unique_once=groups.told(column.unique_once),
        collision_probability=0.0,
        memory_bytes=0,
        top_values=levels[: len(column.top_values)],
        rare_values=(),
        first_value=None,
        last_value=None,
        stats=stats,
        error_bounds=column.error_bounds,
    )


def _distinct(column: ColumnSummary, stats: Any, groups: Groups) -> int:
    """Different values: of levels and few numbers the told ones, and one for all others."""
    if isinstance(stats, CategorySummary):
        return len(stats.levels) + stats.other_levels
    if isinstance(stats, QuantitySummary) and stats.discrete:
        told = len(stats.ecdf.values)
        return told + (column.distinct > told)
    return groups.told(column.distinct)


@singledispatch
def shared_stats(_stats: Any, _groups: Groups) -> Any:
    """What may be told of a summary; nothing, where its kind says nothing of that here."""
    return None


@shared_stats.register
def _(stats: QuantitySummary, groups: Groups) -> QuantitySummary:
    if stats.discrete:
        ranges = _value_ranges(stats, groups)
        histogram = _binned(ranges, stats.histogram)
    else:
        histogram = _shared_histogram(stats.histogram, groups)
        ranges = _bin_ranges(histogram)
    reached = np.cumsum([each.rows for each in ranges]).astype(int).tolist()
    is_mode = stats.mode is not None and stats.discrete and groups.is_told(stats.mode.count)
    return QuantitySummary(
        n_finite=groups.told(stats.n_finite),
        minimum=_NOT_SHARED,
        maximum=_NOT_SHARED,
        range=_NOT_SHARED,
        sum=_NOT_SHARED,
        mean=_NOT_SHARED,
        std=_NOT_SHARED,
        variance=_NOT_SHARED,
        cv=_NOT_SHARED,
        median=_NOT_SHARED,
        mad=_NOT_SHARED,
        iqr=_NOT_SHARED,
        skewness=_NOT_SHARED,
        kurtosis=_NOT_SHARED,
        zeros=groups.told(stats.zeros),
        negatives=groups.told(stats.negatives),
        neg_inf=groups.told(stats.neg_inf),
        pos_inf=groups.told(stats.pos_inf),
        all_integers=stats.all_integers,
        decimals=histogram.decimals if histogram else None,
        discrete=stats.discrete,
        order=stats.order,
        mode=NumberCount(stats.mode.value, groups.told(stats.mode.count))
        if stats.mode and is_mode
        else None,
        quantiles=tuple(_quantile(share, ranges, reached) for share in _SHARES if ranges),
        lowest=(),
        highest=(),
        ecdf=Ecdf(
            tuple(each.high for each in ranges),
            (0, *reached[:-1]) if stats.discrete else tuple(reached),
            tuple(reached),
            stats.discrete,
        )
        if ranges
        else _NOTHING_KNOWN,
        histogram=histogram,
        log_histogram=None,  # two grids over one column would tell what lies between their edges
        density=None,
        round_number_counts=(),
        outliers=None,
        normal=None,
        autocorrelation=None,
    )


def _value_ranges(stats: QuantitySummary, groups: Groups) -> list[_Range]:
    """Values that stand in enough rows each; they are known where there are few of them."""
    knots = stats.ecdf
    found = zip(knots.values, knots.lt, knots.le, strict=True)
    rows = [(value, groups.drawn(le - lt)) for value, lt, le in found] if knots.exact else []
    return [_Range(value, value, n) for value, n in rows if n]


def _binned(values: Sequence[_Range], histogram: Histogram | None) -> Histogram | None:
    """The values that are told, in the bins of a histogram: bins of all rows would tell of others.

    None where none is told.
    """
    if histogram is None or not values:
        return None
    last = histogram.first + len(histogram.counts) - 1
    edges = edges_of(histogram.first, last, histogram.exponent, histogram.decimals)
    places = np.searchsorted(edges, [each.low for each in values], "right") - 1
    kept = [
        (place, each.rows)
        for place, each in zip(places.tolist(), values, strict=True)
        if 0 <= place < len(histogram.counts)
    ]
    if not kept:
        return None
    start, end = kept[0][0], kept[-1][0] + 1
    counts = np.zeros(end - start, np.int64)
    for place, rows in kept:
        counts[place - start] += rows
    return msgspec.structs.replace(
        histogram,
        first=histogram.first + start,
        counts=tuple(counts.tolist()),
        underflow=0,
        overflow=0,
    )


def _bin_ranges(histogram: Histogram | None) -> list[_Range]:
    if histogram is None:
        return []
    last = histogram.first + len(histogram.counts) - 1
    edges = edges_of(histogram.first, last, histogram.exponent, histogram.decimals).tolist()
    found = zip(edges, edges[1:], histogram.counts, strict=False)
    return [_Range(low, high, n) for low, high, n in found if n]


def _quantile(share: float, ranges: Sequence[_Range], reached: Sequence[int]) -> Quantile:
    """In which range it lies, among the rows that are told."""
    place = int(np.searchsorted(reached, share * reached[-1], "left"))
    return Quantile(share, ranges[place].low, ranges[place].high)


def _shared_histogram(histogram: Histogram | None, groups: Groups) -> Histogram | None:
    """Bins that hold enough rows, or none; None where no bin does.

    What lies beyond the outermost of them is counted as below or above.
    """
    if histogram is None:
        return None
    coarse, halvings = histogram, 0
    while _hides_much(coarse.counts, groups) and halvings < _MOST_HALVINGS:
        halvings += 1
        coarse = coarsen(histogram, histogram.exponent + halvings)
    held = [i for i, count in enumerate(coarse.counts) if groups.is_told(count)]
    if not held:
        return None
    first, last = held[0], held[-1] + 1
    below = coarse.underflow + sum(coarse.counts[:first])
    above = coarse.overflow + sum(coarse.counts[last:])
    return Histogram(
        coarse.decimals,
        coarse.exponent,
        coarse.first + first,
        groups.all_drawn(coarse.counts[first:last]),
        groups.told(below),
        groups.told(above),
    )


def _hides_much(counts: Sequence[int], groups: Groups) -> bool:
    hidden = sum(count for count in counts if not groups.is_told(count))
    return len(counts) > _FEWEST_BINS and hidden > _MOST_HIDDEN * sum(counts)


@shared_stats.register
def _(stats: CategorySummary, groups: Groups) -> CategorySummary:
    levels = tuple(
        Level(level.value, groups.drawn(level.count))
        for level in stats.levels
        if groups.is_told(level.count)
    )
    rest = sum(level.count for level in stats.levels if not groups.is_told(level.count))
    rest += stats.other_rows
    return CategorySummary(
        levels=levels,
        other_levels=1 if rest else 0,
        other_rows=groups.told(rest),
        evenness=_NOT_SHARED,
        levels_for_80pct=_levels_for(0.8, levels),
        rare_levels=0,
        rare_rows=0,
        similar_levels=(),
        min_length=0,
        max_length=0,
    )


def _levels_for(share: float, levels: Sequence[Level]) -> int:
    reached = np.cumsum([level.count for level in levels])
    return int(np.searchsorted(reached, share * reached[-1], "left")) + 1 if levels else 0


@shared_stats.register
def _(stats: DatetimeSummary, groups: Groups) -> DatetimeSummary | None:
    of_a_day = stats.time_of_day
    last = UNITS.index(_LARGEST_OF_A_DAY) if of_a_day else len(UNITS) - 1
    units = UNITS[UNITS.index(stats.unit) : last + 1] or (stats.unit,)
    for unit in units:
        first, summed = coarsen_counts(stats.unit, stats.first, stats.counts, unit)
        counts = summed.tolist()
        if not _hides_much(counts, groups):
            break
    held = [i for i, count in enumerate(counts) if groups.is_told(count)]
    if not held:
        return None
    counts, first = counts[held[0] : held[-1] + 1], first + held[0]
    written = TimeType(day_only=False, clock=of_a_day, time_zone=stats.time_zone)
    start, end = unit_starts(np.array([first, first + len(counts)]), unit).tolist()
    return DatetimeSummary(
        minimum=unit_text(first, unit, written),
        maximum=unit_text(first + len(counts) - 1, unit, written),
        span_days=(end - start) / DAY,
        time_of_day=of_a_day,
        time_zone=stats.time_zone,
        unit=unit,
        first=first,
        counts=groups.all_drawn(counts),
        by_month=groups.all_drawn(stats.by_month),
        by_weekday=groups.all_drawn(stats.by_weekday),
        by_hour=groups.all_drawn(stats.by_hour),
        by_month_and_day=(),
        ecdf=_NOTHING_KNOWN,
        gaps=(),
        empty_periods=0,
        in_future=None if stats.in_future is None else groups.told(stats.in_future),
        at_epoch=groups.told(stats.at_epoch),
        at_midnight=groups.told(stats.at_midnight),
        order=stats.order,
    )


@shared_stats.register
def _(stats: TextSummary, groups: Groups) -> TextSummary:
    return TextSummary(
        char_count=shared_stats(stats.char_count, groups),
        word_count=shared_stats(stats.word_count, groups),
        frequent_words=(),
        blank=groups.told(stats.blank),
        leading_space=groups.told(stats.leading_space),
        trailing_space=groups.told(stats.trailing_space),
        patterns=(),
        semantic_types={name: groups.told(rows) for name, rows in stats.semantic_types.items()},
    )


@shared_stats.register
def _(stats: IdentifierSummary, groups: Groups) -> IdentifierSummary:
    return IdentifierSummary(
        duplicate_values=groups.told(stats.duplicate_values),
        duplicate_rows=groups.told(stats.duplicate_rows),
        patterns=(),
        min_length=0,
        max_length=0,
        order=stats.order,
        sequence=None,
        min_hashes=(),
    )


@shared_stats.register
def _(stats: NestedSummary, groups: Groups) -> NestedSummary:
    return NestedSummary(
        depth=stats.depth,
        fields=(),
        lengths=shared_stats(stats.lengths, groups),
        empty=groups.told(stats.empty),
    )
