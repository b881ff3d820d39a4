"""Parquet and Arrow files (Feather too)."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.arrow.dictionary import read_as_levels
from nachsicht.errors import UnreadableSourceError
from nachsicht.sources.dataframes import BATCH_ROWS
from nachsicht.sources.protocol import Opened, Piece, SourceFacts

#: Texts of which a row takes more are spelt out in the file, or hardly ever the same.
_MOST_BYTES = 4
#: Rows of a row group that tell how much memory a row takes; the place of a level takes so much.
_TRIAL_ROWS, _CODE_BYTES = 4_096, 4
#: A file of one batch is read whatever memory is given, while it is no larger.
_MOST_AT_ONCE = 16 << 20
#: How files of the Arrow format begin, unlike streams.
_ARROW_MARK = b"ARROW1"


def open_parquet(path: Path, facts: SourceFacts) -> Opened:
    """A Parquet file; its row groups are read one after the other where it is streamed."""
    import pyarrow.parquet as pq

    facts.format = "Parquet"
    try:
        file = pq.ParquetFile(path)
    except (pa.ArrowException, OSError) as error:
        raise _damaged(path, "Parquet", error) from error
    groups = [file.metadata.row_group(i).total_byte_size for i in range(file.num_row_groups)]

    def table() -> Any:
        try:
            # Each column as it is decoded, not the whole file beforehand: less memory and time.
            levels = _kept_as_levels(file)
            found = pq.ParquetFile(path, pre_buffer=False, read_dictionary=levels).read()
            return _marked(found, levels, file.schema_arrow)
        except (pa.ArrowException, OSError) as error:
            raise _damaged(path, "Parquet", error) from error

    def batches() -> Iterator[tuple[Any, int]]:
        opened = pq.ParquetFile(path)
        done = 0
        try:
            for group, size in enumerate(groups):
                for batch in opened.iter_batches(1 << 17, row_groups=[group]):
                    yield batch, int(done)
                done += size * (facts.size_bytes or 1) / max(sum(groups), 1)
        except (pa.ArrowException, OSError) as error:
            raise _damaged(path, "Parquet", error) from error

    def pieces() -> list[Piece]:
        rows = [file.metadata.row_group(i).num_rows for i in range(file.num_row_groups)]
        return [Piece(partial(_row_group, path, i), n) for i, n in enumerate(rows)]

    expected = 2 * sum(groups)
    with contextlib.suppress(pa.ArrowException, OSError):  # reading it all tells what is damaged
        expected = max(sum(groups), _spread_out(file))
    return Opened(facts, expected, table, batches, pieces if groups else None)


def _spread_out(file: Any) -> int:
    """About how much memory all rows take: what some rows from all over take, for each row.

    A file keeps equal values once, and packs small numbers: its own sizes say little.
    """
    groups, rows = file.num_row_groups, file.metadata.num_rows
    if not rows:
        return 0
    levels = {*_kept_as_levels(file)}
    most = 0.0
    for group in {0, groups // 2, groups - 1}:
        batch = next(file.iter_batches(_TRIAL_ROWS, row_groups=[group]), None)
        if batch is None or not batch.num_rows:
            continue
        size = sum(
            _CODE_BYTES * batch.num_rows if name in levels else column.nbytes
            for name, column in zip(batch.schema.names, batch.columns, strict=True)
        )
        most = max(most, size / batch.num_rows)
    return int(most * rows)


def _kept_as_levels(file: Any) -> list[str]:
    """The columns of few texts, of which the file keeps each once, and its place for every row."""
    fields = {
        field.name for field in file.schema_arrow if field.type in (pa.string(), pa.large_string())
    }
    names, rows = file.schema_arrow.names, file.metadata.num_rows
    groups = [file.metadata.row_group(i) for i in range(file.num_row_groups)]
    if not groups or len({*names}) < len(names):
        return []
    paths = [groups[0].column(i).path_in_schema for i in range(file.metadata.num_columns)]
    return [
        path
        for i, path in enumerate(paths)
        if path in fields and _is_of_levels([group.column(i) for group in groups], rows)
    ]


def _is_of_levels(pieces: list[Any], rows: int) -> bool:
    """Whether a column, told of in the pieces that the file has of it, is kept as levels."""
    size = sum(piece.total_uncompressed_size for piece in pieces)
    return size <= _MOST_BYTES * rows and all(piece.has_dictionary_page for piece in pieces)


def _marked(table: Any, levels: list[str], stored: Any) -> Any:
    """The table, whose columns of levels know how they are stored."""
    fields = [
        read_as_levels(field, stored.field(field.name).type) if field.name in levels else field
        for field in table.schema
    ]
    return table.cast(pa.schema(fields)) if levels else table


def _row_group(path: Path, group: int) -> Any:
    import pyarrow.parquet as pq

    try:
        return pq.ParquetFile(path).read_row_group(group)
    except (pa.ArrowException, OSError) as error:
        raise _damaged(path, "Parquet", error) from error


def open_arrow(path: Path, facts: SourceFacts) -> Opened:
    """An Arrow file or stream; its batches are read one after the other where it is streamed.

    It is read, not mapped into memory: a mapped file that another program shortens ends the
    process.
    """
    facts.format = "Arrow"
    with _told_as_damaged(path):
        schema, expected, whole = _extent_of_arrow(path)

    def batches() -> Iterator[tuple[Any, int]]:
        with _told_as_damaged(path):
            for batch, done in _arrow_batches(path):
                for start in range(0, batch.num_rows, BATCH_ROWS):
                    yield batch.slice(start, BATCH_ROWS), done

    def table() -> Any:
        with _told_as_damaged(path):
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


@contextlib.contextmanager
def _told_as_damaged(path: Path) -> Iterator[None]:
    try:
        yield
    except (pa.ArrowException, OSError) as error:
        raise _damaged(path, "Arrow", error) from error


def _damaged(path: Path, name: str, error: Exception) -> UnreadableSourceError:
    reason = str(error).splitlines()[0].rstrip(".")
    return UnreadableSourceError(
        f"the file is not a {name} file, or is damaged ({reason})",
        where=str(path),
        todo="Write it again, or check that it was copied completely.",
    )
