"""Tables at an address that fsspec knows: s3://, https://, memory:// and so on."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import takewhile
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO
from urllib.parse import urlsplit

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceNotFoundError, UnreadableSourceError
from nachsicht.i18n import phrase
from nachsicht.sources.archives import ArchiveSource
from nachsicht.sources.columnar.parquet import open_parquet
from nachsicht.sources.compression import is_archive
from nachsicht.sources.files import FileSource, plain_name
from nachsicht.sources.folders import MOST_FILES, Part, is_part, open_parts
from nachsicht.sources.partitions import is_partition, keys_in
from nachsicht.sources.protocol import Opened, SourceFacts
from nachsicht.sources.stdin import open_copied

#: Protocols whose pages have links, not folders.
_OF_PAGES = ("http", "https")


class RemoteSource(msgspec.Struct, frozen=True):
    """A file at an address, copied to a place that goes when it is read; or a folder of files."""

    address: str
    reading: ReadOptions

    @property
    def _name(self) -> str:
        return PurePosixPath(urlsplit(self.address).path).name or "data"

    @property
    def label(self) -> str:
        """The file's name without suffixes."""
        return plain_name(self._name)

    def open(self) -> Opened:
        """Copy the file and open the copy; of a folder open all parts."""
        if self._is_folder():
            return open_parts(shown(self.address), self._parts())

        def write(file: BinaryIO) -> None:
            with errors_without_secrets(self.address):
                import fsspec  # type: ignore[import-untyped,unused-ignore]

                with fsspec.open(self.address, "rb") as remote:
                    shutil.copyfileobj(remote, file)

        kind = ArchiveSource if is_archive(Path(self._name)) else FileSource
        return open_copied(write, self._name, shown(self.address), self.reading, kind)

    def _is_folder(self) -> bool:
        if urlsplit(self.address).scheme in _OF_PAGES:
            return False
        if _is_pattern(urlsplit(self.address).path):
            return True
        with errors_without_secrets(self.address):
            import fsspec

            files, path = fsspec.url_to_fs(self.address)
            return bool(files.isdir(path))

    def _parts(self) -> list[Part]:
        """The files below, those of partitions too, in the order of their names."""
        with errors_without_secrets(self.address):
            import fsspec

            files, path = fsspec.url_to_fs(self.address)
            plain = [*takewhile(lambda part: not _is_pattern(part), PurePosixPath(path).parts)]
            by_pattern = len(plain) < len(PurePosixPath(path).parts)
            found = files.glob(path) if by_pattern else files.find(path)
            root = PurePosixPath(*plain)
            paths = sorted(
                inside
                for inside in map(PurePosixPath, found)
                if is_part(inside) and all(map(is_partition, inside.relative_to(root).parts[:-1]))
            )
            # The path alone does not always tell the host.
            above = self.address.rstrip("/").split("/")
            base = "/".join(above[: len(above) - len(PurePosixPath(path).parts) + len(plain)])
            addresses = [f"{base}/{inside.relative_to(root)}" for inside in paths]
        if len(paths) > MOST_FILES:
            raise UnreadableSourceError(
                "too_many_files", where=shown(self.address), most_files=MOST_FILES
            )
        if not paths:
            raise SourceNotFoundError(
                "pattern_without_files" if by_pattern else "folder_empty",
                where=shown(self.address),
                todo=phrase("hints.check_path"),
            )
        return [
            Part(
                shown(address),
                _source(address, self.reading),
                keys_in(inside.relative_to(root).parts[:-1]),
            )
            for inside, address in zip(paths, addresses, strict=True)
        ]


def _is_pattern(path: str) -> bool:
    return any(sign in path for sign in "*[")


class RemoteParquet(msgspec.Struct, frozen=True):
    """A Parquet file at an address, of which no more is read than is needed."""

    address: str

    @property
    def label(self) -> str:
        """The file's name without suffixes."""
        return plain_name(PurePosixPath(urlsplit(self.address).path).name)

    def __str__(self) -> str:
        return shown(self.address)

    def __repr__(self) -> str:
        return shown(self.address)

    def stream(self) -> Any:
        """What reads from it."""
        with errors_without_secrets(self.address):
            import fsspec

            return fsspec.open(self.address, "rb").open()

    def open(self) -> Opened:
        """Read what it holds, not the rows."""
        with errors_without_secrets(self.address):
            import fsspec

            files, path = fsspec.url_to_fs(self.address)
            size = int(files.size(path))
        return open_parquet(self, SourceFacts(shown(self.address), "", size))


def _source(address: str, reading: ReadOptions) -> RemoteParquet | RemoteSource:
    suffix = PurePosixPath(address).suffix.lower()
    return (
        RemoteParquet(address) if suffix in (".parquet", ".pq") else RemoteSource(address, reading)
    )


def shown(address: str) -> str:
    """The address without user, password and what stands behind a question mark."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}{parts.path}"


@contextmanager
def errors_without_secrets(address: str) -> Iterator[None]:
    """Errors of what reads an address as our own: their messages may hold it with its secrets.

    Raises
    ------
    SourceNotFoundError
        If nothing is there.
    UnreadableSourceError
        If it cannot be read, or a package is lacking.
    """
    try:
        yield
    except FileNotFoundError:
        raise SourceNotFoundError("no_file", where=shown(address)) from None
    except ImportError as error:
        if error.name == "fsspec":
            raise UnreadableSourceError("no_fsspec", where=shown(address)) from error
        raise UnreadableSourceError(
            "no_protocol_package", where=shown(address), value=error.name or "that fsspec names"
        ) from None
    except Exception as error:
        raise UnreadableSourceError(
            "address_not_read", where=shown(address), name=type(error).__name__
        ) from None
