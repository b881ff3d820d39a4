"""Archives (zip, tar): their files are parts of one dataset, or the one table that is in them."""

from __future__ import annotations

import shutil
import tarfile
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

from nachsicht.contracts import Opened
from nachsicht.errors import SourceEmpty, SourceMissing, SourceUnreadable
from nachsicht.settings import Reading
from nachsicht.sources.copied import open_folder

#: Names that end so are archives; a workbook is a zip file too, and is none.
SUFFIXES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tar.xz")


def is_archive(path: Path) -> bool:
    """Whether a file is an archive, by its name."""
    return path.name.lower().endswith(SUFFIXES)


@dataclass(frozen=True)
class ArchiveSource:
    """All files of an archive, in the order of their names."""

    path: Path
    reading: Reading

    @property
    def label(self) -> str:
        """The archive's name without suffixes."""
        return self.path.name.split(".")[0] or self.path.name

    def open(self) -> Opened:
        """Unpack the files to a place of their own, which goes when they are read."""
        if not self.path.exists():
            raise SourceMissing("there is no such file", where=str(self.path))

        def write(folder: Path) -> None:
            try:
                found = 0
                for found, (name, content) in enumerate(self._files(), 1):
                    # A name of our own: one in an archive can lead anywhere.
                    with content, (folder / f"{found:06d}_{name}").open("wb") as file:
                        shutil.copyfileobj(content, file)
            except (zipfile.BadZipFile, tarfile.TarError, EOFError, RuntimeError) as error:
                raise SourceUnreadable(
                    f"the archive cannot be unpacked ({error})",
                    where=str(self.path),
                    todo="Check that it was copied completely, and is not encrypted.",
                ) from error
            if not found:
                raise SourceEmpty("there is no file in the archive", where=str(self.path))

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
        with tarfile.open(path) as packed:
            files = [member for member in packed.getmembers() if member.isfile()]
            yield {file.name: partial(packed.extractfile, file) for file in files}
