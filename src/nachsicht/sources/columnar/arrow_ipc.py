"""Arrow files and streams (Feather too)."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.dataframes import BATCH_ROWS
from nachsicht.sources.protocol import Opened, SourceFacts

#: A file of one batch is read whatever memory is given, while it is no larger.
_MOST_AT_ONCE = 16 << 20
#: How files of the Arrow format begin, unlike streams.
_ARROW_MARK = b"ARROW1"


def open_arrow(path: Path, facts: SourceFacts) -> Opened:
    """An Arrow file or stream; its batches are read one after the other where it is streamed.

    It is read, not mapped into memory: a mapped file that another program shortens ends the
    process.
    """
    facts.format = "arrow"
    with errors_as_damaged(path, "Arrow"):
        schema, expected, whole = _extent_of_arrow(path)

    def batches() -> Iterator[tuple[Any, int]]:
        with errors_as_damaged(path, "Arrow"):
            for batch, done in _arrow_batches(path):
                for start in range(0, batch.num_rows, BATCH_ROWS):
                    yield batch.slice(start, BATCH_ROWS), done

    def table() -> Any:
        with errors_as_damaged(path, "Arrow"):
            return pa.Table.from_batches([batch for batch, _ in _arrow_batches(path)], schema)

    return Opened(facts, expected, table, batches, whole=whole and expected > _MOST_AT_ONCE)


def _extent_of_arrow(path: Path) -> tuple[pa.Schema, int, bool]:
    """The schema, about how much memory all batches take, and whether there is but one."""
    size = path.stat().st_size
    with pa.OSFile(str(path)) as file:
        reader = _arrow_reader(file)
        if isinstance(reader, pa.RecordBatchFileReader):
            count = reader.num_record_batches
            some = {0, count // 2, count - 1} if count else set()
            most = max((reader.get_batch(i).nbytes for i in sorted(some)), default=0)
            return reader.schema, most * count, count == 1
        seen = [(batch.nbytes, file.tell()) for batch in itertools.islice(reader, 2)]
        most = max((nbytes * size / done for nbytes, done in seen), default=0)
        return reader.schema, int(most), len(seen) == 1


def _arrow_batches(path: Path) -> Iterator[tuple[Any, int]]:
    """Batches, each with about how many bytes of the file are read so far."""
    size = path.stat().st_size
    with pa.OSFile(str(path)) as file:
        reader = _arrow_reader(file)
        if isinstance(reader, pa.RecordBatchFileReader):
            count = reader.num_record_batches
            found = ((reader.get_batch(i), size * (i + 1) // count) for i in range(count))
        else:
            found = ((batch, file.tell()) for batch in reader)
        for batch, done in found:
            # The places of texts and levels in the file are taken on trust; what reads them
            # must not.
            batch.validate(full=True)
            yield batch, done


def _arrow_reader(file: Any) -> Any:
    """Of the file format, which begins with a mark, or of a stream."""
    marked = file.read(len(_ARROW_MARK)) == _ARROW_MARK
    file.seek(0)
    return pa.ipc.open_file(file) if marked else pa.ipc.open_stream(file)
