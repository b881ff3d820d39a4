"""The engines, each registered with what it needs, and the one that data or settings ask for."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import msgspec

from nachsicht._util.progress import ProgressListener
from nachsicht.config.settings import Settings
from nachsicht.errors import SettingsError
from nachsicht.sources.protocol import Opened
from nachsicht.table.matched import MatchableRows
from nachsicht.table.reader import TableReader
from nachsicht.table.result import Computed, RetainedData


class EngineResult(NamedTuple):
    """What a profile is made of, and the rows: in memory, to be read again, or in a database."""

    computed: Computed
    data: RetainedData | None = None
    reader: TableReader | None = None
    in_database: MatchableRows | None = None


#: Computes a profile: the source, settings, who hears of progress, and the time as of which dates
#: lie in the future.
Run = Callable[[Opened, Settings, ProgressListener, int | None], EngineResult]


class Engine(msgspec.Struct, frozen=True):
    """An engine: what computes with it, and the packages without which it cannot be imported."""

    run: Run
    packages: tuple[str, ...] = ()


def _local(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None
) -> EngineResult:
    from nachsicht.engines.local import run_local

    return EngineResult(*run_local(opened, settings, listener, now))


def _dask(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None
) -> EngineResult:
    from nachsicht.engines.dask import run_dask

    computed, reader = run_dask(opened, settings, listener, now)
    return EngineResult(computed, None, reader)


def _spark(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None
) -> EngineResult:
    from nachsicht.engines.spark import run_spark

    computed, reader = run_spark(opened, settings, listener, now)
    return EngineResult(computed, None, reader)


def _sql(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None
) -> EngineResult:
    from nachsicht.engines.sql import run_sql

    computed, rows = run_sql(opened, settings, listener, now)
    return EngineResult(computed, in_database=rows)


ENGINES: dict[str, Engine] = {
    "local": Engine(_local),
    "dask": Engine(_dask, ("dask", "distributed")),
    "spark": Engine(_spark, ("pyspark",)),
    "sql": Engine(_sql, ("sqlalchemy",)),
}


def run_engine(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> EngineResult:
    """Compute all parts of a profile with the engine that the data or the settings ask for.

    Raises
    ------
    SettingsError
        If the engine's package is not installed.
    """
    name = opened.engine or settings.engine
    engine = ENGINES[name]
    try:
        return engine.run(opened, settings, listener, now)
    except ModuleNotFoundError as error:
        if (error.name or "").split(".")[0] not in engine.packages:
            raise
        raise SettingsError(
            "package_not_installed", where=f"engine {name}", name=error.name, engine=name
        ) from error
