"""Notes of a source: what was unusual about reading it, as codes with their facts."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from nachsicht.i18n import phrase


class Note(msgspec.Struct, frozen=True):
    """One thing that is worth knowing about how the data was read.

    ``code`` names its text under ``notes`` in the catalogues, ``facts`` fill it in.
    """

    code: str
    facts: Mapping[str, int | float | str | tuple[str, ...]] = {}

    def __str__(self) -> str:
        """The note in the current language; its code, where a document holds another one."""
        try:
            return phrase(f"notes.{self.code}", **self.facts)
        except KeyError:
            return self.code

    def __hash__(self) -> int:
        return hash((self.code, *sorted(map(str, self.facts.items()))))
