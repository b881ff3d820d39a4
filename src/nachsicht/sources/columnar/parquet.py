"""Parquet files."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any, Protocol

import pyarrow as pa

from nachsicht.arrow.dictionary import read_as_levels
from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.protocol import Opened, Piece, SourceFacts

#: Texts of which a row takes more are spelt out in the file, or hardly ever the same.
_MOST_BYTES = 4
#: Rows of a row group that tell how much memory a row takes; the place of a level takes so much.
_TRIAL_ROWS, _CODE_BYTES = 4_096, 4


class StoredParquet(Protocol):
    """A file elsewhere; its text is what it is called in errors, and it can be pickled."""

    def stream(self) -> Any:
        """What reads from it."""


def _stream(path: Path | StoredParquet) -> Any:
    return path if isinstance(path, Path) else path.stream()


def open_parquet(path: Path | StoredParquet, facts: SourceFacts) -> Opened:
    """A Parquet file; its row groups are read one after the other where it is streamed."""
    import pyarrow.parquet as pq

    facts.format = "parquet"
    with errors_as_damaged(path, "Parquet"):
        # It is held as long as the source: what it had read beforehand would be too.
        file = pq.ParquetFile(_stream(path), pre_buffer=False)
    groups = [file.metadata.row_group(i).total_byte_size for i in range(file.num_row_groups)]

    def table() -> Any:
        with errors_as_damaged(path, "Parquet"):
            # Each column as it is decoded, not the whole file beforehand: less memory and time.
            # What is elsewhere comes in large pieces.
            levels = _kept_as_levels(file)
            found = pq.ParquetFile(
                _stream(path), pre_buffer=not isinstance(path, Path), read_dictionary=levels
            ).read()
            return _marked(found, levels, file.schema_arrow)

    def batches() -> Iterator[tuple[Any, int]]:
        opened = pq.ParquetFile(_stream(path))
        done = 0
        with errors_as_damaged(path, "Parquet"):
            for group, size in enumerate(groups):
                for batch in opened.iter_batches(1 << 17, row_groups=[group]):
                    yield batch, int(done)
                done += size * (facts.size_bytes or 1) / max(sum(groups), 1)

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
    """Whether a column, given as the pieces that the file holds, is kept as levels."""
    size = sum(piece.total_uncompressed_size for piece in pieces)
    return size <= _MOST_BYTES * rows and all(piece.has_dictionary_page for piece in pieces)


def _marked(table: Any, levels: list[str], stored: Any) -> Any:
    """The table, whose columns of levels know how they are stored."""
    fields = [
        read_as_levels(field, stored.field(field.name).type) if field.name in levels else field
        for field in table.schema
    ]
    return table.cast(pa.schema(fields)) if levels else table


def _row_group(path: Path | StoredParquet, group: int) -> Any:
    import pyarrow.parquet as pq

    with errors_as_damaged(path, "Parquet"):
        return pq.ParquetFile(_stream(path)).read_row_group(group)
