"""A hundred million rows in little memory, on this machine's cores and on clusters of them.

``python benchmarks/scale.py FOLDER`` makes the parts (about 5 GB), measures, holds the estimates
against DuckDB's exact answers and prints the tables of docs/scaling.md. ``--rows 20`` and the
like (in millions) makes it smaller.
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
#: What is asked for: a profile, or two groups of the rows.
PROFILE, GROUPS = "profile(data, **options)", "compare_groups(data, 'seen', **options)"
MEMORY = 1_000_000_000
SEED = 20_251_102
LEVELS = np.array([f"level {i}" for i in range(12)])

ENGINES = {
    "local": "data, options = sys.argv[1], {{'memory_bytes': {memory}}}",
    "dask": (
        "from distributed import Client, LocalCluster; import atexit; "
        "cluster = LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None); "
        "client = Client(cluster); data, options = sys.argv[1], {{'engine': 'dask'}}"
    ),
    "spark, which reads itself": (
        "from pyspark.sql import SparkSession; "
        "session = SparkSession.builder.master('local[2]').config('spark.ui.enabled', 'false')"
        ".config('spark.driver.memory', '4g').getOrCreate(); "
        "data, options = sys.argv[1], {{'engine': 'spark'}}"
    ),
    "spark": (
        "from pyspark.sql import SparkSession; "
        "session = SparkSession.builder.master('local[2]').config('spark.ui.enabled', 'false')"
        ".config('spark.driver.memory', '4g').getOrCreate(); "
        "data, options = session.read.parquet(sys.argv[1]), {{}}"
    ),
}
RUN = """
import os, sys, time, json, nachsicht
if __name__ == "__main__":
    {prepare}
    started = time.perf_counter()
    made = nachsicht.{call}
    made.write(sys.argv[2])
    print(json.dumps(time.perf_counter() - started), flush=True)
    os._exit(0)
