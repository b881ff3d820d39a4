"""Tables as plain Python and NumPy have them: records, columns by name, arrays, one column."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.errors import UnreadableSourceError
from nachsicht.sources.dataframes import BATCH_ROWS, FrameSource, opened_table, text_of
from nachsicht.sources.json.lines import column_of
from nachsicht.sources.json.objects import columns_of_records
from nachsicht.sources.protocol import Opened, Source, SourceFacts

#: The name of a column that has none.
_NAMELESS = "value"


class ObjectSource(msgspec.Struct, frozen=True):
    """An object, and what makes an Arrow table of it."""

    data: Any
    table: Callable[[Any], Any]
    label: str = ""

    def open(self) -> Opened:
        """Make the table."""
        kind = type(self.data).__name__
        try:
            table = self.table(self.data)
        except (pa.ArrowException, TypeError, ValueError) as error:
            raise UnreadableSourceError("frame_not_a_table", where=kind, error=error) from error
        return opened_table(table, SourceFacts(kind, "Python", None))


class LazySource(msgspec.Struct, frozen=True):
    """A lazy frame of Polars, which its own engine computes piece by piece."""

    data: Any
    label: str = ""

    def open(self) -> Opened:
        """Compute it as a stream, which needs less memory than its steps."""
        return FrameSource(self.data.collect(engine="streaming")).open()


class DatasetSource(msgspec.Struct, frozen=True):
    """A dataset or scanner of PyArrow, read piece by piece where it does not fit in memory."""

    data: Any
    label: str = ""

    def open(self) -> Opened:
        """Count its rows; a scanner that can be read but once is read at once."""
        kind = type(self.data).__name__
        facts = SourceFacts(kind, "pyarrow", None)
        if not hasattr(self.data, "scanner"):
            return opened_table(self.data.to_table(), facts)
        few = self.data.head(_TRIAL_ROWS)
        rows = self.data.count_rows()
        size = few.nbytes * rows // max(few.num_rows, 1)

        def batches() -> Iterator[tuple[Any, int]]:
            done = 0
            for batch in self.data.to_batches(batch_size=BATCH_ROWS):
                done += batch.nbytes
                yield batch, min(done, size)

        return Opened(facts, size, self.data.to_table, batches)


#: Rows that tell how much memory all of them take.
_TRIAL_ROWS = 4_096


def source_of_object(data: object) -> Source | None:
    """What reads an object that is no frame; None where it holds no table.

    No library is imported to find out.
    """
    for package, names, source in _OBJECTS:
        if _is_of(data, package, *names):
            return source(data)
    if isinstance(data, Mapping):
        return ObjectSource(data, _of_columns)
    if isinstance(data, list | tuple) and data and all(isinstance(r, Mapping) for r in data):
        return ObjectSource(data, _of_records)
    return None


def _is_of(data: object, package: str, *names: str) -> bool:
    """Whether an object is of a class of a package that may not be there."""
    module = sys.modules.get(package)
    return module is not None and any(isinstance(data, getattr(module, name)) for name in names)


def _name(series: Any) -> str:
    return _NAMELESS if series.name in (None, "") else text_of(series.name)


def _of_records(records: Sequence[Mapping[Any, Any]]) -> Any:
    plain = [{text_of(name): value for name, value in record.items()} for record in records]
    return _table(columns_of_records(plain))


def _of_columns(columns: Mapping[Any, Any]) -> Any:
    held = {text_of(name): values for name, values in columns.items()}
    for name, values in held.items():
        if isinstance(values, str | bytes | Mapping | set) or not hasattr(values, "__len__"):
            raise TypeError(f"{name} is no list of values")
    lengths = {len(values) for values in held.values()}
    if len(lengths) > 1:
        raise ValueError(f"columns of {min(lengths)} to {max(lengths)} values")
    return _table(held)


def _of_array(array: Any) -> Any:
    """Fields of a structured array, columns of a table of numbers, or one column."""
    if array.dtype.names:
        return _table({name: array[name] for name in array.dtype.names})
    if array.ndim == 1:
        return _table({_NAMELESS: array})
    if array.ndim != 2:
        raise ValueError(f"an array of {array.ndim} dimensions")
    return _table({f"{_NAMELESS}_{i}": array[:, i] for i in range(array.shape[1])})


def _table(columns: Mapping[str, Any]) -> Any:
    return pa.table({name: _column(values) for name, values in columns.items()})


def _column(values: Any) -> Any:
    if _is_of(values, "numpy", "ndarray") and values.dtype.kind != "O":
        if values.ndim != 1:
            raise ValueError(f"a column of {values.ndim} dimensions")
        return pa.array(values, from_pandas=True)
    if hasattr(values, "__arrow_c_array__") or _is_of(values, "pandas", "Series"):
        return pa.array(values, from_pandas=True)
    return column_of(list(values))


#: Classes of packages that may not be there, and what reads their objects.
_OBJECTS: tuple[tuple[str, tuple[str, ...], Callable[[Any], Source]], ...] = (
    ("polars", ("LazyFrame",), LazySource),
    ("pyarrow.dataset", ("Dataset", "Scanner"), DatasetSource),
    ("pandas", ("Series",), lambda series: FrameSource(series.to_frame(_name(series)))),
    ("polars", ("Series",), lambda series: FrameSource(series.alias(_name(series)).to_frame())),
    ("pyarrow", ("Array", "ChunkedArray"), lambda held: FrameSource(pa.table({_NAMELESS: held}))),
    ("numpy", ("ndarray",), lambda array: ObjectSource(array, _of_array)),
)
