"""A folder or pattern of part files, as one dataset."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path, PurePath
from typing import Any, NamedTuple

import msgspec
import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceNotFoundError, UnreadableSourceError
from nachsicht.i18n import phrase
from nachsicht.model.notes import Note
from nachsicht.sources.files import FileSource
from nachsicht.sources.partitions import Keys, is_partition, key_columns, keys_in, with_keys
from nachsicht.sources.protocol import Opened, Piece, Source, SourceFacts
from nachsicht.sources.schemas.discover import is_description


class Part(NamedTuple):
    """A file of a dataset: what it is called, what opens it, and what its folders tell.

    ``source`` can be pickled, so that whoever reads the part opens it anew.
    """

    shown: str
    source: Source
    keys: Keys = ()


class FolderSource(msgspec.Struct, frozen=True):
    """All files of a folder, or those that a pattern fits, in the order of their names."""

    path: Path
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The folder's name, or the pattern's up to its first sign."""
        plain = re.split(r"[*?\[]", self.path.name)[0].strip("_-.")
        return plain or self.path.resolve().parent.name

    def open(self) -> Opened:
        """Open every part; all must have the columns of the first."""
        root = self.path if self.path.is_dir() else self.path.parent
        parts = [
            Part(
                str(path),
                FileSource(path, self.reading),
                keys_in(path.relative_to(root).parts[:-1]),
            )
            for path in part_files(self.path)
        ]
        return open_parts(self.path.name, parts)


def open_parts(name: str, files: Sequence[Part]) -> Opened:
    """Parts of one dataset as one source; ``name`` is what the page's origin calls it."""
    parts = [file.source.open() for file in files]
    keys = key_columns([file.keys for file in files])
    shown = [file.shown for file in files]
    size = sum(part.facts.size_bytes or 0 for part in parts)
    facts = SourceFacts(name, parts[0].facts.format, size, [Note("files", {"n": len(parts)})])

    def gather() -> None:
        facts.unread_lines = sum(part.facts.unread_lines for part in parts)
        facts.padded_lines = sum(part.facts.padded_lines for part in parts)
        facts.unread = [line for part in parts for line in part.facts.unread][:5]
        notes = [note for part in parts for note in part.facts.notes]
        facts.notes[1:] = list(dict.fromkeys(notes))

    def table() -> Any:
        tables = [with_keys(part.table(), own) for part, own in zip(parts, keys, strict=True)]
        gather()
        return _concat(tables, shown)

    def batches() -> Iterator[tuple[Any, int]]:
        before = 0
        schema = None
        for part, own, path in zip(parts, keys, shown, strict=True):
            for batch, done in part.batches():
                found = with_keys(batch, own)
                schema = schema or found.schema
                yield _as(found, schema, path), before + done
            before += part.facts.size_bytes or 0
        gather()

    def pieces() -> list[Piece]:
        found: list[Piece] = []
        for file, part, own in zip(files, parts, keys, strict=True):
            pieces = part.pieces() if part.pieces else [Piece(partial(_whole, file.source))]
            found += [Piece(partial(_keyed, p.read, own), p.rows) if own else p for p in pieces]
        return found

    size, whole = sum(part.memory_bytes for part in parts), any(part.whole for part in parts)
    return Opened(facts, size, table, batches, pieces, whole=whole)


def _whole(source: Source) -> Any:
    """A part file, opened anew by whoever reads it."""
    return source.open().table()


def _keyed(read: Callable[[], Any], keys: dict[str, Any]) -> Any:
    return with_keys(read(), keys)


#: Files of one dataset; each is opened before the first is read.
MOST_FILES = 10_000


def too_many_files(path: Path) -> UnreadableSourceError:
    """The error for more parts than one dataset may have."""
    return UnreadableSourceError("too_many_files", where=str(path), most_files=MOST_FILES)


def part_files(path: Path) -> list[Path]:
    """The files of a folder, or those that a pattern fits, in the order of their names.

    Folders below are looked into where their names are those of partitions (``key=value``).

    Raises
    ------
    SourceNotFoundError
        If there is none.
    """
    folder = path.is_dir()
    found = _below(path) if folder else path.parent.glob(path.name)
    paths = sorted(p for p in found if p.is_file() and is_part(p))
    if len(paths) > MOST_FILES:
        raise too_many_files(path)
    if not paths:
        below = next((p for p in sorted(path.rglob("*")) if p.is_file()), None) if folder else None
        raise SourceNotFoundError(
            "folder_empty" if folder else "pattern_without_files",
            where=str(path),
            todo=phrase("hints.further_down", folder=below.parent) if below else "",
        )
    return paths


def is_part(path: PurePath) -> bool:
    """Whether a file of a folder holds rows: hidden ones do not, nor a description of them."""
    return not path.name.startswith((".", "_")) and not is_description(path)


def _below(folder: Path) -> Iterator[Path]:
    for path in folder.iterdir():
        if path.is_dir() and is_partition(path.name):
            yield from _below(path)
        else:
            yield path


def _concat(tables: list[Any], paths: list[str]) -> Any:
    names = tables[0].column_names
    for table, path in zip(tables, paths, strict=True):
        if sorted(table.column_names) != sorted(names):
            raise _other_columns(names, table.column_names, path)
    tables = [table.select(names) if len(set(names)) == len(names) else table for table in tables]
    try:
        return pa.concat_tables(tables, promote_options="permissive")
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        # Types that do not go together: those columns become texts in every part.
        return pa.concat_tables([_texts_where_types_differ(table, tables) for table in tables])


def _texts_where_types_differ(table: Any, tables: list[Any]) -> Any:
    arrays = []
    for i in range(table.num_columns):
        types = {str(other.column(i).type) for other in tables}
        column = table.column(i)
        arrays.append(column if len(types) == 1 else column.cast(pa.large_string()))
    return pa.Table.from_arrays(arrays, names=table.column_names)


def _as(batch: Any, schema: Any, path: str) -> Any:
    if sorted(batch.schema.names) != sorted(schema.names):
        raise _other_columns(schema.names, batch.schema.names, path)
    try:
        return batch.select(schema.names).cast(schema)
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError) as error:
        raise UnreadableSourceError("part_with_other_types", where=path, error=error) from error


def _other_columns(names: list[str], others: list[str], path: str) -> UnreadableSourceError:
    lacking = sorted(set(names) - set(others))
    extra = sorted(set(others) - set(names))
    hints = [phrase("hints.lacks", names=", ".join(lacking))] if lacking else []
    hints += [phrase("hints.adds", names=", ".join(extra))] if extra else []
    value = "; ".join(hints) or phrase("hints.repeats_one")
    return UnreadableSourceError("part_with_other_columns", where=path, value=value)
