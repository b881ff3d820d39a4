"""Numbers, shares and sizes as a person reads them, in the signs of the current language."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from nachsicht.i18n.catalogue import catalogue


def _signed(text: str) -> str:
    """A number written with decimal point and commas, in the signs of the language."""
    signs = catalogue()["numbers"]
    return text.translate({ord("."): signs["decimal"], ord(","): signs["group"]})


def counted(n: int) -> str:
    """A whole number: small ones as words, large ones in groups of three digits."""
    small: list[str] = catalogue()["numbers"]["small"]
    return small[n] if 0 <= n < len(small) else whole(n)


def whole(n: int) -> str:
    """A whole number with a separator between groups of three digits."""
    return _signed(f"{n:,}")


#: Counts of fewer rows are not told; 0 where all are.
_smallest: ContextVar[int] = ContextVar("smallest_group", default=0)


@contextmanager
def no_group_below(rows: int) -> Iterator[None]:
    """Tell `count` and `count_share` of no group of fewer rows."""
    token = _smallest.set(rows)
    try:
        yield
    finally:
        _smallest.reset(token)


def is_too_small(rows: int) -> bool:
    """Whether there are rows, but fewer than may be told."""
    return 0 < rows < _smallest.get()


def count(rows: int) -> str:
    """How many rows there are, or that there are fewer than may be told."""
    return f"< {whole(_smallest.get())}" if is_too_small(rows) else whole(rows)


def count_share(rows: int, of: int) -> str:
    """Which share of rows that is, per cent; of fewer rows than may be told what it is below."""
    if not of:
        return percent(0)
    return f"< {percent(_smallest.get() / of)}" if is_too_small(rows) else percent(rows / of)


def number(value: float, digits: int = 3) -> str:
    """A number rounded to so many significant digits, in powers of ten only where unavoidable."""
    return _signed(plain_number(value, digits))


def plain_number(value: float, digits: int = 3) -> str:
    """A number as `number` rounds it, with decimal point and commas in every language."""
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else str(value)
    size = math.floor(math.log10(abs(value)))
    if size >= 15 or size < -5:
        return f"{value:.{digits - 1}e}"
    decimals = max(0, digits - 1 - size)
    text = f"{value:,.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def hundredths(value: float) -> str:
    """A number with two decimals, as strengths and distances are shown."""
    return _signed(f"{value:.2f}")


def percent(share: float) -> str:
    """A share as per cent, with a decimal below ten, and never 0 for what is not nothing."""
    value = 100 * share
    if value == 0:
        return "0 %"
    if abs(value) < 0.1:
        words = catalogue()["numbers"]
        return _signed(words["under"] if value > 0 else words["over"])
    if 99.5 <= abs(value) < 100:  # all but some are not all
        return _signed(f"{math.copysign(min(abs(value), 99.9), value):.1f} %")
    return _signed(f"{value:.1f} %" if abs(value) < 9.95 else f"{value:.0f} %")


def size(n: int) -> str:
    """Bytes, in the unit that suits."""
    value = float(n)
    for unit in ("B", "kB", "MB", "GB"):
        if value < 1000:
            return f"{number(value)} {unit}"
        value /= 1000
    return f"{number(value)} TB"
