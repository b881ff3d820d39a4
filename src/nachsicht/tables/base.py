"""What all parts can do: become a frame, print themselves, show themselves in a notebook."""

from __future__ import annotations

import html
from collections.abc import Mapping, Sequence
from typing import Any

from nachsicht.errors import OutputError, SettingsError
from nachsicht.i18n import phrase, printable

#: Rows that a part prints; all are in its frame.
_SHOWN = 20
_WIDTH = 100
LIBRARIES = ("pandas", "polars", "arrow")

Columns = Mapping[str, Sequence[Any]]


class Part:
    """A part of a profile or comparison. Subclasses say what its table holds."""

    #: Names what the part is called, under ``parts`` in the catalogues.
    _name = ""

    @property
    def title(self) -> str:
        """What the part is called where it is printed."""
        return phrase(f"parts.{self._name}")

    def columns(self) -> Columns:
        """The table of the part: values by the names of its columns."""
        raise NotImplementedError

    def to_frame(self, library: str = "pandas") -> Any:
        """The table of the part.

        Parameters
        ----------
        library : str
            ``pandas``, ``polars``, or ``arrow`` for a PyArrow table.

        Raises
        ------
        SettingsError
            If the library is another.
        OutputError
            If it is not installed.
        """
        return frame_of(self.columns(), library)

    def __repr__(self) -> str:
        from rich.box import SIMPLE_HEAD
        from rich.console import Console
        from rich.table import Table
        from rich.text import Text

        columns, left_out = _fitting(self.columns())
        table = Table(box=SIMPLE_HEAD, show_edge=False)
        for name, values in columns.items():
            numbers = all(isinstance(value, int | float | None) for value in values)
            table.add_column(Text(shown(name)), justify="right" if numbers else "left")
        rows = list(zip(*columns.values(), strict=True))
        for row in rows[:_SHOWN]:
            table.add_row(*(Text(shown(value)) for value in row))
        console = Console(width=_WIDTH, highlight=False, force_jupyter=False)
        with console.capture() as text:
            console.print(Text(shown(self.title), style="bold"))
            console.print(table)
            if len(rows) > _SHOWN:
                console.print(phrase("parts.further", n=len(rows) - _SHOWN))
            if left_out:
                console.print(Text(shown(phrase("parts.not_shown", names=", ".join(left_out)))))
        return "\n".join(line.rstrip() for line in text.get().splitlines())

    def _repr_html_(self) -> str:
        columns = self.columns()
        heads = "".join(f"<th>{html.escape(name)}</th>" for name in columns)
        rows = list(zip(*columns.values(), strict=True))
        lines = "".join(
            f"<tr>{''.join(f'<td>{html.escape(shown(value))}</td>' for value in row)}</tr>"
            for row in rows[:_SHOWN]
        )
        more = (
            f"<p>{phrase('parts.further', n=len(rows) - _SHOWN)}</p>" if len(rows) > _SHOWN else ""
        )
        return (
            f"<p><strong>{html.escape(shown(self.title))}</strong></p>"
            f"<table><thead><tr>{heads}</tr></thead><tbody>{lines}</tbody></table>{more}"
        )


def _fitting(columns: Columns) -> tuple[Columns, list[str]]:
    """The first columns, as many as fit into the width; and the names of the others."""
    kept, room = {}, _WIDTH
    for name, values in columns.items():
        cells = (shown(value) for value in values[:_SHOWN])
        room -= min(max(map(len, (name, *cells))), 40) + 3
        if room < 0:
            break
        kept[name] = values
    return kept, [name for name in columns if name not in kept]


def frame_of(columns: Columns, library: str) -> Any:
    """A table in the library that is asked for."""
    import pyarrow as pa

    return frame_of_table(pa.table({n: list(values) for n, values in columns.items()}), library)


def frame_of_table(table: Any, library: str) -> Any:
    """An Arrow table in the library that is asked for."""
    if library not in LIBRARIES:
        raise SettingsError(
            "unknown_library", where="to_frame", library=library, list=", ".join(LIBRARIES)
        )
    if library == "arrow":
        return table
    try:
        if library == "polars":
            import polars as pl  # type: ignore[import-not-found,unused-ignore]

            return pl.from_arrow(table)
        return table.to_pandas()
    except ImportError as error:
        raise OutputError("not_installed", where="to_frame", library=library) from error


def shown(value: Any) -> str:
    """A cell as it is printed."""
    if value is None:
        return "–"
    if isinstance(value, float):
        return f"{value:.4g}"
    text = ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
    return printable(text)


def with_versions(labels: Sequence[str], tables: Sequence[Columns]) -> Columns:
    """One table after the other, with a first column that names the version if there are some."""
    names = list(dict.fromkeys(name for table in tables for name in table))
    lengths = [len(next(iter(table.values()), ())) for table in tables]
    found: dict[str, list[Any]] = {}
    if len(tables) > 1:
        found["version"] = [
            label for label, n in zip(labels, lengths, strict=True) for _ in range(n)
        ]
    for name in names:
        found[name] = [
            value
            for table, n in zip(tables, lengths, strict=True)
            for value in table.get(name, [None] * n)
        ]
    return found
