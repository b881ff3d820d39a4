"""Means and standard deviations of quantities in the levels of other columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.numeric import as_numbers
from nachsicht.columns.levels import columns_to_split_by, in_order, levels_in
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.profile import GroupStats
from nachsicht.sketches.row_sample import RowSample

#: At most so many pairs of a quantity and a dividing column are kept.
MOST_PAIRS = 240

#: Values, and where they are present.
_Numbers = tuple[NDArray[Any], NDArray[np.bool_]]


def stats_by_level(
    columns: Sequence[ColumnSummary], sample: RowSample | None
) -> tuple[GroupStats, ...]:
    """A table for every quantity stored as numbers and every column that divides the rows.

    Computed of a sample of the rows; all of them while they are few.
    """
    if sample is None or not sample.rows.num_rows:
        return ()
    rows = sample.rows
    found = [
        (column.name, numbers)
        for column in columns
        if isinstance(column.stats, QuantitySummary)
        and (numbers := as_numbers(rows.column(column.position)))
    ]
    tables: list[GroupStats] = []
    for split in columns_to_split_by(columns):
        names, codes = levels_in(rows.column(split.position), split.unit)
        wanted = found[: MOST_PAIRS - len(tables)]
        if wanted:
            tables += _tables(wanted, columns[split.position].name, names, codes)
    return tuple(tables)


def _tables(
    quantities: Sequence[tuple[str, _Numbers]],
    by: str,
    names: Sequence[str],
    codes: NDArray[np.integer[Any]],
) -> list[GroupStats]:
    """The tables of all quantities in the levels of one column, in the order of their names."""
    # Rows of a level beside each other: sums of all quantities are sums of neighbours then.
    order = np.argsort(codes, kind="stable")
    held, starts = np.unique(codes[order], return_index=True)
    there = np.array([present for _, (_, present) in quantities])[:, order]
    values = np.array([values for _, (values, _) in quantities], np.float64)[:, order]
    values[~there] = 0.0
    rows = np.add.reduceat(there, starts, axis=1, dtype=np.int64)
    means = np.add.reduceat(values, starts, axis=1) / np.maximum(rows, 1)
    away = (values - np.repeat(means, np.diff(starts, append=len(codes)), axis=1)) ** 2
    away[~there] = 0.0
    sds = np.sqrt(np.add.reduceat(away, starts, axis=1) / np.maximum(rows - 1, 1))
    level: list[str | None] = [*names, None]
    by_name = sorted(range(len(held)), key=lambda i: in_order(level[held[i]]))
    tables = []
    for place, (name, _) in enumerate(quantities):
        kept = [i for i in by_name if rows[place, i]]
        tables.append(
            GroupStats(
                column=name,
                by=by,
                levels=tuple(level[held[i]] for i in kept),
                rows=tuple(rows[place, kept].tolist()),
                means=tuple(means[place, kept].tolist()),
                stds=tuple(sds[place, kept].tolist()),
            )
        )
    return tables
