"""Seconds that the row changes by key of two tables in memory take."""

from __future__ import annotations

import sys
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from nachsicht.associations.all_pairs import AllPairs
from nachsicht.associations.spearman import Correlations
from nachsicht.columns.accumulate import encode, finish_column, observe_column
from nachsicht.comparison.rows.diff import compare_rows
from nachsicht.config.settings import Settings
from nachsicht.table.duplicates import RowHashes
from nachsicht.table.result import RetainedData


def hashes_of(table: pa.Table) -> np.ndarray:
    """Of the rows in all columns."""
    hashes = RowHashes(table.num_rows)
    for i, column in enumerate(table.columns):
        hashes.add(encode(column), i)
    return hashes.part().chunks[0]


def main() -> None:
    """Match by the column that names the rows, and print the seconds and what was found."""
    tables = [pq.read_table(path) for path in sys.argv[1:3]]
    names = tables[0].schema.names
    # Of the summaries only names and places are looked at.
    few = [table.slice(0, 100) for table in tables]
    summaries = [
        [
            finish_column(observe_column(table.column(i)), name, i, Settings())
            for i, name in enumerate(names)
        ]
        for table in few
    ]
    pairs = list(zip(summaries[0], summaries[1], strict=True))
    # Of the rows only the hashes, which a comparison has from the profiles.
    nothing = AllPairs((), (), Correlations(*np.empty((3, 0, 0))))
    sides = [RetainedData(table, hashes_of(table), {}, nothing, ()) for table in tables]
    place = names.index("check_id")
    with ThreadPoolExecutor() as pool:
        started = time.perf_counter()
        rows = compare_rows(sides[0], sides[1], pairs, [(place, place)], (0, 1), (0, 0), pool.map)
        seconds = time.perf_counter() - started
    sys.stdout.write(
        f"{seconds:.1f} s ({rows.unchanged:,} the same, {rows.changed:,} changed, "
        f"{sum(rows.duplicate_keys):,} rows whose key repeats)"
    )


if __name__ == "__main__":
    main()
