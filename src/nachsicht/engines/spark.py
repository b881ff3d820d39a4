"""The engine of Spark: executors observe the rows that they hold; parts are merged as a tree.

Everything goes through Arrow (`mapInArrow`, `applyInArrow`); the driver sees the first rows and
one finished part. Rows count as following each other in the order of the partitions.
"""

from __future__ import annotations

import pickle
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import Progress, ProgressListener
from nachsicht.config.settings import Settings
from nachsicht.engines.spark_rows import PlaceWork, SparkPlaces, places_of, starts_of
from nachsicht.errors import SettingsError, UnreadableSourceError
from nachsicht.sources.protocol import Opened
from nachsicht.table.accumulate import (
    CLUSTER_BYTES,
    FAN,
    PLAN_ROWS,
    PieceWork,
    TablePart,
    TablePlan,
    finish_table,
    merged_in_order,
    observe_table,
    plan_table,
)
from nachsicht.table.reader import RereadTable, Shuffle, TableReader, check_unchanged
from nachsicht.table.result import Computed

T = TypeVar("T")
_PARTS = "place long, part binary"
_RECORDS = "partition int, records binary"
#: Stands for a partition where it is told how many rows were read, and the sum of their hashes.
_CHECKS = -1


def run_spark(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None = None
) -> tuple[Computed, SparkTable]:
    """Compute all parts of a profile, from a dataframe or the pieces of a source.

    Returns
    -------
    (what a profile is made of, what reads the rows again)

    Raises
    ------
    SettingsError
        If Spark's workers lack a package.
    UnreadableSourceError
        If Spark could not read the data.
    """
    with _errors_in_our_words(opened.facts.name):
        return _run(opened, settings, listener, now)


@contextmanager
def _errors_in_our_words(label: str) -> Iterator[None]:
    from py4j.protocol import Py4JError
    from pyspark.errors import PySparkException

    try:
        yield
    except (PySparkException, Py4JError) as error:
        if lacking := re.search(r"No module named '([\w.]+)'", str(error)):
            raise SettingsError(
                "spark_lacks_package", where="engine spark", value=lacking[1]
            ) from error
        # A source that an executor could not read has said why in our words already.
        if ours := re.search(r"nachsicht\.errors\.\w+: ([^\n]+)", str(error)):
            raise UnreadableSourceError("spark_failed", where=label, value=ours[1]) from error
        # Spark puts the class of what went wrong before it: [FAILED_READ_FILE.NO_HINT] ...
        said = re.search(r"\[[A-Z][A-Z_.0-9]+\] ([^\n]+?)\.? *(SQLSTATE|\n|$)", str(error))
        raise UnreadableSourceError(
            "spark_failed", where=label, value=said[1] if said else type(error).__name__
        ) from error


