"""Measures everything in one run and writes docs/benchmarks.md: `make bench`.

Every line is a whole process, timed from outside, with the operating system's own account of
its peak memory. Ratios are of figures from this one run.
"""

from __future__ import annotations

import compileall
import gzip
import os
import platform
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from importlib.metadata import version
from pathlib import Path
from typing import NamedTuple

import data

import nachsicht

HERE = Path(__file__).parent
#: So often the tools take their turn.
ROUNDS = 5
CODE = (
    "import nachsicht, sys; nachsicht.profile(sys.argv[1], **eval(sys.argv[2])).write(sys.argv[3])"
)

COMPARE = "import nachsicht, sys; nachsicht.compare(*sys.argv[1:3]).write(sys.argv[3])"


class Measured(NamedTuple):
    """Wall seconds and those of the processor (the median run), and peak memory (the largest)."""

    seconds: float
    megabytes: float
    processor: float


def measure(command: Sequence[object], runs: int = 3, **environment: str) -> Measured:
    """Run a command several times; it must succeed."""
    return together([once(command, **environment) for _ in range(runs)])


def together(runs: Sequence[Measured]) -> Measured:
    """Several runs as one."""
    median = sorted(runs)[len(runs) // 2]
    return median._replace(megabytes=max(run.megabytes for run in runs))


def once(command: Sequence[object], **environment: str) -> Measured:
    """Run a command."""
    own = clean_environment() | environment
    started = time.perf_counter()
    process = subprocess.Popen([*map(str, command)], env=own, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    seconds = time.perf_counter() - started
    process.returncode = os.waitstatus_to_exitcode(status)
    assert process.returncode == 0, command
    return Measured(seconds, usage.ru_maxrss / 1024, usage.ru_utime + usage.ru_stime)


def clean_environment() -> dict[str, str]:
    """Without what is set for old builds of OpenBLAS: it slows a current NumPy."""
    return {k: v for k, v in os.environ.items() if not k.startswith("OPENBLAS_")}


def prepare(folder: Path) -> None:
    """Make the data in a process of its own: a child begins with its parent's peak of memory."""
    make = (
        f"import data, pathlib; folder = pathlib.Path({str(folder)!r}); "
        "old = data.mixed_file(folder, 1_000_000); data.shuffled_file(folder, old); "
        "data.mixed_file(folder, 10_000_000); data.csv_file(folder, 3.0); "
        "data.text_files(folder); data.wide_files(folder)"
    )
    subprocess.run([sys.executable, "-c", make], check=True, cwd=HERE)


def side_by_side(folder: Path, lines: list[str]) -> None:
    """The battery in each tool, over a million rows of 30 columns."""
    path = data.mixed_file(folder, 1_000_000)
    names = ("bare_read", "nachsicht", "pandas", "polars", "duckdb")
    # In turn, since a machine is not equally fast at all times.
    rounds = [
        {n: once([sys.executable, HERE / "batteries.py", n, path]) for n in names}
        for _ in range(ROUNDS)
    ]
    found = {n: together([measured[n] for measured in rounds]) for n in names}
    own = found["nachsicht"]
    lines += [
        "## One million rows, 30 columns, Parquet",
        "",
        "| | seconds | Nachsicht takes | peak MB |",
        "|---|--:|--:|--:|",
    ]
    for name, measured in found.items():
        ratio = own.seconds / measured.seconds
        lines.append(
            f"| {name.replace('_', ' ')} | {measured.seconds:.2f} | {ratio:.3f} × | "
            f"{measured.megabytes:.0f} |"
        )
    lines += [
        "",
        f"Each is the median of {ROUNDS} runs, in which all took their turn. "
        "Nachsicht's figure is a whole `nachsicht.profile` with the page written, relations of all "
        "pairs over all rows included.",
        "",
    ]


def straight(folder: Path, lines: list[str]) -> None:
    """How time and memory grow."""
    rows = []
    one, ten = data.mixed_file(folder, 1_000_000), data.mixed_file(folder, 10_000_000)
    before = measure([sys.executable, "-c", CODE, one, "{}", folder / "x.html"])
    found = measure([sys.executable, "-c", CODE, one, "{}", folder / "x.html"], NACHSICHT_PLAIN="1")
    printed = f"{found.seconds / before.seconds:.1f} × the compiled kernels just before"
    rows.append(("1,000,000 × 30 Parquet, plain kernels", found, printed))
    found = measure([sys.executable, "-c", CODE, ten, "{}", folder / "x.html"], runs=1)
    printed = f"{found.seconds / before.seconds:.1f} × 1 M rows just before"
    rows.append(("10,000,000 × 30 Parquet", found, printed))
    wide, kinds, one, two, small = (folder / name for name in data.WIDE)
    found = measure([sys.executable, "-c", CODE, wide, "{}", folder / "x.html"])
    rows.append(("4,695 × 882 zeros and ones", found, ""))
    found = measure([sys.executable, "-c", CODE, kinds, "{}", folder / "x.html"])
    rows.append(("2,000 × 900 of six kinds", found, ""))
    found = measure([sys.executable, "-c", COMPARE, one, two, folder / "x.json"], runs=1)
    size = (folder / "x.json").stat().st_size / 1e6
    packed = len(gzip.compress((folder / "x.json").read_bytes())) / 1e6
    printed = f"document of {size:.1f} MB, {packed:.2f} MB as .json.gz"
    rows.append(("two of 2,000 × 2,000 zeros and ones", found, printed))
    found = measure([sys.executable, "-m", "nachsicht", "profile", small, "-q"])
    rows.append(("400 × 9 CSV, the command", found, ""))
    found = measure([sys.executable, "-m", "nachsicht", "--version"])
    rows.append(("nachsicht --version", found, ""))
    lines += ["## How it grows", "", "| | seconds | peak MB | |", "|---|--:|--:|---|"]
    lines += [
        f"| {n} | {m.seconds:.2f} | {m.megabytes:.0f} | {printed} |" for n, m, printed in rows
    ]
    lines += [""]


def phases(folder: Path, lines: list[str]) -> None:
    """Where the time goes."""
    big = data.mixed_file(folder, 1_000_000)
    _, kinds, one, two, small = (folder / name for name in data.WIDE)
    cases = (
        ("1,000,000 × 30 Parquet, page written", "x.html", (big,)),
        (
            "two of 1,000,000 × 30 compared, page written",
            "x.html",
            (big, data.shuffled_file(folder, big)),
        ),
        ("2,000 × 900 of six kinds, page written", "x.html", (kinds,)),
        ("two of 2,000 × 2,000 zeros and ones compared, document written", "x.json", (one, two)),
        ("400 × 9 CSV, page written", "x.html", (small,)),
    )
    lines += ["## Where the time goes", ""]
    for title, output, files in cases:
        printed = subprocess.run(
            [sys.executable, HERE / "phases.py", folder / output, *files],
            capture_output=True, text=True, check=True, env=clean_environment(),
        )  # fmt: skip
        lines += [f"| {title} | seconds | processor time |", "|---|--:|--:|"]
        lines += [*printed.stdout.splitlines(), ""]


def in_pieces(folder: Path, lines: list[str]) -> None:
    """Text in pieces beside the same in memory; and a large file beside others."""
    lines += [
        "## Text in pieces",
        "",
        "| 1,000,000 × 10 | seconds in memory | in pieces, of 300 MB | processor time | peak MB |",
        "|---|--:|--:|--:|--:|",
    ]
    for path in (folder / name for name in data.TEXTS):
        whole, pieces = (
            measure([sys.executable, "-c", CODE, path, options, folder / "x.html"])
            for options in ("{}", "{'memory_bytes': 300_000_000}")
        )
        lines.append(
            f"| {path.name} | {whole.seconds:.2f} | {pieces.seconds:.2f} | "
            f"{pieces.processor / whole.processor:.2f} × | {pieces.megabytes:.0f} |"
        )
    text = data.csv_file(folder, 3.0)
    lines += ["", "| 3 GB CSV | seconds | peak MB |", "|---|--:|--:|"]
    for name in ("nachsicht_in_pieces", "polars_streaming", "duckdb_in_pieces"):
        found = once([sys.executable, HERE / "batteries.py", name, text])
        lines.append(f"| {name.replace('_', ' ')} | {found.seconds:.0f} | {found.megabytes:.0f} |")
    lines += [
        "",
        "Nachsicht and DuckDB were given 500 MB; DuckDB first makes a database file of the text, "
        "which takes as much disk as the rows need. Polars cannot be given a limit.",
        "",
    ]


def comparing(folder: Path, lines: list[str]) -> None:
    """Two million-row files, compared; and their rows by a key."""
    old = data.mixed_file(folder, 1_000_000)
    new = data.shuffled_file(folder, old)
    one = measure([sys.executable, "-c", CODE, old, "{}", folder / "x.html"])
    both = measure([sys.executable, "-c", COMPARE, old, new, folder / "x.html"])
    rows = subprocess.run(
        [sys.executable, HERE / "rows_by_key.py", old, new],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    lines += [
        "## Comparing two files of 1,000,000 × 30",
        "",
        "| | seconds | one profile | peak MB |",
        "|---|--:|--:|--:|",
        f"| one profile, page written | {one.seconds:.1f} | 1.0 × | {one.megabytes:.0f} |",
        f"| comparison, page written | {both.seconds:.1f} | {both.seconds / one.seconds:.1f} × "
        f"| {both.megabytes:.0f} |",
        "",
        f"Row changes by key of both tables in memory: {rows.stdout.strip()}.",
        "",
    ]


def relating(lines: list[str]) -> None:
    """All pairs of columns, in memory."""
    printed = subprocess.run(
        [sys.executable, HERE / "relations.py"],
        capture_output=True, text=True, check=True, env=clean_environment(),
    )  # fmt: skip
    lines += ["## Relations", "", f"All pairs in memory: {printed.stdout.strip()}.", ""]


def main() -> None:
    """Measure, write the page of results, and print it."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp())
    folder.mkdir(exist_ok=True)
    tools = ("nachsicht", "numpy", "pyarrow", "scipy", "pandas", "polars", "duckdb")
    cores, memory = os.cpu_count(), os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    lines = [
        "# Benchmarks",
        "",
        "Written by `make bench`; every figure is from one run. The batteries stand in "
        "`benchmarks/batteries.py`, the data in `benchmarks/data.py`.",
        "",
        f"Machine: {platform.machine()}, {cores} cores, {memory / 1e9:.0f} GB. "
        f"Python {platform.python_version()}, {', '.join(f'{t} {version(t)}' for t in tools)}.",
        "",
    ]
    # As an installation does: modules that are compiled each time would be timed, too.
    compileall.compile_dir(Path(nachsicht.__file__).parent, quiet=1)
    prepare(folder)
    side_by_side(folder, lines)
    relating(lines)
    comparing(folder, lines)
    in_pieces(folder, lines)
    straight(folder, lines)
    phases(folder, lines)
    text = "\n".join(lines) + "\n"
    (HERE.parent / "docs" / "benchmarks.md").write_text(text)
    print(text)


if __name__ == "__main__":
    main()
