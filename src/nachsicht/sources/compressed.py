"""Compressed files, told by their first bytes."""

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
