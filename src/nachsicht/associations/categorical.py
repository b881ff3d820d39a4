"""Cramér's V of all pairs of categories, and eta of all categories and quantities.

Counts of all pairs of levels come from products of matrices of zeros and ones, a row a level,
and sums of ranks by level from products or cells. What is computed of them is computed
for all pairs at once.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.associations.encode import CodedVector, Floats, NumericVector
from nachsicht.associations.indicators import IndicatorBlock, bands_of
from nachsicht.associations.level_sums import counts_of_pairs, power_sums
from nachsicht.associations.spearman import Correlations


def cramers_vs(sides: Sequence[CodedVector]) -> Correlations:
    """Cramér's V of every pair, bias corrected (Bergsma, J. Korean Stat. Soc. 42, 2013).

    Over the rows where both have a value; NaN where one of them never varies there. The
    error is that of the infinitesimal jackknife, and at least that of no association: one over
    the root of the rows.
    """
    k = len(sides)
    found = Correlations(np.full((k, k), np.nan), np.full((k, k), np.nan), np.zeros((k, k)))
    bands = bands_of([(side.codes, len(side.names)) for side in sides])
    for i, one in enumerate(bands):
        for other in bands[i:]:
            figures = _vs(counts_of_pairs(one, other), one, other)
            for into, figure in zip((found.values, found.errors, found.rows), figures, strict=True):
                into[one.columns, other.columns] = figure
                into[other.columns, one.columns] = figure.T
    return found


def _vs(
    counts: Floats, one: IndicatorBlock, other: IndicatorBlock
) -> tuple[Floats, Floats, Floats]:
    """V, its error and the rows of every pair of columns, from the counts of their levels."""

    def along(figures: Floats) -> Floats:
        return other.total(figures, axis=1)

    def widen(by_column: Floats) -> Floats:
        return other.expand(by_column, axis=1)

    down = one.total
    by_row, by_column = along(counts), down(counts)  # margins: level × column, column × level
    n = down(by_row)
    held_rows = down((by_row > 0).astype(np.float64))
    held_columns = along((by_column > 0).astype(np.float64))
    with np.errstate(all="ignore"):
        total = one.expand(widen(n))
        joint = counts / total
        one_share, other_share = widen(by_row) / total, one.expand(by_column) / total
        lift = np.nan_to_num(joint / (one_share * other_share)).astype(np.float64)
        agreeing = joint * lift
        phi = down(along(agreeing)) - 1
        corrected = np.maximum(0.0, phi - (held_rows - 1) * (held_columns - 1) / (n - 1))
        rows_left = held_rows - (held_rows - 1) ** 2 / (n - 1)
        columns_left = held_columns - (held_columns - 1) ** 2 / (n - 1)
        most = np.minimum(rows_left, columns_left) - 1
        values = np.minimum(1.0, np.sqrt(corrected / most))
        # The influence of a cell on phi².
        influence = (
            2 * lift
            - np.nan_to_num(widen(along(agreeing)) / one_share)
            - np.nan_to_num(one.expand(down(agreeing)) / other_share)
        )
        mean = down(along(joint * influence))
        deviations = np.sqrt(down(along(joint * (influence - one.expand(widen(mean))) ** 2)) / n)
        least = 1 / np.sqrt(n)
        errors = np.where(values > 0, np.maximum(deviations / (2 * values * most), least), least)
    none = ~((held_rows > 1) & (held_columns > 1) & (most > 0))
    values[none], errors[none] = np.nan, np.nan
    return values, errors, n


def etas(
    levels: Sequence[CodedVector],
    quantities: Sequence[NumericVector],
    drawn: NDArray[np.int64],
    pmap: ParallelMap,
) -> Correlations:
    """Correlation ratio of every category (first axis) and the ranks of every quantity.

    The root of the share of the variance of the ranks that lies between the levels, the share
    being corrected for its bias as the adjusted coefficient of determination is. Ranks are
    those among all rows where the quantity has a value.

    The errors, at least one over the root of the rows too, take powers of the ranks, up to the
    fourth; their means by level are those of the ``drawn`` rows, which know a standard error to
    a few per cent.
    """
    shape = (len(levels), len(quantities))
    found = Correlations(np.full(shape, np.nan), np.full(shape, np.nan), np.zeros(shape))
    if not levels or not quantities:
        return found
    few = np.sort(drawn)
    for band in bands_of([(side.codes, len(side.names)) for side in levels]):
        in_all = power_sums(band, quantities, slice(None), 2, pmap)
        in_few = power_sums(band.at(few), quantities, few, 4, pmap)
        for into, figure in zip(
            (found.values, found.errors, found.rows), _etas(in_all, in_few, band), strict=True
        ):
            into[band.columns] = figure
    return found


def _etas(sums: Floats, drawn: Floats, band: IndicatorBlock) -> tuple[Floats, Floats, Floats]:
    """Eta, its error and the rows, from the sums of powers of the ranks by level."""
    down = band.total
    counts, first, second = sums
    n, held = down(counts), down((counts > 0).astype(np.float64))
    with np.errstate(all="ignore"):
        overall = down(first) / n
        means = np.divide(first, counts, out=np.zeros_like(first), where=counts > 0)
        total = down(second) - n * overall**2
        within = down(second - counts * means**2)
        share = 1 - within / total
        values = np.sqrt(np.clip(1 - (1 - share) * (n - 1) / (n - held), 0, 1))
        # The influence of a row: ((1 - share) away² - within²) / variance; its mean square.
        m, g, kept = means, band.expand(overall), band.expand(1 - share)
        away4, within4, mixed = _fourth(drawn, g, g), _fourth(drawn, m, m), _fourth(drawn, g, m)
        square = down(kept**2 * away4 - 2 * kept * mixed + within4) / down(drawn[0])
        deviations = np.sqrt(np.maximum(square, 0) / n) / (total / n)
        least = 1 / np.sqrt(n)
        errors = np.where(values > 0, np.fmax(deviations / (2 * values), least), least)
    none = ~((held > 1) & (n > held) & (total > 0))
    values[none], errors[none] = np.nan, np.nan
    return values, errors, n


def _fourth(sums: Floats, a: Floats, b: Floats) -> Floats:
    """Sums of (x - a)² (x - b)² from sums of powers."""
    counts, first, second, third, fourth = sums
    found: Floats = (
        fourth
        - 2 * (a + b) * third
        + (a**2 + 4 * a * b + b**2) * second
        - 2 * a * b * (a + b) * first
        + a**2 * b**2 * counts
    )
    return found
