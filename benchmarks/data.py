"""Made-up tables to measure with: seeded, written once as Parquet or CSV."""

from __future__ import annotations

import gzip
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet as pq

SEED = 20_251_102
WORDS = np.array(["calm", "queen", "brood", "frames", "mites", "honey", "summer", "roof", "swarm"])


def mixed_table(rows: int, seed: int = SEED) -> pa.Table:
    """30 columns of every kind, 0.5 % of the rows repeated."""
    rng = np.random.default_rng(seed)
    columns: dict[str, object] = {}
    base = rng.normal(size=rows)
    for i in range(8):
        columns[f"normal_{i}"] = 20 + 3 * (0.4 * base + rng.normal(size=rows))
    for i in range(4):
        columns[f"log_normal_{i}"] = rng.lognormal(1, 0.8, rows)
    for i in range(6):
        columns[f"poisson_{i}"] = rng.poisson(3 + 2 * i, rows)
    for i in range(4):
        levels = np.array([f"level {k}" for k in range(4 + 5 * i)])
        columns[f"level_{i}"] = pa.array(levels[rng.integers(0, len(levels), rows)])
    zipf = np.minimum(rng.zipf(1.3, rows), 20_000)
    columns["zipf"] = pa.array([f"kind {k:05d}" for k in range(20_001)]).take(pa.array(zipf))
    columns["name"] = pa.array([f"{a} {b}" for a, b in rng.integers(0, 40_000, (rows, 2))])
    columns["check_id"] = pa.array([f"C-{k:08d}" for k in range(rows)])
    start = np.datetime64("2015-01-01T00:00:00", "s")
    for i in range(2):
        seconds = rng.integers(0, 10 * 365 * 86_400, rows).astype("timedelta64[s]")
        columns[f"moment_{i}"] = start + seconds
    columns["seen"] = rng.random(rows) < 0.3
    notes = np.array([" ".join(rng.choice(WORDS, 6)) for _ in range(2000)])
    columns["note"] = pa.array(notes[rng.integers(0, 2000, rows)], mask=rng.random(rows) < 0.9)
    columns["constant"] = np.full(rows, 7)
    table = pa.table(columns)
    places = np.arange(rows)
    twice = rng.choice(rows, rows // 200, replace=False)
    places[twice] = rng.integers(0, rows, len(twice))
    return table.take(pa.array(places))


def indicator_table(rows: int = 4695, columns: int = 882, seed: int = SEED) -> pa.Table:
    """Columns of zeros and ones, of every share; the shares are the same for every seed."""
    shares = np.random.default_rng(SEED).uniform(0.01, 0.6, columns)
    rng = np.random.default_rng(seed)
    values = (rng.random((rows, columns)) < shares).astype(np.int64)
    return pa.table({f"answer_{i:03d}": values[:, i] for i in range(columns)})


def mixed_file(folder: Path, rows: int) -> Path:
    """The mixed table as a Parquet file, made where it is not there yet."""
    path = folder / f"mixed_{rows}.parquet"
    if not path.exists():
        part = 1_000_000
        tables = [mixed_table(min(part, rows - i), SEED + i) for i in range(0, rows, part)]
        pq.write_table(pa.concat_tables(tables), path, row_group_size=128 * 1024)
    return path


def csv_file(folder: Path, gigabytes: float) -> Path:
    """A CSV file of about that size, from the mixed table over and over."""
    path = folder / f"mixed_{gigabytes:g}gb.csv"
    if not path.exists():
        table = mixed_table(500_000)
        with path.open("wb") as file:
            header = True
            while file.tell() < gigabytes * 1e9:
                options = pyarrow.csv.WriteOptions(include_header=header)
                pyarrow.csv.write_csv(table, file, options)
                header = False
    return path


def shuffled_file(folder: Path, old: Path) -> Path:
    """The rows of a file in another order, one in a hundred with another first column."""
    path = folder / f"{old.stem}_changed.parquet"
    if not path.exists():
        rng = np.random.default_rng(9)
        table = pq.read_table(old)
        values = table.column(0).to_numpy().copy()
        values[rng.random(len(values)) < 0.01] += 1.0
        table = table.set_column(0, table.schema.names[0], pa.array(values))
        pq.write_table(table.take(pa.array(rng.permutation(table.num_rows))), path)
    return path


def wide_table(rows: int, columns: int, seed: int) -> pa.Table:
    """Columns of six sorts in turn."""
    rng = np.random.default_rng(seed)
    levels = np.array([f"level {i}" for i in range(12)])
    start = np.datetime64("2020-01-01T00:00:00", "s")
    sorts: list[tuple[str, Any]] = [
        ("normal", lambda: rng.normal(20, 3, rows)),
        ("log_normal", lambda: rng.lognormal(1, 0.8, rows)),
        ("count", lambda: rng.poisson(5, rows)),
        ("level", lambda: levels[rng.integers(0, 12, rows)]),
        (
            "moment",
            lambda: start + rng.integers(0, 4 * 365 * 86_400, rows).astype("timedelta64[s]"),
        ),
        ("flag", lambda: rng.random(rows) < 0.3),
    ]
    chosen = [sorts[i % len(sorts)] for i in range(columns)]
    return pa.table({f"{name}_{i:03d}": make() for i, (name, make) in enumerate(chosen)})


#: A million rows of ten columns as text; wide tables, and a small one.
TEXTS = ("rows.csv", "rows.csv.gz", "rows.jsonl")
WIDE = (
    "indicators.parquet",
    "kinds.parquet",
    "answers_0.parquet",
    "answers_1.parquet",
    "small.csv",
)


def text_files(folder: Path) -> None:
    """The files of `TEXTS`, all of the same rows."""
    plain, packed, lines = (folder / name for name in TEXTS)
    table = mixed_table(1_000_000).select(range(0, 30, 3))
    pyarrow.csv.write_csv(table, plain)
    with plain.open("rb") as rows, gzip.open(packed, "wb", 1) as file:
        shutil.copyfileobj(rows, file)
    table.to_pandas().to_json(lines, orient="records", lines=True, date_format="iso")


def wide_files(folder: Path) -> None:
    """The files of `WIDE`."""
    tables = (
        indicator_table(),
        wide_table(2_000, 900, 0),
        indicator_table(2_000, 2_000, 0),
        indicator_table(2_000, 2_000, 1),
    )
    for name, table in zip(WIDE, tables, strict=False):
        pq.write_table(table, folder / name)
    pyarrow.csv.write_csv(mixed_table(400).select(range(9)), folder / WIDE[-1])
