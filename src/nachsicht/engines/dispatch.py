"""The engine that data or settings ask for, at work."""

from __future__ import annotations

from nachsicht._util.progress import ProgressListener
from nachsicht.config.settings import Settings
from nachsicht.errors import SettingsError
from nachsicht.sources.protocol import Opened
from nachsicht.table.result import Computed, RetainedData


def run_engine(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, RetainedData | None]:
    """Compute all parts of a profile with the engine that the data or the settings ask for.

    Returns
    -------
    (what a profile is made of, the data where it is in the memory of this process)

    Raises
    ------
    SettingsError
        If the engine's package is not installed.
    """
    engine = opened.engine or settings.engine
    try:
        if engine == "dask":
            from nachsicht.engines.dask import run_dask

            return run_dask(opened, settings, listener, now), None
        if engine == "spark":
            from nachsicht.engines.spark import run_spark

            return run_spark(opened, settings, listener, now), None
    except ModuleNotFoundError as error:
        if (error.name or "").split(".")[0] not in ("dask", "distributed", "pyspark"):
            raise
        raise SettingsError(
            "package_not_installed", where=f"engine {engine}", name=error.name, engine=engine
        ) from error
    from nachsicht.engines.local import run_local

    return run_local(opened, settings, listener, now)
