"""How Spark's executors come to rows: those of a dataframe, or pieces that they read themselves.

Where rows stand is told by places: partitions of a dataframe, or pieces, in the order of the rows.
"""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterator, Sequence
from itertools import accumulate
from typing import Any, Protocol

import msgspec
import pyarrow as pa

from nachsicht.sources.protocol import Piece, runs_of

#: Rows that are observed at once; Spark's own batches are small.
BATCH_ROWS = 1 << 17

#: Takes a place, and its rows as Arrow tables with the number of the first of each, from 0.
PlaceWork = Callable[[int, Iterator[tuple[Any, int]]], Iterator[Any]]


class SparkPlaces(Protocol):
    """Rows in places."""

    @property
    def session(self) -> Any:
        """Spark's own."""

    def counted(self) -> dict[int, int]:
        """How many rows each place has."""

    def first(self, rows: int, counts: dict[int, int]) -> Any:
        """About so many of the first rows, as an Arrow table."""

    def map(self, work: PlaceWork, starts: dict[int, int], schema: str) -> Any:
        """A frame of what the work gives, place by place, where the rows are."""


def starts_of(counts: dict[int, int]) -> dict[int, int]:
    """The number of the first row of each place."""
    places = sorted(counts)
    before = [0, *accumulate(counts[place] for place in places)]
    return dict(zip(places, before, strict=False))


class FramePlaces(msgspec.Struct, frozen=True):
    """The partitions of a dataframe."""

    frame: Any

    @property
    def session(self) -> Any:
        """That of the frame."""
        return self.frame.sparkSession

    def counted(self) -> dict[int, int]:
        """Spark counts them itself, by no column."""
        from pyspark.sql import functions

        place = functions.spark_partition_id().alias("place")
        return dict(self.frame.groupBy(place).count().collect())

    def first(self, rows: int, _counts: dict[int, int]) -> Any:
        """The beginning of the frame."""
        return self.frame.limit(rows).toArrow()

    def map(self, work: PlaceWork, starts: dict[int, int], schema: str) -> Any:
        """Rows come to Python through Arrow."""

        def run(batches: Iterator[Any]) -> Iterator[Any]:
            from pyspark import TaskContext

            context = TaskContext.get()
            assert context
            place = int(context.partitionId())
            yield from work(place, _numbered(_gathered(batches), starts.get(place, 0)))

        return self.frame.mapInArrow(run, schema)


class PiecePlaces(msgspec.Struct, frozen=True):
    """Runs of pieces of a source, which go to executors unread."""

    session: Any
    runs: Sequence[Sequence[Piece]]

    def counted(self) -> dict[int, int]:
        """Executors read those of which it is not known."""

        def count(place: int, tables: Iterator[tuple[Any, int]]) -> Iterator[Any]:
            rows = sum(table.num_rows for table, _ in tables)
            yield pa.RecordBatch.from_pydict({"place": [place], "rows": [rows]})

        known, unknown = {}, []
        for place, run in enumerate(self.runs):
            rows = [piece.rows for piece in run if piece.rows is not None]
            if len(rows) == len(run):
                known[place] = sum(rows)
            else:
                unknown.append(place)
        if unknown:
            known |= dict(self._map(unknown, count, {}, "place long, rows long").collect())
        return known

    def first(self, rows: int, counts: dict[int, int]) -> Any:
        """The first pieces, as far as they are needed."""

        def head(_place: int, tables: Iterator[tuple[Any, int]]) -> Iterator[Any]:
            for table, start in tables:
                held = pickle.dumps(table.slice(0, rows - start).combine_chunks())
                yield pa.RecordBatch.from_pydict({"place": [start], "part": [held]})
                if start + table.num_rows >= rows:
                    break

        starts = starts_of(counts)
        needed = [i for i, start in starts.items() if start < rows]
        found = self._map(needed, head, starts, "place long, part binary").collect()
        tables = [pickle.loads(bytes(held)) for _, held in sorted(found)]  # noqa: S301
        return pa.concat_tables(tables, promote_options="permissive")

    def map(self, work: PlaceWork, starts: dict[int, int], schema: str) -> Any:
        """Each piece is read by the task that works on it."""
        return self._map(range(len(self.runs)), work, starts, schema)

    def _map(
        self, chosen: Sequence[int], work: PlaceWork, starts: dict[int, int], schema: str
    ) -> Any:
        from pyspark import cloudpickle

        def run(batches: Iterator[Any]) -> Iterator[Any]:
            for batch in batches:
                for row in batch.to_pylist():
                    place, pieces = row["place"], pickle.loads(row["pieces"])  # noqa: S301
                    tables = (piece.read() for piece in pieces)
                    yield from work(place, _numbered(tables, starts.get(place, 0)))

        held = [(place, bytearray(cloudpickle.dumps(self.runs[place]))) for place in chosen]
        frame = self.session.createDataFrame(held, "place long, pieces binary")
        return frame.repartition(len(held)).mapInArrow(run, schema)


def places_of(opened: Any) -> SparkPlaces:
    """The rows of a source, or of a dataframe of Spark."""
    if opened.frame is not None:
        return FramePlaces(opened.frame.frame)
    from pyspark.sql import SparkSession

    pieces = (opened.pieces() if opened.pieces else None) or [Piece(opened.table)]
    session = SparkSession.getActiveSession() or SparkSession.builder.getOrCreate()
    return PiecePlaces(session, runs_of(pieces, session.sparkContext.defaultParallelism))


def _numbered(tables: Iterator[Any], first_row: int) -> Iterator[tuple[Any, int]]:
    for table in tables:
        yield table, first_row
        first_row += table.num_rows


def _gathered(batches: Iterator[Any]) -> Iterator[Any]:
    """Small batches put together."""
    held: list[Any] = []
    rows = 0
    for batch in batches:
        held.append(batch)
        rows += batch.num_rows
        if rows >= BATCH_ROWS:
            yield pa.Table.from_batches(held).combine_chunks()
            held, rows = [], 0
    if held:
        yield pa.Table.from_batches(held).combine_chunks()
