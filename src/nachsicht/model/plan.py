"""How a profile would be computed, told before it is."""

from __future__ import annotations

import msgspec

from nachsicht.i18n import printable


class Plan(msgspec.Struct, frozen=True, kw_only=True):
    """What is read, where it is computed, and what will be exact.

    Attributes
    ----------
    source, format : str
        What the page's origin will say.
    source_bytes : int, optional
        Size where it is kept.
    engine : str
        ``local``, ``dask`` or ``spark``.
    pieces : int, optional
        In how many pieces it is read; 1 at once, None where that shows only while reading.
    passes : int
        How often the data is read.
    data_bytes : int, optional
        About what the data takes in memory; None where a cluster keeps it.
    memory_bytes : int
        What may be used.
    exact : bool
        Whether every figure is; else columns whose values take more than their share of the
        memory become estimates that state their error.
    lines : tuple of str
        The same in words.
    """

    source: str
    format: str
    source_bytes: int | None
    engine: str
    pieces: int | None
    passes: int
    data_bytes: int | None
    memory_bytes: int
    exact: bool
    lines: tuple[str, ...]

    def __str__(self) -> str:
        return "\n".join(map(printable, self.lines))

    __repr__ = __str__
