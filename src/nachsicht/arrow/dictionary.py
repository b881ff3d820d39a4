"""Texts that were read as levels and codes, though they are stored one by one.

A file that keeps each of its few texts once is read so: nothing is spelt out for every row, to
be found equal again. What is reported of such a column is shown as if it had been.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pyarrow as pa

#: Of the metadata of a field; what stands under it is the name of a type.
_KEY = b"nachsicht.stored"
_TEXTS = {str(kind).encode(): kind for kind in (pa.string(), pa.large_string())}


def read_as_levels(field: Any, stored: Any) -> Any:
    """The field of a dictionary of texts that are stored as plain ones of a type."""
    return field.with_metadata({**(field.metadata or {}), _KEY: str(stored).encode()})


def stored_type(field: Any) -> Any:
    """The Arrow type in which a column is stored."""
    recorded = (field.metadata or {}).get(_KEY)
    if recorded is None or not pa.types.is_dictionary(field.type):
        return field.type
    return _TEXTS.get(recorded, field.type)  # a file may bring metadata of any kind


def with_columns(data: Any, columns: list[Any]) -> Any:
    """A table or record batch of other columns with the same names.

    How they are stored is known of those that still have the same type.
    """
    fields = [
        pa.field(field.name, column.type, metadata=field.metadata)
        if field.type == column.type
        else pa.field(field.name, column.type)
        for field, column in zip(data.schema, columns, strict=True)
    ]
    return type(data).from_arrays(columns, schema=pa.schema(fields))


def level_orders_of(table: Any) -> dict[str, Sequence[str]]:
    """The levels of ordered dictionaries of texts in their order, by the names of the columns."""
    found: dict[str, Sequence[str]] = {}
    for field, column in zip(table.schema, table.columns, strict=True):
        stored = field.type
        if not (pa.types.is_dictionary(stored) and stored.ordered):
            continue
        if pa.types.is_string(stored.value_type) or pa.types.is_large_string(stored.value_type):
            one = column.unify_dictionaries()
            found[field.name] = one.chunk(0).dictionary.to_pylist() if one.num_chunks else ()
    return found
