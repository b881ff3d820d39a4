"""Dataframes that live on a cluster, Dask's and Spark's: their own engine computes them."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import Any

import msgspec

from nachsicht.errors import SourceError
from nachsicht.sources.dataframes import table_of_pandas
from nachsicht.sources.protocol import Opened, SourceFacts


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
        frame = _delayed(self.data) if self.engine == "dask" else self.data
        return Opened(facts, sys.maxsize, _refuse, _no_batches, engine=self.engine, frame=frame)


def _delayed(frame: Any) -> tuple[list[Any], Any]:
    """Delayed Arrow tables, and what computes how many rows each has."""
    from dask import delayed

    tables = [delayed(_table)(part) for part in frame.to_delayed()]
    # One column tells; readers of files then read no other.
    return tables, frame.iloc[:, :1].map_partitions(len)


def _table(frame: Any) -> Any:
    return table_of_pandas(frame, [])


def _refuse() -> Any:
    raise SourceError("on_cluster", where="a dataframe of a cluster")


def _no_batches() -> Iterator[tuple[Any, int]]:
    _refuse()
    yield from ()
