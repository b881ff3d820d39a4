"""Every word that a person reads, in one catalogue; another language is one more file."""

from __future__ import annotations

import math
from functools import cache
from typing import Any


@cache
def catalogue(language: str = "en") -> dict[str, Any]:
    """The catalogue of a language, as nested tables."""
    import tomllib
    from importlib.resources import files

    text = files(__name__).joinpath("locales", f"{language}.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def phrase(path: str, /, **facts: object) -> str:
    """A phrase of the catalogue with its facts filled in, e.g. ``phrase("verdict.steady", n=3)``.

    Where the catalogue has a table of ``one`` and ``other``, the fact ``n`` chooses (plural rule).
    """
    entry: Any = catalogue()
    for step in path.split("."):
        entry = entry[step]
    if isinstance(entry, dict):
        entry = entry["one" if facts.get("n") == 1 else "other"]
    return str(entry).format(**facts)


def counted(n: int) -> str:
    """A whole number: small ones as words, large ones in groups of three digits."""
    small: list[str] = catalogue()["numbers"]["small"]
    return small[n] if 0 <= n < len(small) else whole(n)


def whole(n: int) -> str:
    """A whole number with a thin separator between groups of three digits."""
    return f"{n:,}"


def number(value: float, digits: int = 3) -> str:
    """A number rounded to so many significant digits, never in powers of ten where avoidable."""
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else str(value)
    size = math.floor(math.log10(abs(value)))
    if size >= 15 or size < -5:
        return f"{value:.{digits - 1}e}"
    decimals = max(0, digits - 1 - size)
    text = f"{value:,.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def percent(share: float) -> str:
    """A share as per cent, with a decimal below ten, and never 0 for what is not nothing."""
    value = 100 * share
    if value == 0:
        return "0 %"
    if abs(value) < 0.1:
        return "under 0.1 %" if value > 0 else "over -0.1 %"
    if 99.5 <= abs(value) < 100:  # all but some are not all
        return f"{math.copysign(min(abs(value), 99.9), value):.1f} %"
    return f"{value:.1f} %" if abs(value) < 9.95 else f"{value:.0f} %"


def size(n: int) -> str:
    """Bytes, in the unit that suits."""
    value = float(n)
    for unit in ("B", "kB", "MB", "GB"):
        if value < 1000:
            return f"{number(value)} {unit}"
        value /= 1000
    return f"{number(value)} TB"


def printable(text: str) -> str:
    """A text of the user's or of the data in one line, without signs that a terminal would obey."""
    return "".join(letter if letter.isprintable() else "�" for letter in text)


def quoted(text: str, most: int = 40) -> str:
    """A value in quotation marks, cut where it is long."""
    return f"“{text if len(text) <= most else text[: most - 1] + '…'}”"


def level_text(text: str) -> str:
    """A level of a column in quotation marks; rows without a value are called so."""
    return quoted(text) if text else phrase("page.missing")