"""


def part(number: int) -> pa.Table:
    """A million rows of ten columns."""
    rng = np.random.default_rng(SEED + number)
    start = np.datetime64("2015-01-01T00:00:00", "s")
    base = rng.normal(size=MILLION)
    columns: dict[str, object] = {
        "check_id": np.arange(number * MILLION, (number + 1) * MILLION),
        "moment": start + rng.integers(0, 10 * 365 * 86_400, MILLION).astype("timedelta64[s]"),
    }
    for i in range(3):
        columns[f"normal_{i}"] = 20 + 3 * (0.4 * base + rng.normal(size=MILLION))
    columns["log_normal"] = rng.lognormal(1, 0.8, MILLION)
    columns["poisson"] = rng.poisson(5, MILLION)
    columns["level"] = LEVELS[rng.integers(0, 12, MILLION)]
    kinds = pa.array([f"kind {k:05d}" for k in range(20_001)])
    columns["zipf"] = kinds.take(pa.array(np.minimum(rng.zipf(1.3, MILLION), 20_000)))
    columns["seen"] = pa.array(rng.random(MILLION) < 0.3, mask=rng.random(MILLION) < 0.05)
    return pa.table(columns)


def parts(folder: Path, millions: int) -> Path:
    """A folder of so many part files."""
    place = folder / f"parts_{millions}"
    place.mkdir(parents=True, exist_ok=True)
    for number in range(millions):
        path = place / f"part_{number:03d}.parquet"
        if not path.exists():
            pq.write_table(part(number), path, row_group_size=256 * 1024)
    return place


def measure(engine: str, data: Path, out: Path, call: str = PROFILE) -> tuple[float, float]:
    """Seconds and the largest memory (MB) of the process that drives; it must succeed."""
    clean = {k: v for k, v in os.environ.items() if not k.startswith("OPENBLAS_")}
    clean["PYSPARK_PYTHON"] = sys.executable
    script = out.with_suffix(".py")
    script.write_text(RUN.format(prepare=ENGINES[engine].format(memory=MEMORY), call=call))
    command = [sys.executable, "-W", "ignore", str(script), str(data), str(out)]
    process = subprocess.Popen(command, env=clean, stdout=subprocess.PIPE, text=True)
    assert process.stdout
    seconds = json.loads(process.stdout.read().splitlines()[-1])
    _, status, usage = os.wait4(process.pid, 0)
    assert os.waitstatus_to_exitcode(status) == 0, engine
    return seconds, usage.ru_maxrss / 1024


def bounds(data: Path, document: Path) -> list[str]:
    """The estimates of a document against exact answers, as lines of a table."""
    import duckdb

    import nachsicht

    lines = []
    rows = f"read_parquet('{data}/*.parquet')"
    read = nachsicht.read(document)
    assert isinstance(read, nachsicht.Profile)
    for column in read.document.columns:
        if column.error_bounds is None:
            continue
        name = column.name
        (exact,) = duckdb.sql(f"select count(distinct {name}) from {rows}").fetchall()[0]
        off = abs(column.distinct - exact) / exact
        line = [f"| {name} | {off:.4f} (≤ {column.error_bounds.distinct_rel:.4f}) |"]
        worst = 0.0
        points = getattr(column.stats, "quantiles", ())
        if points:
            asked = ", ".join(f"avg(({name} < ?)::int), avg(({name} <= ?)::int)" for _ in points)
            values = [point.value for point in points for _ in range(2)]
            shares = duckdb.execute(
                f"select {asked} from {rows} where {name} is not null", values
            ).fetchall()[0]
            for point, low, high in zip(points, shares[::2], shares[1::2], strict=True):
                worst = max(worst, low - point.share, point.share - high)
        line.append(f" {worst:.5f} (≤ {column.error_bounds.rank:.5f}) |")
        lines.append("".join(line))
    return lines


def relations(data: Path, document: Path) -> list[str]:
    """Relations of all rows against those that SciPy's ranks give, as lines of a table."""
    import pyarrow.compute as pc
    import scipy.stats

    import nachsicht

    read = nachsicht.read(document)
    assert isinstance(read, nachsicht.Profile)
    table = pq.read_table(data)

    def ranked(name: str) -> np.ndarray:
        return scipy.stats.rankdata(table[name].to_numpy())

    quantities = [c.name for c in read.document.columns if c.kind in ("quantity", "datetime")]
    ranks = {name: ranked(name) for name in quantities if not table[name].null_count}
    off: dict[str, list[tuple[float, float]]] = {}
    for pair in read.document.relations.pairs:
        if not pair.error_bound or not {pair.x, pair.y} & {*ranks}:
            continue
        if pair.measure == "spearman":
            exact = np.corrcoef(ranks[pair.x], ranks[pair.y])[0, 1]
        else:
            level, quantity = sorted((pair.x, pair.y), key=lambda name: name in ranks)
            codes = pc.dictionary_encode(table[level].combine_chunks()).indices
            codes = codes.fill_null(-1).to_numpy(zero_copy_only=False)
            exact = eta(lumped(codes), ranks[quantity])
        off.setdefault(pair.measure, []).append((abs(pair.value - exact), pair.error_bound))
    lines = []
    for measure, found in off.items():
        assert all(d <= bound for d, bound in found), (measure, found)
        worst, bound = (max(figures) for figures in zip(*found, strict=True))
        lines.append(f"| {measure} | {len(found)} | {worst:.1e} | {bound:.4f} |")
    return lines


def lumped(codes: np.ndarray) -> np.ndarray:
    """Of many levels the 23 most frequent ones, and one for all others."""
    counts = np.bincount(codes[codes >= 0])
    if len(counts) <= 24:
        return codes
    new = np.full(len(counts), 23)
    new[np.argsort(-counts, kind="stable")[:23]] = np.arange(23)
    return np.where(codes >= 0, new[codes], -1)


def eta(codes: np.ndarray, ranks: np.ndarray) -> float:
    """The root of the adjusted share of the variance of ranks between levels."""
    ranks, codes = ranks[codes >= 0], codes[codes >= 0]
    counts, sums = np.bincount(codes), np.bincount(codes, ranks)
    within = (ranks @ ranks) - (sums**2 / counts).sum()
    total = (ranks @ ranks) - len(ranks) * ranks.mean() ** 2
    left = within / total * (len(ranks) - 1) / (len(ranks) - len(counts))
    return float(np.sqrt(max(1 - left, 0)))


