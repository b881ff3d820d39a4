"""Frames that live in memory: pandas, and anything with the Arrow PyCapsule interface."""

from __future__ import annotations

import sys
from dataclasses import dataclass
from typing import Any

import pyarrow as pa

from nachsicht.contracts import SourceFacts
from nachsicht.errors import SourceUnreadable


def gives_table(data: object) -> bool:
    """Whether an object is a frame, without importing a frame library."""
    return (
        _is_pandas(data)
        or hasattr(data, "__arrow_c_stream__")
        or hasattr(data, "__arrow_c_array__")
    )


def _is_pandas(data: object) -> bool:
    pandas = sys.modules.get("pandas")
    return pandas is not None and isinstance(data, pandas.DataFrame)


@dataclass(frozen=True)
class FrameSource:
    """A frame in memory; read without a copy where its library allows."""

    data: Any
    label: str = ""

    def read(self) -> tuple[Any, SourceFacts]:
        """The frame as an Arrow table."""
        library = type(self.data).__module__.split(".")[0]
        notes: tuple[str, ...] = ()
        try:
            if _is_pandas(self.data):
                table, notes = _from_pandas(self.data)
            elif hasattr(self.data, "__arrow_c_stream__"):
                table = pa.table(self.data)
            else:
                table = pa.Table.from_batches([pa.record_batch(self.data)])
        except (pa.ArrowException, TypeError, ValueError) as error:
            raise SourceUnreadable(
                f"the frame does not hold a table ({error})", where=type(self.data).__name__
            ) from error
        name = f"{type(self.data).__name__} in memory"
        return table, SourceFacts(name, library, None, notes)


def _from_pandas(frame: Any) -> tuple[Any, tuple[str, ...]]:
    """Column by column, so that one odd column does not spoil the others.

    A named or non-default index becomes columns. Columns of mixed objects become text, and
    a note says so.
    """
    import pandas as pd

    if not (isinstance(frame.index, pd.RangeIndex) and frame.index.name is None):
        frame = frame.reset_index(allow_duplicates=True)
    names, arrays, notes = [], [], []
    for position, name in enumerate(frame.columns):
        text = " / ".join(map(str, name)) if isinstance(name, tuple) else str(name)
        series = frame.iloc[:, position]
        try:
            array = pa.array(series, from_pandas=True)
        except (pa.ArrowException, TypeError, ValueError, OverflowError):
            gaps = series.isna()
            texts = [None if gap else str(value) for gap, value in zip(gaps, series, strict=True)]
            array = pa.array(texts, pa.large_string())
            notes.append(f"{text}: mixed objects, read as text")
        names.append(text)
        arrays.append(array if isinstance(array, pa.ChunkedArray) else pa.chunked_array([array]))
    if not arrays:
        return pa.table({}), ()
    return pa.Table.from_arrays(arrays, names=names), tuple(notes)
