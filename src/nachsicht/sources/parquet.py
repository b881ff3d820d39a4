"""Parquet files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.errors import SourceUnreadable


def read_parquet(path: Path) -> tuple[Any, tuple[str, ...]]:
    """Read a Parquet file as a table."""
    import pyarrow.parquet as pq

    try:
        return pq.ParquetFile(path).read(), ()
    except (pa.ArrowException, OSError) as error:
        raise SourceUnreadable(
            f"the file is no Parquet file, or is damaged ({_one_line(error)})",
            where=str(path),
            todo="Write it again, or check that it was copied completely.",
        ) from error


def _one_line(error: Exception) -> str:
    return str(error).splitlines()[0].rstrip(".")
