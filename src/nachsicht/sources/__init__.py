"""Anything that a table can be read from, as Arrow data."""

from __future__ import annotations

from os import PathLike
from pathlib import Path

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceError
from nachsicht.sources.compression import is_archive
from nachsicht.sources.protocol import Source
from nachsicht.sources.schemas.attach import DescribedSource

#: Addresses that begin so are databases.
_DATABASES = ("sqlite", "postgresql", "mysql", "mariadb", "mssql", "oracle", "duckdb")


def _is_database(address: str) -> bool:
    return address.partition(":")[0].partition("+")[0].lower() in _DATABASES


def source_of(data: object, reading: ReadOptions) -> Source:
    """The source that reads a path, a frame or any object that gives Arrow data.

    Raises
    ------
    SourceError
        If the object is none of these.
    """
    if isinstance(data, str | PathLike) and reading.columns is not None:
        raise SourceError("columns_without_array", where=str(data))
    if isinstance(data, str) and "://" in data:
        return DescribedSource(_at_address(data, reading), None, reading)
    if isinstance(data, str | PathLike):
        path = Path(data).expanduser()
        if kind := _database_in(path):
            return DescribedSource(_at_address(f"{kind}:///{path}", reading), None, reading)
        return DescribedSource(_at_path(path, reading), path, reading)
    return DescribedSource(_in_memory(data, reading), None, reading)


def _in_memory(data: object, reading: ReadOptions) -> Source:
    if isinstance(data, bytes | bytearray | memoryview) or callable(getattr(data, "read", None)):
        from nachsicht.sources.stdin import Content

        return Content(data, reading)
    from nachsicht.sources.cluster import ClusterFrame, cluster_of

    if engine := cluster_of(data):
        return ClusterFrame(data, engine)
    from nachsicht.sources.dataframes import FrameSource, gives_table
    from nachsicht.sources.python_objects import source_of_object

    if source := source_of_object(data, reading.columns):
        return source
    if gives_table(data):
        return FrameSource(data)
    raise SourceError("not_a_table", where=type(data).__name__)


def _at_address(address: str, reading: ReadOptions) -> Source:
    if reading.table or reading.query or _is_database(address):
        from nachsicht.sources.database.sql import DatabaseSource

        return DatabaseSource(address, reading)
    from nachsicht.sources.remote import RemoteSource

    return RemoteSource(address, reading)


def _database_in(path: Path) -> str:
    """The kind of database that a file is, by its first bytes; nothing for other files."""
    if not path.is_file():
        return ""
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError:  # which is told where it is read
        return ""
    if head == b"SQLite format 3\0":
        return "sqlite"
    return "duckdb" if head[8:12] == b"DUCK" else ""


def _with_versions(path: Path, reading: ReadOptions) -> Source | None:
    """A table with snapshots, or a file at a revision; None where it is neither."""
    from nachsicht.sources.versions.git import RevisionSource, names_revision
    from nachsicht.sources.versions.snapshots import SnapshotSource, is_table

    if is_table(path):
        return SnapshotSource(path, reading)
    return RevisionSource(path, reading) if names_revision(path) else None


def _at_path(path: Path, reading: ReadOptions) -> Source:
    if reading.table or reading.query:
        raise SourceError("file_for_database", where=str(path))
    if str(path) == "-":
        from nachsicht.sources.stdin import Stream

        return Stream(reading)
    if ("@" in path.name or path.is_dir()) and (versioned := _with_versions(path, reading)):
        return versioned
    if path.is_dir() or (any(sign in path.name for sign in "*?[") and not path.exists()):
        from nachsicht.sources.folders import FolderSource

        return FolderSource(path, reading)
    if path.exists() and not path.is_file():
        from nachsicht.sources.stdin import Stream

        return Stream(reading, path)
    if is_archive(path):
        from nachsicht.sources.archives import ArchiveSource

        return ArchiveSource(path, reading)
    from nachsicht.sources.files import FileSource

    return FileSource(path, reading)
