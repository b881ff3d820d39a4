"""A source with what describes its columns: a file that the user named, or one beside the data."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from nachsicht.compute.held_against import unusable
from nachsicht.contracts import Opened, Source
from nachsicht.model.description import Description
from nachsicht.settings import Reading
from nachsicht.sources.descriptions import description_beside, description_in
from nachsicht.words import phrase


@dataclass(frozen=True)
class DescribedSource:
    """A source whose description is looked for when it is opened.

    Attributes
    ----------
    source : Source
        The data.
    path : Path, optional
        Where it lies, if it is a file or a folder.
    reading : Reading
        May name the description, or forbid to look for one.
    """

    source: Source
    path: Path | None
    reading: Reading

    @property
    def label(self) -> str:
        """That of the data."""
        return self.source.label

    def open(self) -> Opened:
        """Open the data and read what describes it."""
        opened = self.source.open()
        named = self.reading.description
        found: Description | None = None
        if named:
            found = description_in(Path(named), self.path)
        elif named is None and self.path and self.path.exists():
            found = description_beside(self.path) or opened.description
        elif named is None:
            found = opened.description
        for column in found.columns if found else ():
            if column.pattern is not None and unusable(column.pattern):
                opened.facts.notes.append(phrase("page.unusable_pattern", column=column.name))
        return replace(opened, description=found)
