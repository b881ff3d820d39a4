"""Patterns that texts are compared with (RE2), and what makes them quick to be ready."""

from __future__ import annotations

_LETTER, _NO_SPACE_OR_DIGIT = r"\p{L}", r"[^\s\d]"


def loosely(pattern: str) -> str:
    """A pattern that fits whatever the given one does, and perhaps more.

    A class of all letters takes milliseconds to be prepared, for each column anew; most columns
    fail without it.
    """
    return pattern.replace(_LETTER, _NO_SPACE_OR_DIGIT)
