"""Times the relations of all pairs, from tables in memory; prints a line for docs/benchmarks.md."""

from __future__ import annotations

import os
import time
from concurrent.futures import ThreadPoolExecutor

import data
import numpy as np
import pyarrow as pa
import scipy.cluster.hierarchy  # noqa: F401 (a second of import is not what is measured)

from nachsicht.associations.all_pairs import relations_of
from nachsicht.associations.encode import NumericVector, encode_columns
from nachsicht.associations.pearson import comoments_of
from nachsicht.associations.spearman import rank_correlations
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.config.settings import Settings
from nachsicht.model.column import ColumnSummary


def summaries(table: pa.Table) -> list[ColumnSummary]:
    """What a profile knows of the columns before they are related."""
    return [
        finish_column(observe_column(table.column(i)), name, i, Settings())
        for i, name in enumerate(table.schema.names)
    ]


def main() -> None:
    """Measure the wide table and the long one."""
    wide = data.indicator_table()
    columns = summaries(wide)
    rng = np.random.default_rng(data.SEED)
    long = pa.table({f"quantity_{i}": rng.normal(size=1_000_000) for i in range(18)})
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        started = time.perf_counter()
        found = relations_of(columns, wide, np.arange(wide.num_rows), wide.num_rows, pmap=pool.map)
        first = time.perf_counter() - started
        encoded, _ = encode_columns(summaries(long), long)
        quantities = [side for side in encoded if isinstance(side, NumericVector)]
        started = time.perf_counter()
        comoments_of([(side.values, side.present) for side in quantities]).correlations()
        rank_correlations(quantities, np.arange(10_000), pool.map)
        second = time.perf_counter() - started
    print(
        f"{found.relations.total_pairs:,} pairs of 4,695 × 882 zeros and ones, explanations in "
        f"both directions included, {first:.1f} s; Pearson and Spearman of 1,000,000 × 18, "
        f"{second:.1f} s"
    )


if __name__ == "__main__":
    main()
