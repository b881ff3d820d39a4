"""Functions that each type has its own part of (`functools.singledispatch`)."""

from __future__ import annotations

from typing import Any


def has_own(function: Any, value: object) -> bool:
    """Whether a part is registered for the type of a value, or only the default would answer."""
    return function.dispatch(type(value)) is not function.dispatch(object)
