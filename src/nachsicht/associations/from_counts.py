"""The strength of pairs from their contingency tables: of all rows, within a bound.

Ranks inside a bin are not known; how far that may move a figure is computed from how the rows
of each bin lie along the other column. What is bounded by more than drawn rows would be off
is left to these, and so are levels that came up after the first rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap, map_in_parts
from nachsicht.associations.categorical import etas_of_sums, vs_of_counts
from nachsicht.associations.contingency import (
    BinnedColumn,
    ContingencyPlan,
    Counts,
    LevelledColumn,
)
from nachsicht.associations.encode import MOST_LEVELS, Floats
from nachsicht.associations.indicators import IndicatorBlock, bands_of
from nachsicht.model.column import CategorySummary, ColumnSummary, DatetimeSummary, QuantitySummary

#: Two standard errors of a correlation of 10,000 drawn rows, at the most.
_WIDEST = 0.02


class CountedStrength(NamedTuple):
    """A strength of all rows, its standard error, rows, and how far off it may be."""

    value: float
    error: float
    rows: int
    bound: float


class CountedPairs(NamedTuple):
    """Strengths by the names of two columns, sorted, and how many levels were put together."""

    strengths: dict[tuple[str, str], CountedStrength]
    merged_levels: dict[str, int]


def counted_pairs(
    plan: ContingencyPlan,
    counts: Counts,
    columns: Sequence[ColumnSummary],
    pmap: ParallelMap = map,
) -> CountedPairs:
    """The strength of every pair that was counted and is known well enough.

    Parameters
    ----------
    plan : ContingencyPlan
        What was counted.
    counts : array of int
        Of all rows.
    columns : sequence of ColumnSummary
        All columns.
    pmap : callable
        As `map`, on as many threads as it likes.
    """
    marginals = [plan.by_cell(counts, i) for i in range(len(plan.columns))]
    merging = {
        i: merged
        for i, column in enumerate(plan.columns)
        if isinstance(column, LevelledColumn)
        and (merged := _merging(column, marginals[i], columns[column.position])) is not None
    }
    usable = [
        # Of all rows a column may be of another kind than of the first ones.
        i in merging
        if isinstance(column, LevelledColumn)
        else isinstance(columns[column.position].stats, QuantitySummary | DatetimeSummary)
        for i, column in enumerate(plan.columns)
    ]

    def strength(pair: int) -> CountedStrength | None:
        i, j = plan.pairs[pair]
        table = plan.table(counts, pair)
        one, other = plan.columns[i], plan.columns[j]
        table = _merged(table, merging.get(i))
        if isinstance(one, BinnedColumn) and isinstance(other, BinnedColumn):
            return spearman_of_counts(table, one.single, other.single)
        if isinstance(other, BinnedColumn):
            return eta_of_counts(table, marginals[j], other.single)
        return cramers_v_of_counts(_merged(table.T, merging.get(j)).T)

    wanted = [pair for pair, (i, j) in enumerate(plan.pairs) if usable[i] and usable[j]]
    found: dict[tuple[str, str], CountedStrength] = {}
    for pair, known in zip(wanted, map_in_parts(pmap, strength, wanted), strict=True):
        if known and known.bound <= _WIDEST:
            one, other = sorted(plan.columns[i].name for i in plan.pairs[pair])
            found[one, other] = known
    lumped = {
        plan.columns[i].name: columns[plan.columns[i].position].distinct - (MOST_LEVELS - 1)
        for i in merging
    }
    return CountedPairs(found, {name: n for name, n in lumped.items() if n > 1})


def spearman_of_counts(
    table: Counts, single_one: NDArray[np.bool_], single_other: NDArray[np.bool_]
) -> CountedStrength | None:
    """Spearman's rank correlation; None where one of the columns never varies.

    Parameters
    ----------
    table : array of int, shape (bins of one, bins of other)
        Rows in which both have a value.
    single_one, single_other : array of bool
        Bins that hold but one value, inside which nothing is unknown.
    """
    n = int(table.sum())
    if n < 2:
        return None
    joint = table / n
    x, inside_x = _mid_ranks(joint.sum(axis=1), single_one)
    y, inside_y = _mid_ranks(joint.sum(axis=0), single_other)
    share_x, share_y = joint.sum(axis=1), joint.sum(axis=0)
    var_x, var_y = float(share_x @ x**2), float(share_y @ y**2)
    if not var_x or not var_y:
        return None
    within_x, within_y = float(share_x @ inside_x), float(share_y @ inside_y)
    product = float(x @ joint @ y)
    # A rank is the middle of its bin and what lies inside; the products of those with the ranks
    # of the other column are at most those of their deviations, bin by bin.
    off = (
        _products_at_most(joint.T, x, inside_y)
        + _products_at_most(joint, y, inside_x)
        + np.sqrt(within_x * within_y)
    )
    least, most = np.sqrt(var_x * var_y), np.sqrt((var_x + within_x) * (var_y + within_y))
    value = float(np.clip(product / least, -1, 1))
    ends = np.clip([(product + d) / scale for d in (-off, off) for scale in (least, most)], -1, 1)
    x, y = x / np.sqrt(var_x), y / np.sqrt(var_y)
    second, fourth_x, fourth_y = x**2 @ joint @ y**2, share_x @ x**4, share_y @ y**4
    third = x**3 @ joint @ y + x @ joint @ y**3
    variance = second - value * third + value**2 / 4 * (fourth_x + fourth_y + 2 * second)
    error = max(float(np.sqrt(max(variance, 0) / n)), (1 - value**2) / np.sqrt(n))
    return CountedStrength(value, error, n, float(np.abs(ends - value).max()))


def eta_of_counts(
    table: Counts, quantity: Counts, single: NDArray[np.bool_]
) -> CountedStrength | None:
    """Eta of levels and the ranks of a quantity; None where one of them never varies.

    Parameters
    ----------
    table : array of int, shape (levels, bins)
        Rows in which both have a value.
    quantity : array of int, shape (bins,)
        All rows of the quantity, among which it is ranked.
    single : array of bool
        Bins that hold but one value.
    """
    of_all = quantity / max(int(quantity.sum()), 1)
    ranks, inside = _mid_ranks(of_all, single)
    if (table.sum(axis=0) != quantity).any():
        inside = inside * 3  # rows of a bin may be missing at one end: from the middle to it
    sums = np.array([table @ (2 * ranks) ** power for power in range(5)], np.float64)[:, :, None]
    values, errors, rows = etas_of_sums(sums[:3], sums, _one_column(len(table)))
    if np.isnan(values[0, 0]):
        return None
    n = int(rows[0, 0])
    share = table.sum(axis=0) / n
    mean = float(share @ ranks)
    total, within = float(share @ (ranks - mean) ** 2), float(share @ inside)
    between = float(values[0, 0]) * np.sqrt(total)
    ends = (
        (between - np.sqrt(within)) / np.sqrt(total + within),
        (between + np.sqrt(within)) / np.sqrt(total),
    )
    value = float(values[0, 0])
    bound = float(np.abs(np.clip(ends, 0, 1) - value).max())
    return CountedStrength(value, float(errors[0, 0]), n, bound)


def cramers_v_of_counts(table: Counts) -> CountedStrength | None:
    """Cramér's V of two columns of levels; None where one of them never varies."""
    one, other = (_one_column(size) for size in table.shape)
    values, errors, rows = vs_of_counts(np.ascontiguousarray(table, np.float64), one, other)
    if np.isnan(values[0, 0]):
        return None
    return CountedStrength(float(values[0, 0]), float(errors[0, 0]), int(rows[0, 0]), 0.0)


