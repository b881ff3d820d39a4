"""What an engine would do, before it does it."""

from __future__ import annotations

import os

from nachsicht.config.settings import Settings
from nachsicht.engines.memory import fits, memory_of
from nachsicht.model.plan import Plan
from nachsicht.sources.protocol import Opened
from nachsicht.table.accumulate import CLUSTER_BYTES


def plan_of(opened: Opened, settings: Settings) -> Plan:
    """The plan for a source; nothing is read."""
    engine = opened.engine or settings.engine
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
