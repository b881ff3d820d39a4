"""Tables at an address that fsspec knows: s3://, https://, memory:// and so on."""

from __future__ import annotations

import shutil
from pathlib import Path, PurePosixPath
from typing import BinaryIO
from urllib.parse import urlsplit

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceNotFoundError, UnreadableSourceError
from nachsicht.sources.archives import ArchiveSource
from nachsicht.sources.compression import is_archive
from nachsicht.sources.files import FileSource, plain_name
from nachsicht.sources.protocol import Opened
from nachsicht.sources.stdin import open_copied


class RemoteSource(msgspec.Struct, frozen=True):
    """A file at an address. It is copied to a place of its own, which goes when it is read."""

    address: str
    reading: ReadOptions

    @property
    def _name(self) -> str:
        return PurePosixPath(urlsplit(self.address).path).name or "data"

    @property
    def label(self) -> str:
        """The file's name without suffixes."""
        return plain_name(self._name)

    @property
    def _shown(self) -> str:
        """The address without user, password and what stands behind a question mark."""
        parts = urlsplit(self.address)
        return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}{parts.path}"

    def open(self) -> Opened:
        """Copy the file and open the copy."""
        try:
            import fsspec  # type: ignore[import-untyped,unused-ignore]
        except ImportError as error:
            raise UnreadableSourceError("no_fsspec", where=self._shown) from error

        def write(file: BinaryIO) -> None:
            try:
                with fsspec.open(self.address, "rb") as remote:
                    shutil.copyfileobj(remote, file)
            except FileNotFoundError:
                raise SourceNotFoundError("no_file", where=self._shown) from None
            except ImportError as error:
                raise UnreadableSourceError(
                    "no_protocol_package",
                    where=self._shown,
                    value=error.name or "that fsspec names",
                ) from None
            except Exception as error:
                # The message of a foreign library may hold the address with its secrets.
                raise UnreadableSourceError(
                    "address_not_read", where=self._shown, name=type(error).__name__
                ) from None

        kind = ArchiveSource if is_archive(Path(self._name)) else FileSource
        return open_copied(write, self._name, self._shown, self.reading, kind)
