"""Dataframes that live on a cluster, Dask's and Spark's: their own engine computes them."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.errors import SourceError
from nachsicht.sources.dataframes import table_of_pandas
from nachsicht.sources.protocol import DividedRows, Opened, SourceFacts, Tally


def cluster_of(data: object) -> str:
    """The engine that holds a frame, or nothing; no library is imported to find out."""
    dask = sys.modules.get("dask.dataframe")
    if dask is not None and isinstance(data, dask.DataFrame):
        return "dask"
    names = {f"{kind.__module__}.{kind.__name__}" for kind in type(data).__mro__}
    return "spark" if "pyspark.sql.dataframe.DataFrame" in names else ""


class ClusterFrame(msgspec.Struct, frozen=True):
    """A frame of Dask or Spark."""

    data: Any
    engine: str
    label: str = ""

    def open(self) -> Opened:
        """What its engine needs; nothing is computed yet."""
        library = self.engine.capitalize()
        facts = SourceFacts(f"{library} DataFrame", library, None)
        rows = DaskRows.of(self.data) if self.engine == "dask" else SparkRows(self.data)
        return Opened(facts, sys.maxsize, _refuse, _no_batches, engine=self.engine, frame=rows)


class DaskRows(NamedTuple):
    """Rows with Dask's workers: ``tables`` are delayed Arrow tables.

    ``lengths`` computes how many rows each has.
    """

    names: Sequence[str]
    tables: list[Any]
    lengths: Any

    @staticmethod
    def of(frame: Any) -> DaskRows:
        """Those of a dataframe."""
        from dask import delayed

        tables = [delayed(_table)(part) for part in frame.to_delayed()]
        # One column tells; readers of files then read no other.
        lengths = frame.iloc[:, :1].map_partitions(len)
        return DaskRows([str(name) for name in frame.columns], tables, lengths)

    def tally(self, name: str, most: int) -> Tally | None:
        """As `DividedRows`."""
        from dask import compute, delayed

        found = compute(*(delayed(_tallied)(table, name, most) for table in self.tables))
        if any(part is None for part in found):
            return None
        merged = pa.concat_tables(found, promote_options="permissive").group_by("value")
        merged = merged.aggregate([("n", "sum")])
        return _tally(merged["value"], merged["n_sum"], most)

    def among(self, by: str, values: Sequence[Any], *, together: bool, others: bool) -> DividedRows:
        """As `DividedRows`."""
        from dask import delayed

        tables = [delayed(_among)(table, by, values, together, others) for table in self.tables]
        return DaskRows(self.names, tables, delayed(list)([delayed(len)(t) for t in tables]))


class SparkRows(NamedTuple):
    """Rows that Spark holds."""

    frame: Any

    @property
    def names(self) -> Sequence[str]:
        """Of the columns."""
        names: list[str] = self.frame.columns
        return names

    def tally(self, name: str, most: int) -> Tally | None:
        """As `DividedRows`."""
        value = self._column(name)
        counted = self.frame.where(value.isNotNull()).groupBy(value.alias("value")).count()
        found = counted.limit(most + 1).toArrow()
        return _tally(found["value"], found["count"], most)

    def among(self, by: str, values: Sequence[Any], *, together: bool, others: bool) -> DividedRows:
        """As `DividedRows`."""
        value = self._column(by)
        meant = value.between(values[0], values[-1]) if together else value.isin(list(values))
        return SparkRows(self.frame.where(value.isNotNull() & ~meant if others else meant))

    def _column(self, name: str) -> Any:
        return self.frame["`" + name.replace("`", "``") + "`"]


def _table(frame: Any) -> Any:
    return table_of_pandas(frame, [])


def _tallied(table: Any, name: str, most: int) -> Any:
    """The different values of a piece; None where there are too many of them."""
    column = _plain(table.column(name)).drop_null()
    values, counts = pc.value_counts(column).flatten()
    return pa.table({"value": values, "n": counts}) if len(values) <= most else None


def _tally(values: Any, counts: Any, most: int) -> Tally | None:
    if len(values) > most:
        return None
    return Tally(values.to_pylist(), np.asarray(counts, np.int64))


def _among(table: Any, by: str, values: Sequence[Any], together: bool, others: bool) -> Any:
    column = _plain(table.column(by))
    known = pa.array(values, column.type)
    if together:
        meant = pc.and_(pc.greater_equal(column, known[0]), pc.less_equal(column, known[-1]))
    else:
        meant = pc.is_in(column, known)
    return table.filter(pc.and_(pc.is_valid(column), pc.invert(meant)) if others else meant)


def _plain(column: Any) -> Any:
    """A column of levels as their values."""
    stored = column.type
    return column.cast(stored.value_type) if pa.types.is_dictionary(stored) else column


def _refuse() -> Any:
    raise SourceError("on_cluster", where="a dataframe of a cluster")


def _no_batches() -> Iterator[tuple[Any, int]]:
    _refuse()
    yield from ()
