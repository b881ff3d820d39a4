"""Tables in HTML and XML, by pandas' readers with lxml."""

from __future__ import annotations

import importlib.util
from collections.abc import Callable
from pathlib import Path
from typing import Any

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import EmptySourceError, SourceError
from nachsicht.model.notes import Note
from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.dataframes import table_of_pandas
from nachsicht.sources.protocol import Opened, SourceFacts

#: Memory of a table while it is read, in sizes of its text.
_IN_MEMORY = 2


def open_html(path: Path, reading: ReadOptions, facts: SourceFacts) -> Opened:
    """The largest table of a page, by its cells."""
    facts.format = "html"
    return _opened(path, facts, lambda: _largest(path, reading, facts))


def open_xml(path: Path, reading: ReadOptions, facts: SourceFacts) -> Opened:
    """The elements below the root as rows; their attributes and elements are the columns."""
    facts.format = "xml"
    return _opened(path, facts, lambda: _rows_of_xml(path, reading))


def _opened(path: Path, facts: SourceFacts, read: Callable[[], Any]) -> Opened:
    if any(importlib.util.find_spec(name) is None for name in ("pandas", "lxml")):
        raise SourceError("no_lxml", where=str(path))
    held: list[Any] = []

    def table() -> Any:
        if not held:
            with errors_as_damaged(path, facts.format.upper(), Exception):
                held.append(table_of_pandas(read(), facts.notes))
        return held[0]

    size = _IN_MEMORY * (facts.size_bytes or 0)
    return Opened(facts, size, table, lambda: iter([(table(), size)]), whole=True)


def _largest(path: Path, reading: ReadOptions, facts: SourceFacts) -> Any:
    import pandas as pd

    try:
        tables = pd.read_html(
            path,
            flavor="lxml",
            encoding=reading.encoding,
            decimal=reading.decimal or ".",
            # A comma may as well begin decimals: what it is, all values of the column tell.
            thousands=None,
            keep_default_na=False,
            na_values=[""],
        )
    except ValueError as error:
        if "No tables found" in str(error):
            raise EmptySourceError("no_table_in_page", where=str(path)) from error
        raise
    sizes = [table.size for table in tables]
    place = sizes.index(max(sizes))
    facts.notes.append(Note("table_of_page", {"number": place + 1, "of": len(tables)}))
    return tables[place]


def _rows_of_xml(path: Path, reading: ReadOptions) -> Any:
    import pandas as pd

    return pd.read_xml(path, encoding=reading.encoding or "utf-8", parser="lxml")
