"""How values are written as text; the one author of it."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

#: Microseconds are the unit of every datetime inside.
MICROSECOND = 1_000_000
DAY = 86_400 * MICROSECOND
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def number_text(value: int | float) -> str:
    """The shortest text that gives the number back, without a needless ``.0``."""
    text = repr(float(value)) if isinstance(value, float) else str(int(value))
    return text.removesuffix(".0")


def datetime_text(microseconds: int, *, day_only: bool, clock: bool) -> str:
    """ISO 8601 text of a datetime counted in microseconds from 1970, or from midnight."""
    if clock:
        seconds, micro = divmod(microseconds, MICROSECOND)
        text = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
        return text + (f".{micro:06d}" if micro else "")
    try:
        moment = _EPOCH + timedelta(microseconds=microseconds)
    except OverflowError:
        return f"year {1970 + round(microseconds / (365.2425 * DAY))}"
    if day_only:
        return date(moment.year, moment.month, moment.day).isoformat()
    return moment.replace(tzinfo=None).isoformat(sep=" ")
