"""A source with what describes its columns: a file that the user named, or one beside the data."""

from __future__ import annotations

from pathlib import Path

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.model.dataset_schema import Description
from nachsicht.model.notes import Note
from nachsicht.sources.protocol import Opened, Source
from nachsicht.sources.schemas.discover import description_beside, description_in
from nachsicht.sources.selection import described_only, selected


class DescribedSource(msgspec.Struct, frozen=True):
    """A source whose description is looked for when it is opened.

    Attributes
    ----------
    source : Source
        The data.
    path : Path, optional
        Where it lies, if it is a file or a folder.
    reading : ReadOptions
        May name the description, or forbid to look for one.
    """

    source: Source
    path: Path | None
    reading: ReadOptions

    @property
    def label(self) -> str:
        """That of the data."""
        return self.source.label

    def open(self) -> Opened:
        """Open the data and read what describes it."""
        opened = selected(self.source.open(), self.reading)
        named = self.reading.description
        found: Description | None = None
        if named:
            found = description_in(Path(named), self.path)
        elif named is None and self.path and self.path.exists():
            found = description_beside(self.path) or opened.description
        elif named is None:
            found = opened.description
        found = described_only(found, self.reading.only)
        opened.facts.notes.extend(_unusable_patterns(found))
        return msgspec.structs.replace(opened, description=found)


def _unusable_patterns(description: Description | None) -> list[Note]:
    """Notes of the patterns that cannot be compared with texts."""
    columns = description.columns if description else ()
    stated = {column.name: column.pattern for column in columns if column.pattern is not None}
    if not stated:
        return []
    # Few descriptions have patterns, and what holds them is slow to import.
    from nachsicht.arrow.types import is_usable_pattern

    broken = (name for name, pattern in stated.items() if not is_usable_pattern(pattern))
    return [Note("unusable_pattern", {"column": name}) for name in broken]
