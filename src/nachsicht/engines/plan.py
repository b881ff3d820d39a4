"""What an engine would do, before it does it."""

from __future__ import annotations

import os

from nachsicht.config.settings import Settings
from nachsicht.engines.memory import fits, memory_of
from nachsicht.errors import SettingsError
from nachsicht.model.plan import Plan
from nachsicht.sources.protocol import Opened
from nachsicht.table.accumulate import CLUSTER_BYTES


def plan_of(opened: Opened, settings: Settings) -> Plan:
    """The plan for a source; nothing is read.

    Raises
    ------
    SettingsError
        If the engine cannot compute it.
    """
    engine = opened.engine or settings.engine
    if engine == "sql":
        return _in_database(opened, settings)
    whole = engine == "local" and fits(opened, settings)
    pieces = 1 if whole else None
    # Where rows are is counted first, by one column; of text a piece must be read for that.
    passes = 1
    if engine != "local":
        parts = opened.pieces() if opened.pieces else None
        pieces = len(parts) if parts else pieces
        passes = 1 if parts and all(part.rows is not None for part in parts) else 2
    facts = opened.facts
    cluster = settings.memory_bytes or CLUSTER_BYTES
    memory = memory_of(settings) if engine == "local" else cluster
    data = None if opened.engine else opened.memory_bytes
    return Plan(
        source=facts.name,
        format=facts.format,
        source_bytes=facts.size_bytes,
        engine=engine,
        threads=settings.threads or os.cpu_count() or 1,
        pieces=pieces,
        passes=passes,
        data_bytes=data,
        memory_bytes=memory,
        exact=whole,
    )


def _in_database(opened: Opened, settings: Settings) -> Plan:
    check_in_database(opened, settings)
    return Plan(
        source=opened.facts.name,
        format=opened.facts.format,
        source_bytes=opened.facts.size_bytes,
        engine="sql",
        threads=settings.threads or os.cpu_count() or 1,
        pieces=None,
        passes=1,
        data_bytes=None,
        memory_bytes=memory_of(settings),
        exact=False,
    )


def check_in_database(opened: Opened, settings: Settings) -> None:
    """Refuse what no database can compute.

    Raises
    ------
    SettingsError
        If the source is no table or query of a database that is known well enough, or its rows are
        to be compared with a description.
    """
    if settings.reading.description:
        raise SettingsError("database_cannot_check", where="reading.description")
    if opened.database is None:
        raise SettingsError("engine_needs_database", where="engine", name=opened.facts.name)
