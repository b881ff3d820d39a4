"""How much memory may be used, and what fits in it."""

from __future__ import annotations

import os

from nachsicht.config.settings import Settings
from nachsicht.errors import UnreadableSourceError
from nachsicht.i18n import size
from nachsicht.sources.protocol import Opened

#: Memory that computing takes, in memories of the data.
_WORKING = 3
_UNTOLD_MEMORY = 2 << 30


def fits(opened: Opened, settings: Settings) -> bool:
    """Whether the data is computed in memory, exactly."""
    if opened.engine or settings.engine != "local":
        return False
    if not settings.memory_bytes:
        return opened.memory_bytes <= memory_of(settings)
    # Memory that was stated is kept: computing takes twice as much again as the data.
    return _WORKING * opened.memory_bytes <= settings.memory_bytes


def check_fits(opened: Opened, settings: Settings) -> bool:
    """As `fits`; refuses what cannot be read in pieces and does not fit.

    Raises
    ------
    UnreadableSourceError
        With the memory that it would take.
    """
    here = fits(opened, settings)
    if opened.whole and not here and not opened.engine and settings.engine == "local":
        needed = opened.memory_bytes * (_WORKING if settings.memory_bytes else 1)
        raise UnreadableSourceError(
            "too_large_at_once",
            where=opened.facts.name,
            size=size(needed),
            size2=size(memory_of(settings)),
        )
    return here


def memory_of(settings: Settings) -> int:
    """Bytes that may be used: the setting, or a quarter of the machine's memory."""
    if settings.memory_bytes:
        return settings.memory_bytes
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 4
    except (AttributeError, ValueError, OSError):  # where the system does not tell
        return _UNTOLD_MEMORY
