"""Cramér's V of all pairs of categories, and eta of all categories and quantities.

Counts of all pairs of levels come from products of matrices of zeros and ones, a row a level,
and sums of ranks by level from products or cells. What is computed of them is computed
for all pairs at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

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
            figures = vs_of_counts(counts_of_pairs(one, other), one, other)
            for into, figure in zip((found.values, found.errors, found.rows), figures, strict=True):
                into[one.columns, other.columns] = figure
                into[other.columns, one.columns] = figure.T
    return found


def vs_of_counts(
    counts: Floats, one: IndicatorBlock, other: IndicatorBlock
) -> tuple[Floats, Floats, Floats]:
    """V, its error and the rows of every pair of columns, from the counts of their levels.

    ``counts`` has the shape (levels of one, levels of other), where the levels of all columns of a
    block stand one after the other. What is returned has the shape (columns of one, columns of
    other). Names end in the axes of what they hold: ``_lm`` a figure for each two levels, ``_lc``
    for a level of the one and a column of the other, ``_cl`` the other way round, and ``_cc`` for
    each two columns.
    """
    sum_one, sum_other = one.total, partial(other.total, axis=1)
    repeat_one, repeat_other = one.expand, partial(other.expand, axis=1)
    rows_lc, rows_cl = sum_other(counts), sum_one(counts)
    n = sum_one(rows_lc)
    levels_one = sum_one((rows_lc > 0).astype(np.float64))
    levels_other = sum_other((rows_cl > 0).astype(np.float64))
    with np.errstate(all="ignore"):
        n_lm = repeat_one(repeat_other(n))
        joint_lm = counts / n_lm
        share_one_lm, share_other_lm = repeat_other(rows_lc) / n_lm, repeat_one(rows_cl) / n_lm
        lift_lm = np.nan_to_num(joint_lm / (share_one_lm * share_other_lm)).astype(np.float64)
        product_lm = joint_lm * lift_lm
        phi2_cc = sum_one(sum_other(product_lm)) - 1
        # Bergsma's correction of the bias that many levels of few rows have.
        corrected_cc = np.maximum(0.0, phi2_cc - (levels_one - 1) * (levels_other - 1) / (n - 1))
        corrected_one = levels_one - (levels_one - 1) ** 2 / (n - 1)
        corrected_other = levels_other - (levels_other - 1) ** 2 / (n - 1)
        largest_cc = np.minimum(corrected_one, corrected_other) - 1
        values = np.minimum(1.0, np.sqrt(corrected_cc / largest_cc))
        # The influence of a cell on phi², whose standard deviation gives the error of V.
        influence_lm = (
            2 * lift_lm
            - np.nan_to_num(repeat_other(sum_other(product_lm)) / share_one_lm)
            - np.nan_to_num(repeat_one(sum_one(product_lm)) / share_other_lm)
        )
        mean_cc = sum_one(sum_other(joint_lm * influence_lm))
        square_lm = (influence_lm - repeat_one(repeat_other(mean_cc))) ** 2
        deviation_cc = np.sqrt(sum_one(sum_other(joint_lm * square_lm)) / n)
        least = 1 / np.sqrt(n)
        own = np.maximum(deviation_cc / (2 * values * largest_cc), least)
        errors = np.where(values > 0, own, least)
    none = ~((levels_one > 1) & (levels_other > 1) & (largest_cc > 0))
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
        in_few = power_sums(band.at(few), quantities, few, 4, pmap)
        if len(few) == len(band.codes[0]):
            in_all = in_few[:3]
        else:
            in_all = power_sums(band, quantities, slice(None), 2, pmap)
        for into, figure in zip(
            (found.values, found.errors, found.rows),
            etas_of_sums(in_all, in_few, band),
            strict=True,
        ):
            into[band.columns] = figure
    return found


def etas_of_sums(
    sums: Floats, drawn: Floats, band: IndicatorBlock
) -> tuple[Floats, Floats, Floats]:
    """Eta, its error and the rows of every category and quantity.

    Parameters
    ----------
    sums : array of shape (3, levels, quantities)
        Sums of the powers 0 to 2 of the ranks, by level.
    drawn : array of shape (5, levels, quantities)
        Sums of the powers 0 to 4 in the drawn rows.
    band : IndicatorBlock
        Which levels are of which column.

    Returns
    -------
    three arrays of shape (columns, quantities)
    """
    counts, first, second = sums
    n, levels = band.total(counts), band.total((counts > 0).astype(np.float64))
    with np.errstate(all="ignore"):
        means = band.total(first) / n
        level_means = np.divide(first, counts, out=np.zeros_like(first), where=counts > 0)
        total = band.total(second) - n * means**2
        within = band.total(second - counts * level_means**2)
        share = 1 - within / total
        values = np.sqrt(np.clip(1 - (1 - share) * (n - 1) / (n - levels), 0, 1))
        # The influence of a row: ((1 - share) away² - within²) / variance; its mean square.
        overall, unexplained = band.expand(means), band.expand(1 - share)
        square = (
            unexplained**2 * _fourth(drawn, overall, overall)
            - 2 * unexplained * _fourth(drawn, overall, level_means)
            + _fourth(drawn, level_means, level_means)
        )
        mean_square = band.total(square) / band.total(drawn[0])
        deviation = np.sqrt(np.maximum(mean_square, 0) / n) / (total / n)
        least = 1 / np.sqrt(n)
        errors = np.where(values > 0, np.fmax(deviation / (2 * values), least), least)
    none = ~((levels > 1) & (n > levels) & (total > 0))
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
