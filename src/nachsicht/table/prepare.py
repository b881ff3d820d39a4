"""What is done to each batch before all else: omit, mask, and mark values as missing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.buffers import arrow_of, arrow_texts, values_of
from nachsicht.arrow.dictionary import with_columns
from nachsicht.arrow.normalize import normalize_types
from nachsicht.config.settings import Settings, no_column
from nachsicht.errors import MOST_COLUMNS, MOST_DEPTH, too_deep, too_wide
from nachsicht.table.masking import pseudonyms


def prepared(batch: Any, settings: Settings, mask_key: bytes | None = None) -> Any:
    """A table or record batch as it should be examined.

    Columns to omit are gone, those to mask hold pseudonyms, marked values are null, and there
    are no types but Arrow's own. With nothing to do the batch itself is returned. The key of
    masks is that of this process, unless one is given.

    Raises
    ------
    SettingsError
        If a column to omit or to mask is not there: what was to be hidden would stand in clear
        under another name.
    """
    names = batch.schema.names
    _refuse_deep(batch.schema)
    refuse_unknown(names, settings.mask, "mask")
    refuse_unknown(names, [name for name in settings.omit if not _is_pattern(name)], "omit")
    batch = _without(batch, settings.omit)
    if batch.num_columns > MOST_COLUMNS:
        raise too_wide(batch.num_columns, batch.num_rows)
    batch = normalize_types(_without_extensions(batch))
    batch = _without_null_levels(batch)
    batch = mark_missing(batch, settings.na_values, settings.na_values_by_column)
    return _masked(batch, settings.mask, mask_key)


def _without_extensions(batch: Any) -> Any:
    """Types that others added to Arrow's, as what they are stored as; UUIDs as their texts."""
    if not any(isinstance(stored, pa.BaseExtensionType) for stored in batch.schema.types):
        return batch
    return with_columns(batch, [_storage(column) for column in batch.columns])


def _storage(array: Any) -> Any:
    if not isinstance(array.type, pa.BaseExtensionType):
        return array
    if isinstance(array, pa.ChunkedArray):
        stored = [_storage(chunk) for chunk in array.chunks]
        return pa.chunked_array(stored, None if stored else array.type.storage_type)
    if array.type.extension_name == "arrow.uuid":
        return _uuids(array)
    if array.type.extension_name == "arrow.bool8":
        return array.storage.cast(pa.bool_())
    return array.storage


def _uuids(array: Any) -> Any:
    written = arrow_texts([str(value) for value in array.to_pylist()])
    return pc.if_else(array.is_valid(), written, pa.scalar(None, written.type))


def _without_null_levels(batch: Any) -> Any:
    """Dictionaries whose levels are all there: Arrow puts no others together."""
    if not any(pa.types.is_dictionary(stored) for stored in batch.schema.types):
        return batch
    return with_columns(batch, [_levels(column) for column in batch.columns])


def _levels(array: Any) -> Any:
    """An array whose places are null, not its levels, if it is of a dictionary."""
    if not pa.types.is_dictionary(array.type):
        return array
    if isinstance(array, pa.ChunkedArray):
        return pa.chunked_array([_levels(chunk) for chunk in array.chunks], array.type)
    words, kind = array.dictionary, array.type
    if not words.null_count:
        return array
    there = words.is_valid()
    places = arrow_of(np.cumsum(values_of(there)) - 1).cast(kind.index_type)
    places = pc.if_else(there, places, pa.scalar(None, kind.index_type)).take(array.indices)
    return pa.DictionaryArray.from_arrays(places, words.drop_null(), ordered=kind.ordered)


def _without(batch: Any, patterns: Sequence[str]) -> Any:
    names = batch.schema.names
    kept = [i for i, name in enumerate(names) if not _any_fits(name, patterns)]
    return batch if len(kept) == len(names) else batch.select(kept)


