"""Forms of Arrow that no rows can be taken from: views inside of other values, and runs."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.dictionary import with_columns

_LARGE = {pa.string_view(): pa.large_string(), pa.binary_view(): pa.large_binary()}


def normalize_types(batch: Any) -> Any:
    """A table or record batch with runs spelt out, and large texts and bytes inside of others.

    Columns that are views themselves are left: they can be cast piece by piece.
    """
    kinds = [_usual(stored) for stored in batch.schema.types]
    if kinds == batch.schema.types:
        return batch
    return with_columns(
        batch, [_cast(column, kind) for column, kind in zip(batch.columns, kinds, strict=True)]
    )


def _usual(stored: Any, *, inside: bool = False) -> Any:
    if inside and stored in _LARGE:
        return _LARGE[stored]
    if pa.types.is_run_end_encoded(stored):
        return _usual(stored.value_type, inside=inside)
    if pa.types.is_dictionary(stored):
        value = _usual(stored.value_type, inside=True)
        return pa.dictionary(stored.index_type, value, ordered=stored.ordered)
    if not pa.types.is_nested(stored):
        return stored
    children = [stored.field(i) for i in range(stored.num_fields)]
    changed = [child.with_type(_usual(child.type, inside=True)) for child in children]
    return stored if changed == children else _of_children(stored, changed)


def _of_children(stored: Any, children: list[Any]) -> Any:
    """The type with other types inside."""
    types = pa.types
    if types.is_struct(stored):
        return pa.struct(children)
    if types.is_fixed_size_list(stored):
        return pa.list_(children[0], stored.list_size)
    if types.is_map(stored):
        return pa.map_(*(child.type for child in children[0].type.fields))
    make = {types.is_list: pa.list_, types.is_large_list: pa.large_list}
    return next((made(children[0]) for fits, made in make.items() if fits(stored)), stored)


def _cast(array: Any, kind: Any) -> Any:
    if pa.types.is_run_end_encoded(array.type):
        array = pc.run_end_decode(array)
    if not pa.types.is_dictionary(kind) or array.type == kind:
        return array.cast(kind)
    if isinstance(array, pa.ChunkedArray):
        return pa.chunked_array([_cast(chunk, kind) for chunk in array.chunks], kind)
    levels = array.dictionary.cast(kind.value_type)
    return pa.DictionaryArray.from_arrays(array.indices, levels, ordered=kind.ordered)