def _run(
    opened: Opened, settings: Settings, listener: ProgressListener, now: int | None
) -> tuple[Computed, SparkTable]:
    from pyspark.sql import functions

    places = places_of(opened)
    counts = places.counted()
    first = places.first(PLAN_ROWS, counts)
    most = settings.memory_bytes or CLUSTER_BYTES
    plan = plan_table(first, settings, most, opened.description, sum(counts.values()))
    starts = starts_of(counts)
    listener(Progress("parts", 0, 2))
    parts, many = places.map(_observing(plan), starts, _PARTS), len(starts)
    while many > FAN:
        grouped = parts.groupBy((functions.col("place") / FAN).cast("long").alias("group"))
        parts, many = grouped.applyInArrow(_merging(plan), _PARTS), -(-many // FAN)
    collected = sorted(parts.collect())
    listener(Progress("parts", 1, 2))
    if collected:
        part = merged_in_order([pickle.loads(bytes(pickled)) for _, pickled in collected], plan)  # noqa: S301
    else:
        part = observe_table(plan.schema.empty_table(), plan, 0)
    with threads(settings.threads) as pool:
        finished = finish_table(part, plan, now, pool.map)
    listener(Progress("parts", 2, 2))
    reader = SparkTable(
        name=opened.facts.name,
        plan=plan,
        finished=finished,
        listener=listener,
        places=places,
        starts=starts,
    )
    return finished.computed, reader


class SparkTable(RereadTable, frozen=True, kw_only=True):
    """Rows with Spark's executors, to be read again, and the number of each place's first."""

    places: SparkPlaces
    starts: dict[int, int]

    def map(self, work: Callable[[Any, int], T]) -> Iterator[T]:
        """What the work gives for some rows of each partition, computed by the executors."""
        found = self.places.map(_working(PieceWork(self.plan, work)), self.starts, _PARTS)
        with _errors_in_our_words(self.name):
            for row in found.toLocalIterator():
                yield pickle.loads(bytes(row["part"]))  # noqa: S301

    def shuffled(self, other: TableReader, shuffle: Shuffle[T]) -> Iterator[T] | None:
        """Spark brings the records of each partition together."""
        if not isinstance(other, SparkTable) or other.places.session != self.places.session:
            return None
        return self._shuffled(other, shuffle)

    def _shuffled(self, other: SparkTable, shuffle: Shuffle[T]) -> Iterator[T]:
        old, new = (
            reader.places.map(
                _dividing(PieceWork(reader.plan, work)), reader.starts, _RECORDS
            ).groupBy("partition")
            for reader, work in zip((self, other), shuffle.works, strict=True)
        )
        sums = [(0, 0), (0, 0)]
        with _errors_in_our_words(self.name):
            matched = old.cogroup(new).applyInArrow(_matching(shuffle), _PARTS)
            for row in matched.toLocalIterator():
                found = pickle.loads(bytes(row["part"]))  # noqa: S301
                if row["place"] == _CHECKS:
                    sums = found
                else:
                    yield found
        for reader, (rows, hash_sum) in zip((self, other), sums, strict=True):
            check_unchanged(reader, rows, hash_sum)


def _observing(plan: TablePlan) -> PlaceWork:
    """What observes the rows of a place, as it is sent to executors."""

    def observe(place: int, tables: Iterator[tuple[Any, int]]) -> Iterator[Any]:
        part: TablePart | None = None
        for table, first_row in tables:
            observed = observe_table(table, plan, first_row)
            part = part.merge(observed, plan) if part else observed
        if part:
            yield _row(place, part)

    return observe


def _merging(plan: TablePlan) -> Callable[[Any], Any]:
    """What merges a group of neighbouring parts, in their order."""

    def merge(table: Any) -> Any:
        rows = sorted(table.to_pylist(), key=lambda row: row["place"])
        merged = merged_in_order([pickle.loads(row["part"]) for row in rows], plan)  # noqa: S301
        return pa.Table.from_batches([_row(rows[0]["place"] // FAN, merged)])

    return merge


def _row(place: int, part: Any) -> Any:
    """What was found as a row that Spark can send; our own tasks alone read it."""
    return pa.RecordBatch.from_pydict({"place": [place], "part": [pickle.dumps(part)]})


def _working(work: PieceWork) -> PlaceWork:
    """What works on the rows of a place, as it is sent to executors."""

    def run(place: int, tables: Iterator[tuple[Any, int]]) -> Iterator[Any]:
        for table, first_row in tables:
            yield _row(place, work(table, first_row))

    return run


def _dividing(work: PieceWork) -> PlaceWork:
    """What makes the records of the rows of a place, as it is sent to executors."""

    def divide(_place: int, tables: Iterator[tuple[Any, int]]) -> Iterator[Any]:
        for table, first_row in tables:
            (records, counts), rows, hash_sum = work(table, first_row)
            parts = np.split(records, np.cumsum(counts)[:-1])
            held = {i: part.tobytes() for i, part in enumerate(parts) if len(part)}
            held[_CHECKS] = pickle.dumps((rows, hash_sum))
            yield pa.RecordBatch.from_pydict(
                {"partition": pa.array([*held], pa.int32()), "records": [*held.values()]}
            )

    return divide


def _matching(shuffle: Shuffle[T]) -> Callable[[Any, Any], Any]:
    """What matches a partition's records of both tables, as it is sent to executors."""

    def match(old: Any, new: Any) -> Any:
        partition = (old if old.num_rows else new).column("partition")[0].as_py()
        sides = [side.column("records").to_pylist() for side in (old, new)]
        found: Any
        if partition == _CHECKS:
            pieces = [[pickle.loads(each) for each in side] for side in sides]  # noqa: S301
            found = [(sum(n for n, _ in side), sum(h for _, h in side)) for side in pieces]
        else:
            found = shuffle.match(
                partition,
                *(
                    np.frombuffer(b"".join(side), dtype)
                    for side, dtype in zip(sides, shuffle.dtypes, strict=True)
                ),
            )
        return pa.Table.from_pydict({"place": [partition], "part": [pickle.dumps(found)]})

    return match
