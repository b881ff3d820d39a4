"""One cell as text, as all of the page writes it."""

from __future__ import annotations

from typing import Any

import pyarrow as pa

from nachsicht.compute.arrays import missing_in
from nachsicht.compute.moments_in_time import observe_moments, time_type
from nachsicht.compute.texts import number_text

#: Longer texts of a row that is shown are cut.
MOST_LETTERS = 80


def short_text(one: Any) -> str | None:
    """As `cell_text`, cut to what fits into a table."""
    text = cell_text(one)
    if text is None or len(text) <= MOST_LETTERS:
        return text
    return text[: MOST_LETTERS - 1] + "…"


def cell_text(one: Any) -> str | None:
    """The only value of an Arrow array as text; None where it is missing."""
    if isinstance(one, pa.ChunkedArray):
        one = one.combine_chunks()
        one = one.chunk(0) if isinstance(one, pa.ChunkedArray) else one
    if missing_in(one)[0]:
        return None
    types, stored = pa.types, one.type
    if types.is_floating(stored) or types.is_integer(stored):
        return number_text(one[0].as_py())
    if types.is_boolean(stored):
        return str(one[0].as_py()).lower()
    if types.is_temporal(stored) and not (types.is_duration(stored) or types.is_interval(stored)):
        part = observe_moments(one)
        return time_type(stored).text(int(part.chunks[0][0]))
    return str(one[0].as_py())
