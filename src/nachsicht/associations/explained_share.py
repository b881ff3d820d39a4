"""How well one column explains another, in rows that the explanation was not made from.

One column is taken in bins (tenths of the rows, or levels). A quantity is explained by its
mean in each bin: the figure is the share of its variance. A category is explained by the
shares of its levels in each bin: the figure is Goodman and Kruskal's tau, the share by which
the squared errors of these shares (Brier) are less than those of the shares overall.

Five folds: the i-th row is in fold i mod 5, and what is said of it comes from the others. A
bin that these lack gets what holds overall. Below 0 nothing is explained.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.associations.encode import CodedVector, Codes, EncodedColumn, Floats, NumericVector
from nachsicht.associations.indicators import BLOCK_ROWS, IndicatorBlock, bands_of, slices
from nachsicht.kernels import sums
from nachsicht.stats.quantiles import quantile

FOLDS = 5
#: Bins of a quantity; single values where they are no more than that.
MOST_BINS = 10


def explanations(encoded: Sequence[EncodedColumn], pmap: ParallelMap = map) -> Callable[[], Floats]:
    """Begin to find the share of the column of the second axis that the one of the first explains.

    Over the rows where both have a value; NaN where the explained one never varies there.
    Rows that are given are all used, so give drawn ones where they are many.

    Parameters
    ----------
    encoded : sequence of EncodedColumn
        The columns, all of the same rows.
    pmap : callable
        As `map`, on as many threads as it likes.

    Returns
    -------
    callable
        Waits for the shares: array of shape (columns, columns).
    """
    found = np.full((len(encoded), len(encoded)), np.nan)
    quantities = _Banded.of(encoded, NumericVector, pmap)
    levels = _Banded.of(encoded, CodedVector, pmap)
    values = _values([side for side in encoded if isinstance(side, NumericVector)])

    def by_quantities(band: IndicatorBlock) -> None:
        rows = quantities.places[band.columns]
        found[np.ix_(rows, quantities.places)] = _of_quantities(band, *values)
        for target, counts in _counted(band, levels.bands):
            found[np.ix_(rows, levels.places[target.columns])] = _of_levels(counts, band, target)

    def by_levels(first: int) -> None:
        band = levels.bands[first]
        rows = levels.places[band.columns]
        if len(quantities.places):
            found[np.ix_(rows, quantities.places)] = _of_quantities(band, *values)
        for target, counts in _counted(band, levels.bands[first:]):
            beside = levels.places[target.columns]
            found[np.ix_(rows, beside)] = _of_levels(counts, band, target)
            if target is not band:
                turned = np.ascontiguousarray(counts.transpose(0, 2, 1))
                found[np.ix_(beside, rows)] = _of_levels(turned, target, band)

    waiting = pmap(by_quantities, quantities.bands), pmap(by_levels, range(len(levels.bands)))

    def finish() -> Floats:
        for _ in chain.from_iterable(waiting):
            pass
        np.fill_diagonal(found, np.nan)
        return found

    return finish


class _Banded(msgspec.Struct, frozen=True):
    """Columns of one type, in bins, and their places among all columns."""

    places: NDArray[np.int64]
    bands: list[IndicatorBlock]

    @staticmethod
    def of(
        encoded: Sequence[EncodedColumn], wanted: type[EncodedColumn], pmap: ParallelMap
    ) -> _Banded:
        places = [i for i, side in enumerate(encoded) if isinstance(side, wanted)]
        binned = list(pmap(_binned, [encoded[i] for i in places]))
        return _Banded(np.array(places, np.int64), bands_of(binned))


def _binned(side: EncodedColumn) -> tuple[Codes, int]:
    """The bin of each row, -1 for none, and the number of bins."""
    if isinstance(side, CodedVector):
        return side.codes, len(side.names)
    codes, edges = bins_of(side.values, side.present, MOST_BINS)
    return codes, len(edges) + 1


def bins_of(values: NDArray[Any], present: NDArray[np.bool_], most: int) -> tuple[Codes, Floats]:
    """The bin of each row, -1 for missing, and the inner edges; a bin ends with its edge.

    Single values where they are no more than ``most``, else bins of as many rows each.
    """
    held = values[present]
    if not len(held):
        return np.full(len(values), -1, np.int32), np.empty(0)
    ordered = np.sort(held)
    different = ordered[np.concatenate(([True], ordered[1:] != ordered[:-1]))]
    if len(different) <= most:
        edges = different[:-1]
    else:
        edges = np.array(sorted({quantile(ordered, i / most) for i in range(1, most)}))
    codes = np.searchsorted(edges, values, "left").astype(np.int32)
    codes[~present] = -1
    return codes, edges


def _values(encoded: Sequence[NumericVector]) -> tuple[Floats, Floats]:
    """Standardised values, 0 where missing, and where they are present; a row a column."""
    rows = len(encoded[0].values) if encoded else 0
    there = np.array([side.present for side in encoded], np.float64).reshape(len(encoded), rows)
    away = np.zeros(there.shape)
    for row, side in zip(away, encoded, strict=True):
        held = side.values[side.present].astype(np.float64)
        if len(held):
            held = held - held.mean()
            row[side.present] = held / (held.std() or 1.0)
    return away, there


@np.errstate(all="ignore")
def _of_quantities(band: IndicatorBlock, away: Floats, there: Floats) -> Floats:
    """The share of the variance of every quantity that every column of the band explains."""
    gaps = np.flatnonzero(~there.all(axis=1))
    # Quantities without gaps have as many values in a bin as it has rows.
    counts_by_fold = np.zeros((FOLDS, band.levels, len(away) if len(gaps) else 1))
    sums_by_fold = np.zeros((FOLDS, band.levels, len(away)))
    for fold, indicators, rows in _folds(band, away.shape[1]):
        counts = np.repeat(indicators.sum(axis=1)[:, None], counts_by_fold.shape[2], axis=1)
        counts[:, gaps] = np.dot(indicators, there[np.ix_(gaps, rows)].T)
        counts_by_fold[fold] += counts
        sums_by_fold[fold] += np.dot(indicators, away[:, rows].T)
    all_counts, all_sums = counts_by_fold.sum(axis=0), sums_by_fold.sum(axis=0)
    counts_by_column, sums_by_column = band.total(all_counts), band.total(all_sums)
    # Squared errors, less the squares themselves, which all explanations have in common.
    errors, baseline = np.zeros(all_sums.shape), np.zeros(sums_by_column.shape)
    for counts, away_in_fold in zip(counts_by_fold, sums_by_fold, strict=True):
        in_all, sum_of_all = band.total(counts), band.total(away_in_fold)
        overall = (sums_by_column - sum_of_all) / (counts_by_column - in_all)
        left = all_counts - counts
        means = (all_sums - away_in_fold) / left
        alone = left == 0
        if alone.any():
            np.copyto(means, band.expand(overall), where=alone)
        errors += means * (means * counts - 2 * away_in_fold)
        baseline += overall * (overall * in_all - 2 * sum_of_all)
    squares = _squares(band, away)
    baseline += squares
    # What rounding leaves of a quantity that never varies is no variance.
    return np.where(baseline > 1e-9, 1 - (squares + band.total(errors)) / baseline, np.nan)


def _squares(band: IndicatorBlock, away: Floats) -> Floats:
    """Sums of squares of the quantities in the rows where a column has a value."""
    there: Floats = np.array([codes >= 0 for codes in band.codes], np.float64)
    squares: Floats = np.dot(there, (away**2).T)
    return squares


def _counted(
    band: IndicatorBlock, targets: Iterable[IndicatorBlock]
) -> Iterator[tuple[IndicatorBlock, Floats]]:
    """Rows of each fold by each level of the band and each of the target."""
    rows = len(band.codes[0])
    # The counts of a block are whole numbers that single precision holds.
    mine = [*_folds(band, rows, np.float32)]
    for target in targets:
        counts = np.zeros((FOLDS, band.levels, target.levels))
        for fold, indicators, places in mine:
            theirs = indicators if target is band else target.indicators(places, np.float32)
            counts[fold] += np.dot(indicators, theirs.T)
        yield target, counts


@np.errstate(all="ignore")
def _of_levels(parts: Floats, band: IndicatorBlock, target: IndicatorBlock) -> Floats:
    """Goodman and Kruskal's tau of every category of the target by every column of the band."""
    total = parts.sum(axis=0)
    overall_counts = band.total(total)
    n = target.total(overall_counts, axis=1)
    # Of a row with level y the squared error is 1 - 2 p(y) + the sum of all p².
    errors, baseline = np.zeros((band.levels, len(target.codes))), np.zeros(overall_counts.shape)
    column_of = np.repeat(np.arange(len(band.codes)), band.sizes)
    for counts in parts:
        in_all = band.total(counts)
        rows_in_fold = target.total(in_all, axis=1)
        overall = (overall_counts - in_all) / target.expand(n - rows_in_fold, axis=1)
        sums.brier_errors(counts, total, overall, column_of, target.starts, errors)
        baseline += overall * (overall * target.expand(rows_in_fold, axis=1) - 2 * in_all)
    wrong = n + band.total(errors)
    wrong_overall = n + target.total(baseline, axis=1)
    return np.where(wrong_overall > 1e-9, 1 - wrong / wrong_overall, np.nan)


def _folds(
    band: IndicatorBlock, rows: int, of: type[np.floating[Any]] = np.float64
) -> Iterator[tuple[int, NDArray[np.floating[Any]], NDArray[np.integer[Any]]]]:
    """For each fold: its number, the indicators of the band in its rows, and the rows."""
    for fold in range(FOLDS):
        places = np.arange(fold, rows, FOLDS)
        for part in slices(len(places), BLOCK_ROWS):
            yield fold, band.indicators(places[part], of), places[part]