def _one_column(levels: int) -> IndicatorBlock:
    """So many levels, all of one column."""
    (band,) = bands_of([(np.empty(0, np.int32), levels)])
    return band


def _mid_ranks(shares: Floats, single: NDArray[np.bool_]) -> tuple[Floats, Floats]:
    """The middle rank of each bin, from -1/2 to 1/2, and at most the variance inside."""
    ranks = np.cumsum(shares) - shares / 2 - 0.5
    return ranks, np.where(single, 0, shares**2 / 12)


def _products_at_most(joint: Floats, ranks: Floats, inside: Floats) -> float:
    """Of what lies inside the bins (first axis), and the ranks of the other column (second)."""
    shares = joint.sum(axis=1)
    with np.errstate(all="ignore"):
        means = joint @ ranks / shares
        spread = np.nan_to_num(joint @ ranks**2 / shares - means**2)
    return float(shares @ np.sqrt(np.maximum(spread, 0) * inside))


def _merging(
    column: LevelledColumn, counts: Counts, summary: ColumnSummary
) -> NDArray[np.int64] | None:
    """For each cell the level that it counts to: the most frequent ones, and one for all others.

    None where it is not known which levels are the most frequent ones of all rows.
    """
    if not isinstance(summary.stats, CategorySummary):
        return None
    own, others = counts[:-1].tolist(), len(column.levels)
    if summary.distinct <= MOST_LEVELS:
        return np.arange(others + 1) if not counts[-1] else None
    order = sorted(range(others), key=lambda i: (-own[i], column.levels[i]))[: MOST_LEVELS - 1]
    frequent = {level.value for level in summary.stats.levels[: MOST_LEVELS - 1]}
    if {column.levels[i] for i in order} != frequent:
        return None
    merged = np.full(others + 1, len(order), np.int64)
    merged[order] = np.arange(len(order))
    return merged


def _merged(table: Counts, merging: NDArray[np.int64] | None) -> Counts:
    """A table with levels (first axis) put together."""
    if merging is None:
        return table
    found = np.zeros((int(merging.max()) + 1, table.shape[1]), np.int64)
    np.add.at(found, merging, table)
    return found
