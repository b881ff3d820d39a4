"""Frames that live in memory: pandas, and anything with the Arrow PyCapsule interface."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.errors import UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.protocol import Opened, SourceFacts

#: Types of pandas whose values are shown as texts.
_AS_TEXTS = ("PeriodDtype", "IntervalDtype")
#: Rows of a batch where a frame is streamed.
BATCH_ROWS = 1 << 17


def gives_table(data: object) -> bool:
    """Whether an object is a frame, without importing a frame library."""
    return (
        _is_pandas(data)
        or hasattr(data, "__arrow_c_stream__")
        or hasattr(data, "__arrow_c_array__")
    )


def text_of(value: object) -> str:
    """An object as text, or its type where it cannot be shown as text."""
    try:
        return str(value)
    except Exception:
        return f"<{type(value).__name__}>"


def _plain(series: Any) -> Any:
    """A column of pandas; periods and intervals, which Arrow knows by numbers alone, as texts."""
    kind = type(series.dtype).__name__
    if kind == "CategoricalDtype" and type(series.cat.categories.dtype).__name__ in _AS_TEXTS:
        texts = series.cat.categories.astype(str)
        return series.cat.rename_categories(texts)
    if kind not in _AS_TEXTS:
        return series
    return series.astype("string").mask(series.isna())


def _is_pandas(data: object) -> bool:
    pandas = sys.modules.get("pandas")
    return pandas is not None and isinstance(data, pandas.DataFrame)


class FrameSource(msgspec.Struct, frozen=True):
    """A frame in memory; read without a copy where its library allows."""

    data: Any
    label: str = ""

    def open(self) -> Opened:
        """The frame as an Arrow table."""
        library = type(self.data).__module__.split(".")[0]
        notes: list[Note] = []
        try:
            if _is_pandas(self.data):
                table = table_of_pandas(self.data, notes)
            elif hasattr(self.data, "__arrow_c_stream__"):
                table = pa.table(self.data)
            else:
                table = pa.Table.from_batches([pa.record_batch(self.data)])
        except (pa.ArrowException, TypeError, ValueError) as error:
            raise UnreadableSourceError(
                "frame_not_a_table", where=type(self.data).__name__, error=error
            ) from error
        facts = SourceFacts(type(self.data).__name__, library, None, notes)
        return opened_table(_measurable(table), facts)


def _measurable(table: Any) -> Any:
    """A table whose size Arrow can tell; before version 24 it could not where texts are views."""
    try:
        _ = table.nbytes
    except pa.ArrowTypeError:
        # Nor could all of them cast views.
        kinds = [_without_views(column.type) for column in table.columns]
        columns = [
            column if column.type == kind else pa.array(column.to_pylist(), kind)
            for column, kind in zip(table.columns, kinds, strict=True)
        ]
        return pa.table(columns, names=table.schema.names)
    return table


def _without_views(stored: Any) -> Any:
    """The type that holds the same values, its texts and bytes spelt out in one buffer."""
    types = pa.types
    if types.is_string_view(stored):
        found = pa.large_string()
    elif types.is_binary_view(stored):
        found = pa.large_binary()
    elif types.is_dictionary(stored):
        found = _without_views(stored.value_type)
    elif types.is_struct(stored):
        found = pa.struct([f.with_type(_without_views(f.type)) for f in stored])
    elif types.is_map(stored):
        found = pa.map_(_without_views(stored.key_type), _without_views(stored.item_type))
    elif types.is_fixed_size_list(stored):
        found = pa.list_(_without_views(stored.value_type), stored.list_size)
    elif types.is_list(stored):
        found = pa.list_(_without_views(stored.value_type))
    elif types.is_large_list(stored):
        found = pa.large_list(_without_views(stored.value_type))
    else:
        found = stored
    return found


def detached(table: Any) -> Any:
    """A copy of what may share its memory with a frame that its owner can still change."""
    shared = [i for i, field in enumerate(table.schema) if pa.types.is_primitive(field.type)]
    if not shared:
        return table
    kept = pa.BufferOutputStream()
    part = table.select(shared)
    with pa.ipc.new_stream(kept, part.schema) as stream:
        stream.write_table(part)
    copied = pa.ipc.open_stream(kept.getvalue()).read_all()
    for place, i in enumerate(shared):
        table = table.set_column(i, table.schema.field(i), copied.column(place))
    return table


def opened_table(table: Any, facts: SourceFacts) -> Opened:
    """A table that is in memory already."""

    def batches() -> Iterator[tuple[Any, int]]:
        done = 0
        for batch in table.to_batches(max_chunksize=BATCH_ROWS):
            done += batch.nbytes
            yield batch, done

    return Opened(facts, table.nbytes, lambda: table, batches)


def table_of_pandas(frame: Any, notes: list[Note]) -> Any:
    """Column by column, so that one odd column does not spoil the others.

    An index that says something becomes columns: one with a name, or of other things than the
    whole numbers that sorting and filtering leave behind. Columns of mixed objects become
    text, and a note says so.
    """
    import pandas as pd

    leftover = frame.index.name is None and pd.api.types.is_integer_dtype(frame.index)
    if frame.index.nlevels > 1 or not leftover:
        frame = frame.reset_index(allow_duplicates=True)
    names, arrays = [], []
    for position, name in enumerate(frame.columns):
        text = " / ".join(map(str, name)) if isinstance(name, tuple) else str(name)
        series = frame.iloc[:, position]
        try:
            array = pa.array(_plain(series), from_pandas=True)
        except Exception:  # objects may do as they like
            gaps = series.isna()
            values = zip(gaps, series, strict=True)
            texts = [None if gap else text_of(value) for gap, value in values]
            array = pa.array(texts, pa.large_string())
            notes.append(Note("mixed_objects", {"column": text}))
        names.append(text)
        arrays.append(array if isinstance(array, pa.ChunkedArray) else pa.chunked_array([array]))
    return pa.Table.from_arrays(arrays, names=names) if arrays else pa.table({})
