"""Compressed files, recognised by their first bytes, and archives, recognised by their names."""

from __future__ import annotations

import contextlib
import lzma
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from nachsicht.errors import NachsichtError, UnreadableSourceError

#: Beginnings that tell a compression whatever the name says.
COMPRESSIONS = {
    b"\x1f\x8b": "gzip",
    b"BZh": "bz2",
    b"\x28\xb5\x2f\xfd": "zstd",
    b"\xfd7zXZ\x00": "xz",
}

#: Names that end so are archives; a workbook is a zip file too, and is none.
_ARCHIVES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tar.xz", ".tar.zst")
#: Files of at most so many bytes are unpacked once to know their size; of larger ones so much.
_COUNTED, _TRIAL = 64 << 20, 16 << 20
_AT_ONCE = 1 << 20
#: What is raised where compressed content is damaged or cut off.
BROKEN = (OSError, EOFError, zlib.error, lzma.LZMAError)
#: What a damaged or encrypted zip archive raises beside: its version, the letters of its names.
BROKEN_ZIP = (zipfile.BadZipFile, RuntimeError, UnicodeError)


def is_archive(path: Path) -> bool:
    """Whether a file is an archive, by its name."""
    return path.name.lower().endswith(_ARCHIVES)


def compression_of(head: bytes) -> str | None:
    """How a file is compressed, recognised by its first bytes."""
    return next((name for sign, name in COMPRESSIONS.items() if head.startswith(sign)), None)


def open_bytes(path: Path, compression: str | None) -> Any:
    """A binary stream of the content, decompressed."""
    if compression == "xz":
        return lzma.open(path)
    import pyarrow as pa

    return pa.input_stream(str(path), compression=compression)


def unpacked_bytes(path: Path, compression: str | None) -> int:
    """The size of what comes out of a file: counted, of very large ones reckoned from a part.

    What cannot be unpacked counts as far as it can; reading it tells what is wrong.
    """
    size = path.stat().st_size
    if compression is None:
        return size
    import pyarrow as pa

    raw = pa.OSFile(str(path))
    packed: Any = raw
    if compression == "xz":
        return _counted(open_bytes(path, compression))[0]
    packed = pa.CompressedInputStream(raw, compression)
    try:
        most = None if size <= _COUNTED else _TRIAL
        out, taken = _counted(packed, raw, most)
    finally:
        raw.close()
    return out if most is None else int(out * size / max(taken, 1))


def _counted(stream: Any, raw: Any = None, most: int | None = None) -> tuple[int, int]:
    """Bytes that come out, and how many went in, until ``most`` of these."""
    out = 0
    try:
        while chunk := stream.read(_AT_ONCE):
            out += len(chunk)
            if most is not None and raw.tell() >= most:
                break
    except (*BROKEN, ValueError):
        pass
    return out, raw.tell() if raw is not None else 0


@contextlib.contextmanager
def errors_as_damaged(path: object, name: str, *others: type[Exception]) -> Iterator[None]:
    """Tell what Arrow, the system or others say of a file as damage of a file of that format."""
    import pyarrow as pa

    try:
        yield
    except NachsichtError:
        raise
    except (pa.ArrowException, OSError, *others) as error:
        reason = (str(error).splitlines() or [type(error).__name__])[0].rstrip(".")
        raise UnreadableSourceError(
            "damaged_format", where=str(path), name=name, reason=reason
        ) from error
