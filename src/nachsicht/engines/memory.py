"""How much memory may be used, and what fits in it."""

from __future__ import annotations

import os

from nachsicht.contracts import Opened
from nachsicht.settings import Settings

#: Memory that computing takes, in memories of the data.
_WORKING = 2
_UNTOLD_MEMORY = 2 << 30


def fits(opened: Opened, settings: Settings) -> bool:
    """Whether the data is computed in memory, exactly."""
    if opened.engine or settings.engine != "local":
        return False
    if not settings.memory_bytes:
        return opened.memory_bytes <= memory_of(settings)
    # Memory that was stated is kept: computing takes as much again as the data.
    return _WORKING * opened.memory_bytes <= settings.memory_bytes


def memory_of(settings: Settings) -> int:
    """Bytes that may be used: the setting, or a quarter of the machine's memory."""
    if settings.memory_bytes:
        return settings.memory_bytes
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 4
    except (AttributeError, ValueError, OSError):  # where the system does not tell
        return _UNTOLD_MEMORY
