"""ORC files."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.protocol import Opened, Piece, SourceFacts


def open_orc(path: Path, facts: SourceFacts) -> Opened:
    """An ORC file; its stripes are read one after the other where it is streamed."""
    from pyarrow import orc

    facts.format = "orc"
    with errors_as_damaged(path, "ORC"):
        file = orc.ORCFile(str(path))
        stripes, rows = file.nstripes, file.nrows
        first = file.read_stripe(0) if stripes else None
    expected = first.nbytes * rows // max(first.num_rows, 1) if first else 0

    def table() -> Any:
        with errors_as_damaged(path, "ORC"):
            return orc.ORCFile(str(path)).read()

    def batches() -> Iterator[tuple[Any, int]]:
        for stripe in range(stripes):
            batch = _stripe(path, stripe)
            yield batch, (facts.size_bytes or 0) * (stripe + 1) // stripes

    def pieces() -> list[Piece]:
        return [Piece(partial(_stripe_table, path, stripe)) for stripe in range(stripes)]

    return Opened(facts, expected, table, batches, pieces if stripes else None)


def _stripe(path: Path, stripe: int) -> Any:
    from pyarrow import orc

    with errors_as_damaged(path, "ORC"):
        return orc.ORCFile(str(path)).read_stripe(stripe)


def _stripe_table(path: Path, stripe: int) -> Any:
    return pa.Table.from_batches([_stripe(path, stripe)])
