"""Tables as plain Python and NumPy have them: records, columns by name, arrays, one column."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
import pyarrow as pa

from nachsicht.errors import SourceError, UnreadableSourceError
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


class QuerySource(msgspec.Struct, frozen=True):
    """Rows that their library computes when they are read, piece by piece where they do not fit.

    Attributes
    ----------
    data : object
    library : str
    count : callable
        How many rows there are.
    head : callable
        The first rows, as an Arrow table.
    stream : callable
        All rows, as record batches.
    """

    data: Any
    library: str
    count: Callable[[Any], int]
    head: Callable[[Any, int], Any]
    stream: Callable[[Any], Iterable[Any]]
    label: str = ""

    def open(self) -> Opened:
        """Count the rows, and look at the first ones."""
        facts = SourceFacts(type(self.data).__name__, self.library, None)
        few = self.head(self.data, _TRIAL_ROWS)
        rows = self.count(self.data)
        size = few.nbytes * rows // max(few.num_rows, 1)

        def batches() -> Iterator[tuple[Any, int]]:
            done = 0
            for batch in self.stream(self.data):
                done += batch.nbytes
                yield batch, min(done, size)

        def table() -> Any:
            return pa.Table.from_batches((batch for batch, _ in batches()), few.schema)

        return Opened(facts, size, table, batches)


#: Rows that tell how much memory all of them take.
_TRIAL_ROWS = 4_096


def source_of_object(data: Any, columns: Sequence[str] | None = None) -> Source | None:
    """What reads an object that is no frame; None where it holds no table.

    No library is imported to find out.

    Parameters
    ----------
    data : object
        Whatever a user gave.
    columns : sequence of str, optional
        Names of the columns of an array that has none.

    Raises
    ------
    SourceError
        If names are given for what is no such array.
    """
    if columns is not None:
        if not _is_of(data, "numpy", "ndarray") or data.dtype.names:
            raise SourceError("columns_without_array", where=type(data).__name__)
        return ObjectSource(data, lambda array: _of_array(array, columns))
    for known in OBJECTS:
        if _is_of(data, known.package, *known.names):
            return known.source(data)
    if isinstance(data, Mapping):
        return ObjectSource(data, _of_columns)
    if isinstance(data, list | tuple) and data and all(isinstance(r, Mapping) for r in data):
        return ObjectSource(data, _of_records)
    return None


def _is_of(data: object, package: str, *names: str) -> bool:
    """Whether an object is of a class of a package that may not be there."""
    module = sys.modules.get(package)
    return any(isinstance(data, getattr(module, name, ())) for name in names)


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


def _of_array(array: Any, names: Sequence[str] | None = None) -> Any:
    """Fields of a structured array, columns of a table of numbers, or one column."""
    if array.dtype.names:
        return _table({name: array[name] for name in array.dtype.names})
    if array.ndim not in (1, 2):
        raise ValueError(f"an array of {array.ndim} dimensions")
    columns = [array] if array.ndim == 1 else [array[:, i] for i in range(array.shape[1])]
    if names is None:
        names = (
            [_NAMELESS] if array.ndim == 1 else [f"{_NAMELESS}_{i}" for i in range(len(columns))]
        )
    if len(names) != len(columns):
        raise ValueError(f"{len(names)} names for {len(columns)} columns")
    return pa.table([_column(values) for values in columns], names=list(names))


def _of_grid(data: Any) -> Any:
    """Arrays along named axes: a row a cell, the axes and the arrays being columns."""
    frame = data.to_dataframe(**({"name": _name(data)} if hasattr(data, "name") else {}))
    return pa.Table.from_pandas(frame.reset_index(), preserve_index=False)


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


class ObjectType(NamedTuple):
    """Classes of a package that may not be there, and what reads their objects."""

    package: str
    names: tuple[str, ...]
    source: Callable[[Any], Source]
    streamed: bool = False


def _dataset(data: Any) -> Source:
    return QuerySource(
        data,
        "pyarrow",
        lambda data: int(data.count_rows()),
        lambda data, rows: data.head(rows),
        lambda data: data.to_batches(batch_size=BATCH_ROWS),
    )


def _relation(data: Any) -> Source:
    return QuerySource(
        data,
        "DuckDB",
        lambda data: int(data.aggregate("count(*)").fetchall()[0][0]),
        lambda data, rows: pa.table(data.limit(rows)),
        pa.RecordBatchReader.from_stream,
    )


#: All that are read besides frames; the first that fits reads an object.
OBJECTS = (
    ObjectType("polars", ("LazyFrame",), LazySource),
    ObjectType("pyarrow.dataset", ("Dataset",), _dataset, streamed=True),
    ObjectType(
        "pyarrow.dataset", ("Scanner",), lambda held: ObjectSource(held, lambda of: of.to_table())
    ),
    ObjectType("duckdb", ("DuckDBPyRelation",), _relation, streamed=True),
    # Some of its engines can be asked in the thread alone that connected to them.
    ObjectType(
        "ibis.expr.types", ("Table",), lambda held: ObjectSource(held, lambda of: of.to_pyarrow())
    ),
    ObjectType("xarray", ("Dataset", "DataArray"), lambda data: ObjectSource(data, _of_grid)),
    ObjectType("pandas", ("Series",), lambda held: FrameSource(held.to_frame(_name(held)))),
    ObjectType("polars", ("Series",), lambda held: FrameSource(held.alias(_name(held)).to_frame())),
    ObjectType(
        "pyarrow", ("Array", "ChunkedArray"), lambda held: FrameSource(pa.table({_NAMELESS: held}))
    ),
    ObjectType("numpy", ("ndarray",), lambda array: ObjectSource(array, _of_array)),
)