def groups(data: Path, document: Path) -> list[str]:
    """Groups beside DuckDB's answers, as lines of a table: rows and different values exactly."""
    import duckdb

    import nachsicht

    read = nachsicht.read(document)
    assert isinstance(read, nachsicht.Comparison)
    lines = []
    for group in read.versions:
        (exact,) = duckdb.execute(
            "select count(*), avg(normal_0), max(log_normal) from read_parquet(?) where seen = ?",
            [f"{data}/*.parquet", group.label == "true"],
        ).fetchall()
        found = group.document.rows, group["normal_0"].mean, group["log_normal"].maximum
        assert np.allclose(found, exact, rtol=1e-12), (found, exact)
        lines.append(f"| {group.label} | {found[0]:,} | the same |")
    return lines


def by_kind(folder: Path) -> list[str]:
    """What one more column of a kind costs for a million rows: twelve of it less two of it."""
    whole = part(0)
    words = np.array(["calm", "queen", "brood", "frames", "mites", "honey", "roof", "swarm"])
    picked = words[np.random.default_rng(SEED).integers(0, 8, (MILLION, 5))]
    sorts = {
        "quantity, continuous": whole["normal_0"],
        "quantity, counts": whole["poisson"],
        "category, 12 levels": whole["level"],
        "category, 20,000 levels": whole["zipf"],
        "flag": whole["seen"],
        "moment": whole["moment"],
        "identifier, text": pa.array([f"C-{i:08d}" for i in range(MILLION)]),
        "text, five words": pa.array([f"{i} " + " ".join(row) for i, row in enumerate(picked)]),
    }
    lines = []
    for name, column in sorts.items():
        took = {}
        for n in (2, 12):
            path = folder / "kind.parquet"
            pq.write_table(pa.table([column] * n, [f"c{i}" for i in range(n)]), path)
            took[n], _ = measure("local", path, folder / "kind.html")
        lines.append(f"| {name} | {(took[12] - took[2]) / 10:.2f} |")
    return lines


def main() -> None:
    """Measure and print."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--rows", type=int, nargs="*", default=[10, 100])
    asked.add_argument("--clusters", type=int, default=20)
    asked.add_argument("--kinds", action="store_true", help="only what a column of a kind costs")
    given = asked.parse_args()
    if given.kinds:
        print("| one more column | seconds per million rows |\n|---|--:|")
        print("\n".join(by_kind(given.folder)))
        return
    out, other = given.folder / "scale.json", given.folder / "engines.json"
    print("| rows | engine | seconds | seconds per million rows | peak MB |\n|--:|---|--:|--:|--:|")
    for millions in given.rows:
        seconds, peak = measure("local", parts(given.folder, millions), out)
        line = f"| {millions} M | local | {seconds:.0f} | {seconds / millions:.2f} | {peak:.0f} |"
        print(line, flush=True)
    for engine in ENGINES if given.clusters else ():
        data = parts(given.folder, given.clusters)
        seconds, peak = measure(engine, data, other)
        each = seconds / given.clusters
        line = f"| {given.clusters} M | {engine} | {seconds:.0f} | {each:.2f} | {peak:.0f} |"
        print(line, flush=True)
    if given.clusters:
        data = parts(given.folder, given.clusters)
        seconds, peak = measure("local", data, other, GROUPS)
        each = seconds / given.clusters
        print(
            f"| {given.clusters} M | local, two groups | {seconds:.0f} | {each:.2f} | {peak:.0f} |"
        )
        print("\n| group | rows | rows, mean and largest value beside DuckDB's |\n|---|--:|---|")
        print("\n".join(groups(data, other)), flush=True)
        measure("local", data, other)
        print("\n| relations | pairs | off by at most | largest bound |\n|---|--:|--:|--:|")
        print("\n".join(relations(parts(given.folder, given.clusters), other)))
    if given.rows:  # last: a child begins with its parent's peak of memory
        columns = json.loads(out.read_text())["columns"]
        size = out.stat().st_size / 1000
        print(f"\nDocument: {size:.0f} kB, {size / len(columns):.0f} kB a column.\n")
        print("| column | distinct, off by | ranks, off by at most |\n|---|--:|--:|")
        print("\n".join(bounds(parts(given.folder, given.rows[-1]), out)))


if __name__ == "__main__":
    main()
