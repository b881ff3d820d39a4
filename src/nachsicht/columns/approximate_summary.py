"""Summaries of condensed columns: the same fields, computed from sketches."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.columns.approximate import CondensedNumbers, CondensedTexts
from nachsicht.columns.categorical import RARE
from nachsicht.columns.numeric import summarise_quantity
from nachsicht.columns.text import key_hashes, smallest_hashes
from nachsicht.config.settings import Settings
from nachsicht.model.column import (
    AdjustedFences,
    CategorySummary,
    Histogram,
    IdentifierSummary,
    Level,
    NumberCount,
    Outliers,
    QuantitySummary,
)
from nachsicht.model.statistics import Absent, Reason, statistic
from nachsicht.stats.quantiles import scaled_knots


def condensed_quantity(numbers: CondensedNumbers, settings: Settings) -> QuantitySummary:
    """A quantity whose moments, ends and counts are exact, and whose ranks are sketched.

    What depends on ranks (quantiles, bins, outliers, normal fit, density) is computed of
    representative values at equal steps of rank, and counts are brought up to the number of rows.
    """
    sample = numbers.stand_ins()
    rough = summarise_quantity(sample, settings, numbers.order)
    moments, n = numbers.moments, numbers.finite
    low, high = numbers.lowest[0][0].item(), numbers.highest[0][-1].item()
    factor = n / sample.n
    most = settings.top_values
    return msgspec.structs.replace(
        rough,
        n_finite=n,
        minimum=low,
        maximum=high,
        range=statistic(float(high) - float(low)),
        sum=statistic(moments.total),
        mean=statistic(moments.mean),
        std=moments.sd(),
        variance=moments.variance(),
        cv=moments.variation(),
        skewness=moments.skewness(),
        kurtosis=moments.kurtosis(),
        autocorrelation=numbers.order.autocorrelation(moments),
        zeros=numbers.zeros,
        negatives=numbers.negatives,
        all_integers=numbers.whole,
        discrete=False,
        mode=_mode(numbers),
        lowest=_counts(numbers.lowest[0][:most], numbers.lowest[1][:most]),
        highest=_counts(numbers.highest[0][::-1][:most], numbers.highest[1][::-1][:most]),
        ecdf=scaled_knots(rough.ecdf, factor, n),
        round_number_counts=tuple(
            NumberCount(m.value, round(m.count * factor)) for m in rough.round_number_counts
        ),
        histogram=_scaled(rough.histogram, factor),
        log_histogram=_scaled(rough.log_histogram, factor),
        outliers=_scaled_outliers(rough.outliers, factor),
    )


def condensed_category(texts: CondensedTexts, settings: Settings) -> CategorySummary:
    """A category of very many levels: the frequent ones, and an estimate of the rest."""
    levels = tuple(Level(*pair) for pair in texts.heavy.tally.top(settings.max_levels))
    held = sum(level.count for level in levels)
    shares = np.cumsum([level.count for level in levels]) / max(texts.rows, 1)
    most = int(np.searchsorted(shares, 0.8) + 1) if held >= 0.8 * texts.rows else texts.distinct
    common = [level.count for level in levels if level.count >= RARE * texts.rows]
    shortest, longest = texts.measures.characters.ends()
    return CategorySummary(
        levels=levels,
        other_levels=max(texts.distinct - len(levels), 0),
        other_rows=texts.rows - held,
        evenness=Absent(Reason.TOO_MANY_LEVELS),
        levels_for_80pct=most,
        rare_levels=max(texts.distinct - len(common), 0),
        rare_rows=texts.rows - sum(common),
        similar_levels=(),
        min_length=shortest,
        max_length=longest,
    )


def condensed_identifier(texts: CondensedTexts, settings: Settings) -> IdentifierSummary:
    """Identifiers: exact shapes and lengths, an estimate of those that repeat."""
    shortest, longest = texts.measures.characters.ends()
    repeated = max(texts.distinct - texts.keys.once, 0)
    return IdentifierSummary(
        duplicate_values=repeated,
        duplicate_rows=max(texts.rows - texts.keys.once, 0) if repeated else 0,
        patterns=tuple(Level(*p) for p in texts.shapes.tally.top(settings.top_values)),
        min_length=shortest,
        max_length=longest,
        order=None,
        sequence=None,
        min_hashes=smallest_hashes(texts.keys.hashes),
        key_hashes=key_hashes(texts.keys),
    )


def _mode(numbers: CondensedNumbers) -> NumberCount | None:
    heavy = numbers.heavy
    if not len(heavy.counts) or heavy.counts.max() <= max(heavy.error, 1):
        return None
    place = int(np.argmax(heavy.counts))
    return NumberCount(heavy.values[place].item(), int(heavy.counts[place]))


def _counts(values: NDArray[np.float64], counts: NDArray[np.int64]) -> tuple[NumberCount, ...]:
    return tuple(NumberCount(*pair) for pair in zip(values.tolist(), counts.tolist(), strict=True))


def _scaled(histogram: Histogram | None, factor: float) -> Histogram | None:
    """Counts for all rows; rounding is spread so that the sum stays right."""
    if histogram is None:
        return None
    reached = np.round(np.cumsum((0, *histogram.counts)) * factor).astype(np.int64)
    return msgspec.structs.replace(
        histogram,
        counts=tuple(np.diff(reached).tolist()),
        underflow=round(histogram.underflow * factor),
        overflow=round(histogram.overflow * factor),
    )


def _scaled_outliers(outliers: Outliers | None, factor: float) -> Outliers | None:
    if outliers is None:
        return None
    by_z = outliers.by_modified_z
    return msgspec.structs.replace(
        outliers,
        below=round(outliers.below * factor),
        above=round(outliers.above * factor),
        by_modified_z=by_z if isinstance(by_z, Absent) else round(by_z * factor),
        values_below=(),
        values_above=(),
        adjusted=_scaled_fences(outliers.adjusted, factor),
    )


def _scaled_fences(fences: AdjustedFences | None, factor: float) -> AdjustedFences | None:
    """Those of a sample; what is isolated in it need not be among all rows."""
    return fences and msgspec.structs.replace(
        fences,
        below=round(fences.below * factor),
        above=round(fences.above * factor),
        isolated_below=0,
        isolated_above=0,
    )
