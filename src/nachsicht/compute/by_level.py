"""Means and standard deviations of quantities in the levels of other columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.as_numbers import as_numbers
from nachsicht.compute.levels_in import SplitBy, columns_to_split_by, levels_in
from nachsicht.compute.relations.row_sample import RowSample
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.profile import SpreadByLevel

#: At most so many pairs of a quantity and a dividing column are kept.
MOST_PAIRS = 240

_Floats = NDArray[np.float64]
_Levels = tuple[list[str], NDArray[np.integer[Any]]]


def spreads_by_level(
    columns: Sequence[ColumnSummary], sample: RowSample | None
) -> tuple[SpreadByLevel, ...]:
    """A table for every quantity stored as numbers and every column that divides the rows.

    Computed of a sample of the rows; all of them while they are few.
    """
    if sample is None or not sample.rows.num_rows:
        return ()
    rows = sample.rows
    numbers = {
        column.position: (values[present].astype(np.float64), present)
        for column in columns
        if isinstance(column.detail, QuantitySummary)
        and (found := as_numbers(rows.column(column.position)))
        for values, present in [found]
    }
    quantities = [column for column in columns if column.position in numbers]
    tables: list[SpreadByLevel] = []
    for split in columns_to_split_by(columns):
        levels = levels_in(rows.column(split.position), split.unit)
        for column in quantities[: MOST_PAIRS - len(tables)]:
            tables.append(_table(column, columns, split, levels, *numbers[column.position]))
    return tuple(tables)


def _table(
    column: ColumnSummary,
    columns: Sequence[ColumnSummary],
    split: SplitBy,
    levels: _Levels,
    values: _Floats,
    finite: NDArray[np.bool_],
) -> SpreadByLevel:
    names, codes = levels
    codes = codes[finite]
    rows = np.bincount(codes, minlength=len(names))
    held = np.flatnonzero(rows)
    order = held[np.argsort([names[i] for i in held], kind="stable")] if len(held) else held
    means = np.zeros(len(names))
    means[held] = np.bincount(codes, values, len(names))[held] / rows[held]
    squares = np.bincount(codes, (values - means[codes]) ** 2, len(names))
    sds = np.sqrt(squares[order] / np.maximum(rows[order] - 1, 1))
    return SpreadByLevel(
        column=column.name,
        by=columns[split.position].name,
        levels=tuple(names[i] for i in order),
        rows=tuple(rows[order].tolist()),
        means=tuple(means[order].tolist()),
        sds=tuple(sds.tolist()),
    )
