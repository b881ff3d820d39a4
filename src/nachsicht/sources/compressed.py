"""Compressed files, told by their first bytes, and archives, told by their names."""

from __future__ import annotations

from pathlib import Path
from typing import Any

#: Beginnings that tell a compression whatever the name says.
COMPRESSIONS = {
    b"\x1f\x8b": "gzip",
    b"BZh": "bz2",
    b"\x28\xb5\x2f\xfd": "zstd",
    b"\xfd7zXZ\x00": "xz",
}

#: Names that end so are archives; a workbook is a zip file too, and is none.
_ARCHIVES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tar.xz", ".tar.zst")


def is_archive(path: Path) -> bool:
    """Whether a file is an archive, by its name."""
    return path.name.lower().endswith(_ARCHIVES)


def compression_of(head: bytes) -> str | None:
    """How a file is compressed, told by its first bytes."""
    return next((name for sign, name in COMPRESSIONS.items() if head.startswith(sign)), None)


def open_bytes(path: Path, compression: str | None) -> Any:
    """A binary stream of the content, decompressed."""
    if compression == "xz":
        import lzma

        return lzma.open(path)
    import pyarrow as pa

    return pa.input_stream(str(path), compression=compression)
