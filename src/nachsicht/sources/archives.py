"""Archives (zip, tar): their files are parts of one dataset, or the one table that is in them."""

from __future__ import annotations

import errno
import shutil
import tarfile
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

import msgspec
import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import EmptySourceError, SourceNotFoundError, UnreadableSourceError
from nachsicht.sources.compression import BROKEN, BROKEN_ZIP, compression_of, open_bytes
from nachsicht.sources.files import plain_name
from nachsicht.sources.folders import MOST_FILES, too_many_files
from nachsicht.sources.protocol import Opened
from nachsicht.sources.stdin import open_folder

#: What is raised where the content of an archive is damaged, cut off or encrypted.
_BROKEN = (*BROKEN, *BROKEN_ZIP, tarfile.TarError, pa.ArrowException)


#: Bytes that unpacking leaves on the disk, and that are copied at once.
_KEPT_FREE, _AT_ONCE = 256 << 20, 1 << 20


class ArchiveSource(msgspec.Struct, frozen=True):
    """All files of an archive, in the order of their names."""

    path: Path
    reading: ReadOptions

    @property
    def label(self) -> str:
        """The archive's name without suffixes."""
        return plain_name(self.path.name)

    def open(self) -> Opened:
        """Unpack the files to a place of their own, which goes when they are read."""
        if not self.path.exists():
            raise SourceNotFoundError("no_file", where=str(self.path))

        def write(folder: Path) -> None:
            try:
                found, room = 0, shutil.disk_usage(folder).free - _KEPT_FREE
                for found, (name, content) in enumerate(self._files(), 1):
                    if found > MOST_FILES:
                        raise too_many_files(self.path)
                    # A name of our own: one in an archive can lead anywhere.
                    with content, (folder / f"{found:06d}_{name}").open("wb") as file:
                        while chunk := content.read(_AT_ONCE):
                            room -= len(chunk)
                            if room < 0:
                                raise OSError(errno.ENOSPC, "there is no room for what it holds")
                            file.write(chunk)
            except _BROKEN as error:
                if isinstance(error, OSError) and error.errno:
                    raise  # of the place that is written to, not of what is read
                reason = str(error).partition("\n")[0] or type(error).__name__
                raise UnreadableSourceError(
                    "archive_not_unpacked", where=str(self.path), value=reason
                ) from error
            if not found:
                raise EmptySourceError("archive_empty", where=str(self.path))

        return open_folder(write, self.path.name, self.reading)

    def _files(self) -> Iterator[tuple[str, BinaryIO]]:
        """Names without folders and contents, in the order of the whole names."""
        with _members(self.path) as members:
            for name in sorted(members):
                own = PurePosixPath(name.replace("\\", "/")).name
                if not own.startswith((".", "_")):
                    yield own, members[name]()


@contextmanager
def _members(path: Path) -> Iterator[dict[str, Callable[[], Any]]]:
    """What opens each file of an archive, by its name."""
    if path.name.lower().endswith(".zip"):
        with zipfile.ZipFile(path) as zipped:
            infos = [info for info in zipped.infolist() if not info.is_dir()]
            yield {info.filename: partial(zipped.open, info) for info in infos}
    else:
        with _plain(path) as file, tarfile.open(fileobj=file) as packed:
            files = [member for member in packed.getmembers() if member.isfile()]
            yield {file.name: partial(packed.extractfile, file) for file in files}


@contextmanager
def _plain(path: Path) -> Iterator[BinaryIO]:
    """A tar without its compression, read to its end, where alone the check sum stands."""
    with path.open("rb") as file:
        compression = compression_of(file.read(8))
        if compression is None:
            file.seek(0)
            yield file
            return
    with tempfile.TemporaryFile() as plain:
        with open_bytes(path, compression) as packed:
            shutil.copyfileobj(packed, plain)
        plain.seek(0)
        yield plain