def _masked(batch: Any, patterns: Sequence[str], key: bytes | None) -> Any:
    names = batch.schema.names
    hidden = {i for i, name in enumerate(names) if _any_fits(name, patterns)}
    if not hidden:
        return batch
    columns = [
        pseudonyms(column, key) if i in hidden else column for i, column in enumerate(batch.columns)
    ]
    return with_columns(batch, columns)


def _refuse_deep(schema: Any) -> None:
    """Refuse values nested so deep that those who look into them would lose their way."""
    for field in schema:
        if pa.types.is_nested(field.type) and str(field.type).count("<") > MOST_DEPTH:
            raise too_deep(field.name)


def refuse_unknown(names: Sequence[str], patterns: Sequence[str], setting: str) -> None:
    """Refuse a name that no column has, or a pattern that fits none.

    Raises
    ------
    SettingsError
        With the nearest name that there is.
    """
    for pattern in patterns:
        if not any(name == pattern or fnmatchcase(name, pattern) for name in names):
            raise no_column(pattern, names, setting)


def _is_pattern(name: str) -> bool:
    return any(sign in name for sign in "*?[")


def fitting(names: Sequence[str], patterns: Sequence[str]) -> list[str]:
    """The names that are one of some patterns, or fit one."""
    return [name for name in names if _any_fits(name, patterns)]


def _any_fits(name: str, patterns: Sequence[str]) -> bool:
    return any(name == pattern or fnmatchcase(name, pattern) for pattern in patterns)


def mark_missing(
    batch: Any, marks: Sequence[str], marks_in: Mapping[str, Sequence[str]] | None = None
) -> Any:
    """A table or record batch whose marked values are null.

    Parameters
    ----------
    batch : Arrow table or record batch
        Left as it is; without marks it is returned itself.
    marks : sequence of str
        Compared with texts as they are, and with numbers where a mark is one. Dates, flags
        and nested columns are not looked into.
    marks_in : mapping, optional
        More marks, of single columns by their names.
    """
    marks_in = marks_in or {}
    if not marks and not marks_in:
        return batch
    names = batch.schema.names
    columns = [
        _marked(column, own) if (own := (*marks, *marks_in.get(name, ()))) else column
        for name, column in zip(names, batch.columns, strict=True)
    ]
    return with_columns(batch, columns)


def _marked(array: Any, marks: Sequence[str]) -> Any:
    if isinstance(array, pa.ChunkedArray):
        chunks = [_marked(chunk, marks) for chunk in array.chunks]
        return pa.chunked_array(chunks, array.type)
    types, stored = pa.types, array.type
    if types.is_dictionary(stored):
        words = array.dictionary
        marked = _marked(words, marks)
        if marked is words:
            return array
        ordered = array.type.ordered
        return _levels(pa.DictionaryArray.from_arrays(array.indices, marked, ordered=ordered))
    standing = _standing_for(stored, marks)
    if standing is None or not len(standing):
        return array
    found = pc.is_in(array, standing)
    # Before version 24 `if_else` gave a slice of texts wrong offsets.
    nothing = pa.scalar(None, stored)
    return pc.replace_with_mask(array, found, nothing) if pc.any(found).as_py() else array


def _standing_for(stored: Any, marks: Sequence[str]) -> Any:
    """The marks as values of a type; None for types that are not looked into."""
    types = pa.types
    if types.is_string(stored) or types.is_large_string(stored) or types.is_string_view(stored):
        return arrow_texts(marks).cast(stored)
    if not (types.is_integer(stored) or types.is_floating(stored)):
        return None
    numbers = [number for mark in marks if (number := _number(mark)) is not None]
    if types.is_integer(stored):
        numbers = [n for n in numbers if n.is_integer() and _fits(int(n), stored)]
    return arrow_of(np.array(numbers, np.float64)).cast(stored, safe=False)


def _fits(number: int, stored: Any) -> bool:
    signed = pa.types.is_signed_integer(stored)
    low = -(2 ** (stored.bit_width - 1)) if signed else 0
    return bool(low <= number < low + 2**stored.bit_width)


def _number(mark: str) -> float | None:
    try:
        return float(mark)
    except ValueError:
        return None
