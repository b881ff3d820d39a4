"""One cell as text, as all of the page writes it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pyarrow as pa

from nachsicht.arrow.buffers import missing_in
from nachsicht.arrow.format import number_text
from nachsicht.columns.datetime import observe_datetimes, time_type

#: Longer texts of a row that is shown are cut.
MOST_LETTERS = 80


def short_texts(array: Any) -> list[str | None]:
    """As `cell_texts`, each cut to what fits into a table."""
    return [
        text if text is None or len(text) <= MOST_LETTERS else text[: MOST_LETTERS - 1] + "…"
        for text in cell_texts(array)
    ]


def rows_of_texts(table: Any, rows: int) -> list[tuple[str | None, ...]]:
    """So many rows of an Arrow table as short texts; empty ones where it has no column."""
    columns = [short_texts(column) for column in table.columns]
    return list(zip(*columns, strict=True)) if columns else [()] * rows


def cell_text(one: Any) -> str | None:
    """The only value of an Arrow array as text; None where it is missing."""
    return cell_texts(one)[0]


def cell_texts(array: Any) -> list[str | None]:
    """The values of a short Arrow array, chunked or not, as texts; None where they are missing."""
    types, stored = pa.types, array.type
    if types.is_dictionary(stored):
        return cell_texts(array.cast(stored.value_type))
    missing = missing_in(array).tolist()
    if types.is_temporal(stored) and not (types.is_duration(stored) or types.is_interval(stored)):
        of, chunks = time_type(stored), observe_datetimes(array).chunks
        there = iter([moment for chunk in chunks for moment in chunk.tolist()])
        return [None if gone else of.text(next(there)) for gone in missing]
    written: Callable[[Any], str] = str
    if types.is_floating(stored) or types.is_integer(stored):
        written = number_text
    elif types.is_boolean(stored):
        written = _flag_text
    values = zip(missing, array.to_pylist(), strict=True)
    return [None if gone else written(value) for gone, value in values]


def _flag_text(value: bool) -> str:
    return str(value).lower()
