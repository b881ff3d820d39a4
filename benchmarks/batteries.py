"""The same battery of statistics, by hand, in pandas, Polars and DuckDB; and a bare read.

Describe with seven quantiles, skewness, kurtosis; distinct; missing; the ten most frequent
values of every column; 50-bin histograms; duplicate rows; Pearson; Spearman (not in DuckDB);
all crosstabs of the columns of few levels. Each is what a practised user would write.

Run one: ``python benchmarks/batteries.py pandas mixed.parquet``.
"""

from __future__ import annotations

import sys
from itertools import combinations
from pathlib import Path
from typing import Any

QUANTILES = [0.01, 0.05, 0.25, 0.5, 0.75, 0.95, 0.99]
MEMORY = 500_000_000
FEW = ["level_0", "level_1", "level_2", "level_3", "seen"]


def bare_read(path: Path) -> None:
    """The limit that every tool moves towards."""
    import pyarrow.parquet as pq

    assert pq.ParquetFile(path).read().num_rows


def nachsicht(path: Path) -> None:
    """A whole profile, and its page written."""
    import nachsicht

    nachsicht.profile(path).write(path.with_name("profile.html"))


def pandas(path: Path) -> None:
    """The battery in pandas."""
    import numpy as np
    import pandas as pd

    frame = pd.read_parquet(path)
    numbers = frame.select_dtypes("number")
    numbers.describe(percentiles=QUANTILES)
    numbers.skew(), numbers.kurt()
    frame.nunique(), frame.isna().sum(), frame.duplicated().sum()
    for name in frame:
        frame[name].value_counts().head(10)
    for name in numbers:
        np.histogram(numbers[name].dropna(), 50)
    numbers.corr()
    numbers.corr(method="spearman")
    for a, b in combinations(FEW, 2):
        pd.crosstab(frame[a], frame[b])


def polars(path: Path) -> None:
    """The battery in Polars."""
    import polars as pl
    from polars import selectors as cs

    frame = pl.read_parquet(path)
    numbers = frame.select(cs.numeric())
    numbers.describe(percentiles=QUANTILES)
    numbers.select(pl.all().skew().name.suffix("_s"), pl.all().kurtosis().name.suffix("_k"))
    frame.select(pl.all().n_unique()), frame.null_count(), frame.is_duplicated().sum()
    for name in frame.columns:
        frame[name].value_counts(sort=True).head(10)
    for name in numbers.columns:
        numbers[name].drop_nulls().hist(bin_count=50)
    numbers.corr()
    numbers.select(pl.all().rank()).corr()
    for a, b in combinations(FEW, 2):
        frame.group_by(a, b).len()


def duckdb(path: Path) -> None:
    """The battery in DuckDB."""
    import duckdb

    base = duckdb.connect()
    base.execute(f"create table t as from '{path}'")
    _duckdb_battery(base)


def _duckdb_battery(base: Any) -> None:
    columns = base.execute("select column_name, column_type from (describe t)").fetchall()
    numbers = [name for name, kind in columns if kind in ("DOUBLE", "BIGINT", "INTEGER")]
    for name in numbers:
        base.execute(
            f"select count(c), avg(c), stddev(c), min(c), max(c), skewness(c), kurtosis(c), "
            f'quantile_cont(c, {QUANTILES}) from (select "{name}" c from t)'
        ).fetchall()
        base.execute(
            f'select floor(50 * ("{name}" - lo) / nullif(hi - lo, 0)) b, count(*) from t, '
            f'(select min("{name}") lo, max("{name}") hi from t) group by b'
        ).fetchall()
    for name, _ in columns:
        base.execute(
            f'select count(distinct "{name}"), count(*) - count("{name}") from t'
        ).fetchall()
        base.execute(
            f'select "{name}", count(*) n from t group by 1 order by n desc limit 10'
        ).fetchall()
    base.execute("select count(*) from (select distinct * from t)").fetchall()
    pairs = ", ".join(f'corr("{a}", "{b}")' for a, b in combinations(numbers, 2))
    base.execute(f"select {pairs} from t").fetchall()
    for a, b in combinations(FEW, 2):
        base.execute(f"select {a}, {b}, count(*) from t group by all").fetchall()


def nachsicht_in_pieces(path: Path) -> None:
    """A whole profile within half a gigabyte, and its page written."""
    import nachsicht

    nachsicht.profile(path, memory_bytes=MEMORY).write(path.with_name("profile.html"))


def polars_streaming(path: Path) -> None:
    """The battery in Polars on a CSV file, by its streaming engine; ranks aside."""
    import polars as pl
    from polars import selectors as cs

    lazy = pl.scan_csv(path, try_parse_dates=True)
    schema = lazy.collect_schema()
    numbers = lazy.select(cs.numeric()).collect_schema().names()
    every, n = pl.all(), pl.col(numbers)
    asked = [
        lazy.select(every.n_unique().name.suffix("_d"), every.null_count().name.suffix("_m")),
        lazy.select(
            n.mean(), n.std().name.suffix("_sd"), n.min().name.suffix("_lo"),
            n.max().name.suffix("_hi"), n.skew().name.suffix("_s"),
            n.kurtosis().name.suffix("_k"),
            *(n.quantile(q).name.suffix(f"_{q}") for q in QUANTILES),
        ),
        lazy.select(pl.struct(every).hash().n_unique()),
        lazy.select([pl.corr(a, b).alias(f"{a}/{b}") for a, b in combinations(numbers, 2)]),
        *(lazy.group_by(a, b).len() for a, b in combinations(FEW, 2)),
        *(lazy.group_by(name).len().top_k(10, by="len") for name in schema),
    ]  # fmt: skip
    for one in asked:
        one.collect(engine="streaming")
    ends = lazy.select(n.min().name.suffix("/lo"), n.max().name.suffix("/hi"))
    found = ends.collect(engine="streaming").row(0, named=True)
    for name in numbers:
        low, high = found[f"{name}/lo"], found[f"{name}/hi"]
        place = ((pl.col(name) - low) / max(high - low, 1e-300) * 50).floor()
        lazy.group_by(place.alias("bin")).len().collect(engine="streaming")


def duckdb_in_pieces(path: Path) -> None:
    """The battery in DuckDB, from a CSV file that is first made a database file."""
    import duckdb

    stored = path.with_suffix(".duckdb")
    stored.unlink(missing_ok=True)
    base = duckdb.connect(str(stored), config={"memory_limit": f"{MEMORY // 1_000_000}MB"})
    base.execute("set preserve_insertion_order=false")
    base.execute(f"create table t as from read_csv('{path}')")
    _duckdb_battery(base)
    base.close()
    stored.unlink()


BATTERIES = {
    b.__name__: b
    for b in (
        bare_read, nachsicht, pandas, polars, duckdb,
        nachsicht_in_pieces, polars_streaming, duckdb_in_pieces,
    )
}  # fmt: skip

if __name__ == "__main__":
    BATTERIES[sys.argv[1]](Path(sys.argv[2]))
