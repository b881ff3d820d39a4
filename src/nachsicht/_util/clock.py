"""The time, and how long work took; both can be fixed, for results that can be made again."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime


def seconds_since(started: float) -> float:
    """Seconds of work; 0 where results should be made again to the byte."""
    fixed = "SOURCE_DATE_EPOCH" in os.environ
    return 0.0 if fixed else round(time.perf_counter() - started, 3)


def now() -> datetime:
    """The time of now, or that of SOURCE_DATE_EPOCH for results that can be made again."""
    fixed = os.environ.get("SOURCE_DATE_EPOCH")
    return datetime.fromtimestamp(int(fixed), UTC) if fixed else datetime.now(UTC)
