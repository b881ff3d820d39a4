"""Every column against the outcome: mean or share by bin or level, and how much it explains."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import singledispatch
from itertools import pairwise
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in, taken
from nachsicht.arrow.format import number_text
from nachsicht.arrow.numeric import as_numbers
from nachsicht.arrow.text_values import YES
from nachsicht.columns.levels import levels_in
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    QuantitySummary,
)
from nachsicht.model.kinds import Kind
from nachsicht.model.outcome import Outcome, OutcomeBin, OutcomeView
from nachsicht.sketches.row_sample import RowSample

#: Bins of a quantity, levels of a category that are distinguished.
MOST_BINS, MOST_LEVELS = 10, 12
#: Fewer rows with a known outcome tell nothing; of few, the intervals are wide.
FEWEST_ROWS = 10
FOLDS = 5
#: Half the width of a 95 % interval, in standard errors.
_Z = 1.959963984540054

_Floats = NDArray[np.float64]
_Codes = NDArray[np.integer[Any]]


#: What a bin is, by the fields of an `OutcomeBin`.
_Bin = dict[str, Any]


class _Binned(msgspec.Struct, frozen=True):
    """What the bins are, and the bin of each row; the last is that of missing values."""

    bins: list[_Bin]
    codes: _Codes


def outcome_of(
    columns: Sequence[ColumnSummary], sample: RowSample | None, name: str | None
) -> Outcome | None:
    """The outcome by every other column; None where none is chosen or it cannot be computed.

    Parameters
    ----------
    columns : sequence of ColumnSummary
        All columns.
    sample : RowSample
        Rows to compute from: evenly drawn ones where there are many.
    name : str, optional
        The outcome: a quantity, a flag or a category.
    """
    column = next((column for column in columns if column.name == name), None)
    if column is None or sample is None:
        return None
    array = sample.rows.column(column.position)
    known = ~missing_in(array)
    found = _target(column, array)
    if found is None:
        return None
    level, values = found
    known &= np.isfinite(values)
    values = values[known]
    if len(values) < FEWEST_ROWS:
        return None
    rows = taken(sample.rows, np.flatnonzero(known))
    views, left_out = [], {}
    for other in columns:
        if other is column:
            continue
        binned = _binned(other, rows.column(other.position))
        if binned is None:
            left_out[other.name] = "never_varies" if other.distinct < 2 else str(other.kind)
            continue
        views.append(
            OutcomeView(
                column=other.name,
                explained_share=explained_by(binned.codes, values),
                bins=_bins(binned, values, share=level is not None),
            )
        )
    views.sort(key=lambda view: (-view.explained_share, view.column))
    return Outcome(
        column=column.name,
        level=level,
        rows=len(values),
        overall=float(values.mean()),
        views=tuple(views),
        excluded=left_out,
    )


def _target(column: ColumnSummary, array: Any) -> tuple[str | None, _Floats] | None:
    """The outcome as numbers: itself, or whether it is one level; with that level."""
    if isinstance(column.stats, CategorySummary):
        names, codes = levels_in(array, None)
        level = _level(column)
        if level not in names:
            return None
        return level, (codes == names.index(level)).astype(np.float64)
    numbers = as_numbers(array)
    if isinstance(column.stats, QuantitySummary) and numbers:
        values, present = numbers
        return None, np.where(present, values, np.nan)
    return None


def _level(column: ColumnSummary) -> str:
    """What counts: of a flag what says yes, of a category its most frequent level."""
    assert isinstance(column.stats, CategorySummary)
    levels = [level.value for level in column.stats.levels]
    if column.kind is Kind.FLAG:
        return next((level for level in levels if level.casefold() in YES), levels[-1])
    return levels[0]


def _binned(column: ColumnSummary, array: Any) -> _Binned | None:
    """The bins of a column: levels, or tenths of the rows; missing values are a bin too."""
    if column.distinct < 2:
        return None
    return binned(column.stats, array)


@singledispatch
def binned(_detail: Any, _array: Any) -> _Binned | None:
    """The bins of a kind, or None; a kind registers its own."""
    return None


@binned.register
def _(_: CategorySummary, array: Any) -> _Binned | None:
    return _by_level(array)


@binned.register
def _(_: QuantitySummary, array: Any) -> _Binned | None:
    numbers = as_numbers(array)
    if not numbers:
        return None
    values, present = numbers
    return _by_tenth(values.astype(np.float64), ~present)


@binned.register
def _(detail: DatetimeSummary, array: Any) -> _Binned | None:
    """By month, or by year where those are too many."""
    if detail.time_of_day or not _temporal(array.type):
        return None
    for unit in ("month", "year"):
        names, codes = levels_in(array, unit)
        if len(names) <= MOST_LEVELS + 1:
            return _Binned([*map(_level_bin, names), _MISSING], codes)
    return None


def _temporal(stored: Any) -> bool:
    return bool(pa.types.is_timestamp(stored) or pa.types.is_date(stored))


def _by_level(array: Any) -> _Binned:
    """Levels, the most frequent ones; all others together.

    In the order that their type gives them, or else in that of their names: in which order they
    occur says nothing.
    """
    names, codes = levels_in(array, None)
    counts = np.bincount(codes, minlength=len(names) + 1)[:-1]
    kept = np.arange(len(counts))
    if len(counts) > MOST_LEVELS:
        kept = np.sort(np.argsort(-counts, kind="stable")[: MOST_LEVELS - 1])
    if not getattr(array.type, "ordered", False):
        kept = np.array(sorted(kept.tolist(), key=lambda i: names[i]), np.int64)
    others = [{"type": "other"}] if len(kept) < len(counts) else []
    new = np.full(len(names) + 1, len(kept))
    new[kept] = np.arange(len(kept))
    new[-1] = len(kept) + len(others)
    return _Binned([*(_level_bin(names[i]) for i in kept), *others, _MISSING], new[codes])


_MISSING: _Bin = {"type": "missing"}


def _level_bin(name: str) -> _Bin:
    return {"type": "level", "level": name}


def _by_tenth(values: _Floats, missing: NDArray[np.bool_]) -> _Binned:
    """Single values where they are few; else bins that hold about a tenth of the rows each."""
    present = values[~missing]
    different = np.unique(present)
    if len(different) <= MOST_LEVELS:
        codes = np.searchsorted(different, values)
        bins = [_level_bin(number_text(float(value))) for value in different]
    else:
        edges = np.unique(np.quantile(present, np.arange(1, MOST_BINS) / MOST_BINS))
        codes = np.searchsorted(edges, values, "left")
        ends = [None, *edges.tolist(), None]
        bins = [{"type": "range", "above": a, "up_to": b} for a, b in pairwise(ends)]
    return _Binned([*bins, _MISSING], np.where(missing, len(bins), codes))


def explained_by(codes: _Codes, values: _Floats) -> float:
    """Share of the variance that means by bin explain in rows they were not computed from.

    Five folds: row i is in fold i mod 5. A bin that the other folds lack gets their overall
    mean. The errors of all folds are compared with those of the other folds' overall means.
    """
    n = int(codes.max(initial=0)) + 1
    fold = np.arange(len(values)) % FOLDS
    errors = baseline = 0.0
    for k in range(FOLDS):
        inside, outside = fold == k, fold != k
        overall = values[outside].mean()
        rows = np.bincount(codes[outside], minlength=n)
        sums = np.bincount(codes[outside], values[outside], n)
        means = np.where(rows > 0, sums / np.maximum(rows, 1), overall)
        errors += float(((values[inside] - means[codes[inside]]) ** 2).sum())
        baseline += float(((values[inside] - overall) ** 2).sum())
    return 1 - errors / baseline if baseline else 0.0


def _bins(binned: _Binned, values: _Floats, *, share: bool) -> tuple[OutcomeBin, ...]:
    found = []
    for code, what in enumerate(binned.bins):
        inside = values[binned.codes == code]
        if len(inside):
            low, high = wilson(inside.mean(), len(inside)) if share else _of_mean(inside)
            mean = float(inside.mean())
            found.append(OutcomeBin(rows=len(inside), value=mean, low=low, high=high, **what))
    return tuple(found)


def wilson(share: float, n: int) -> tuple[float, float]:
    """The 95 % score interval of a share (Wilson 1927)."""
    middle = (share + _Z**2 / (2 * n)) / (1 + _Z**2 / n)
    half = _Z / (1 + _Z**2 / n) * math.sqrt(share * (1 - share) / n + _Z**2 / (4 * n**2))
    return float(max(0.0, middle - half)), float(min(1.0, middle + half))


def _of_mean(values: _Floats) -> tuple[float, float]:
    """The 95 % interval of a mean by Student's distribution; the mean itself for one row."""
    mean = float(values.mean())
    if len(values) < 2:
        return mean, mean
    from scipy.special import stdtrit  # loads slowly

    error = float(values.std(ddof=1)) / math.sqrt(len(values))
    half = float(stdtrit(len(values) - 1, 0.975)) * error
    return mean - half, mean + half
