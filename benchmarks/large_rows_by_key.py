"""Rows by key of two tables larger than memory, beside DuckDB's full join of the same files.

``python benchmarks/large_rows_by_key.py FOLDER`` makes both versions (50 million rows, 6 columns;
the newer one in another order, with rows added, removed and rewritten), and prints seconds and the
largest memory of each process. ``--rows 10`` (in millions) makes it smaller, ``--memory`` states
another size (in GB).
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

MILLION = 1_000_000
#: Of a hundred rows so many are only in the older version, only in the newer one, or rewritten.
REMOVED, ADDED, REWRITTEN = 1, 1, 2
LEVELS = pa.array([f"level {i}" for i in range(12)])

OURS = """
import json, sys, time
import nachsicht
from nachsicht.comparison import row_changes

def timed(*given, found=row_changes.compare_rows_in_pieces):
    started = time.perf_counter()
    rows = found(*given)
    print(json.dumps({"seconds": time.perf_counter() - started}), flush=True)
    return rows

row_changes.compare_rows_in_pieces = timed
memory = int(sys.argv[3])
options = {"key": "check_id", "memory_bytes": memory, "spill_folder": sys.argv[4]}
made = nachsicht.compare(sys.argv[1], sys.argv[2], **options)
(rows,) = made.document.rows
cells = {cell.column: cell.rows for cell in rows.changed_cells}
print(json.dumps({"added": rows.added, "removed": rows.removed, "cells": cells}))
"""
JOIN = """
import json, os, sys, time
import duckdb

started = time.perf_counter()
duckdb.sql(f"set memory_limit='{int(sys.argv[3]) // 1_000_000}MB'")
duckdb.sql("set enable_progress_bar=false")
duckdb.sql(f"set threads={len(os.sched_getaffinity(0))}")
duckdb.sql(f"set temp_directory='{sys.argv[4]}'")
names = ["checked_at", "weight", "honey", "mites", "level"]
differ = "count(*) filter (o.check_id = n.check_id and o.{0} is distinct from n.{0})"
found = duckdb.sql(f'''
    select count(*) filter (o.check_id is null), count(*) filter (n.check_id is null),
        {", ".join(differ.format(name) for name in names)}
    from read_parquet('{sys.argv[1]}') o
    full join read_parquet('{sys.argv[2]}') n on o.check_id = n.check_id
''').fetchall()[0]
print(json.dumps({"seconds": time.perf_counter() - started}))
counts = {name: rows for name, rows in zip(names, found[2:]) if rows}
print(json.dumps({"added": found[0], "removed": found[1], "cells": counts}))
"""


def noise(ids: np.ndarray, column: int) -> np.ndarray:
    """Numbers from 0 to 1 that depend on the row and the column alone."""
    mixed = (ids.astype(np.uint64) + np.uint64(column * 1_000_003)) * np.uint64(0x9E3779B97F4A7C15)
    mixed ^= mixed >> np.uint64(31)
    mixed *= np.uint64(0xBF58476D1CE4E5B9)
    mixed ^= mixed >> np.uint64(29)
    return (mixed >> np.uint64(11)) / 2.0**53


def rows_of(ids: np.ndarray, *, newer: bool) -> pa.Table:
    """Rows by their key; in the newer version some weights were rewritten."""
    weight = np.round(20 + 30 * noise(ids, 1), 3)
    if newer:
        weight = np.where(ids % 100 < REWRITTEN, np.round(weight + 0.5, 3), weight)
    start = np.datetime64("2015-01-01T00:00:00", "s")
    return pa.table(
        {
            "check_id": ids,
            "checked_at": start + (noise(ids, 2) * 10 * 365 * 86_400).astype("timedelta64[s]"),
            "weight": weight,
            "honey": noise(ids, 3) ** 3 * 40,
            "mites": (noise(ids, 4) * 12).astype(np.int64),
            "level": LEVELS.take(pa.array((noise(ids, 5) * 12).astype(np.int64))),
        }
    )


def versions(folder: Path, millions: int) -> tuple[Path, Path]:
    """Both files, the newer one in another order."""
    folder.mkdir(parents=True, exist_ok=True)
    rows = millions * MILLION
    paths = folder / f"old_{millions}.parquet", folder / f"new_{millions}.parquet"
    for path, newer in zip(paths, (False, True), strict=True):
        if path.exists():
            continue
        schema = rows_of(np.arange(1), newer=newer).schema
        with pq.ParquetWriter(path, schema) as writer:
            for start in range(0, rows, MILLION):
                ids = np.arange(start, start + MILLION)
                if newer:  # in an order that has nothing to do with the older one's
                    ids = ids * 7_368_787 % rows
                    kept = ids % 100 < 100 - REMOVED
                    ids = np.concatenate((ids[kept], rows + ids[: MILLION * ADDED // 100]))
                writer.write_table(rows_of(ids, newer=newer), row_group_size=256 * 1024)
    return paths


def measured(script: str, *given: object) -> tuple[dict[str, float], dict[str, object], float]:
    """What a process says of itself, what it found, and its largest memory in MB."""
    clean = {k: v for k, v in os.environ.items() if not k.startswith("OPENBLAS_")}
    command = [sys.executable, "-W", "ignore", "-c", script, *map(str, given)]
    process = subprocess.Popen(command, env=clean, stdout=subprocess.PIPE, text=True)
    assert process.stdout
    said = [json.loads(line) for line in process.stdout]
    _, status, usage = os.wait4(process.pid, 0)
    assert os.waitstatus_to_exitcode(status) == 0, script
    return said[0], said[-1], usage.ru_maxrss / 1024


def main() -> None:
    """Measure both in turn, and print."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--rows", type=int, default=50)
    asked.add_argument("--memory", type=float, default=2)
    asked.add_argument("--runs", type=int, default=2)
    given = asked.parse_args()
    paths = versions(given.folder, given.rows)
    memory, spill = int(given.memory * 10**9), given.folder / "spill"
    spill.mkdir(exist_ok=True)
    print("| run | | seconds for the rows | peak MB of the process |\n|--:|---|--:|--:|")
    for run in range(given.runs):
        answers = []
        for name, script in (("Nachsicht", OURS), ("DuckDB's full join", JOIN)):
            said, found, peak = measured(script, *paths, memory, spill)
            answers.append(found)
            print(f"| {run + 1} | {name} | {said['seconds']:.1f} | {peak:.0f} |", flush=True)
        assert answers[0] == answers[1], answers
    print(f"\nBoth found: {answers[0]}")


if __name__ == "__main__":
    main()
