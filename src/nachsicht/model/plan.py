"""How a profile would be computed."""

from __future__ import annotations

import msgspec

from nachsicht.i18n import format_name, lookup, phrase, printable, size


class Plan(msgspec.Struct, frozen=True, kw_only=True):
    """What is read, where it is computed, and what will be exact.

    Attributes
    ----------
    source, format : str
        What the page's origin will say.
    source_bytes : int, optional
        Size where it is kept.
    engine : str
        ``local``, ``dask``, ``spark`` or ``sql``.
    threads : int
        How many threads compute on this machine.
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
    """

    source: str
    format: str
    source_bytes: int | None
    engine: str
    threads: int
    pieces: int | None
    passes: int
    data_bytes: int | None
    memory_bytes: int
    exact: bool

    @property
    def lines(self) -> tuple[str, ...]:
        """The same in words, in the current language."""
        size_read = f" · {size(self.source_bytes)}" if self.source_bytes else ""
        source = phrase("plan.source", source=self.source, format=format_name(self.format) or "–")
        memory = size(self.memory_bytes)
        return (
            source + size_read,
            self._of_engine("engine", n=self.threads),
            phrase("plan.at_once") if self.exact else self._of_engine("pieces", passes=self.passes),
            phrase("plan.memory", memory=memory)
            if self.data_bytes is None
            else phrase("plan.memory_of", data=size(self.data_bytes), memory=memory),
            phrase("plan.exact") if self.exact else self._of_engine("estimates"),
            *(() if self.exact else (self._of_engine("again"),)),
        )

    def _of_engine(self, about: str, **facts: object) -> str:
        """A sentence about this engine, or a general one where the catalogue has none of it."""
        path = f"plan.{about}_{self.engine}"
        if lookup(path) is None:
            path = f"plan.{about}_other"
        return phrase(path, engine=self.engine, **facts)

    def __str__(self) -> str:
        return "\n".join(map(printable, self.lines))

    __repr__ = __str__
