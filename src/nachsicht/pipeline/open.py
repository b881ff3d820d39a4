"""A source opened, and read where it fits in memory: all that needs none of the computing."""

from __future__ import annotations

import time
from typing import Any

import msgspec

from nachsicht._util.clock import seconds_since
from nachsicht.config.settings import Settings
from nachsicht.engines.memory import check_fits
from nachsicht.sources.protocol import Opened, Source


class Held(msgspec.Struct, frozen=True):
    """A source that is ready to be computed.

    Attributes
    ----------
    opened : Opened
    table : Arrow table, optional
        All rows, where they fit in memory.
    seconds : float
        That opening and reading took.
    """

    opened: Opened
    table: Any
    seconds: float


def held(source: Source, settings: Settings) -> Held:
    """Open a source, and read it where it is to be computed in memory."""
    started = time.perf_counter()
    opened = source.open()
    table = opened.table() if check_fits(opened, settings) else None
    return Held(opened, table, seconds_since(started))
