"""What an Arrow type holds."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc


def is_text(stored: Any) -> bool:
    """Whether an Arrow type holds texts."""
    types = pa.types
    return bool(
        types.is_string(stored) or types.is_large_string(stored) or types.is_string_view(stored)
    )


def is_text_or_levels(stored: Any) -> bool:
    """Whether an Arrow type holds texts, plain or in a dictionary."""
    return is_text(stored.value_type if pa.types.is_dictionary(stored) else stored)


def is_usable_pattern(pattern: str) -> bool:
    """Whether texts can be matched with a regular expression."""
    try:
        pc.match_substring_regex(pa.array([""]), f"^(?:{pattern})$")
    except pa.ArrowInvalid:
        return False
    return True
