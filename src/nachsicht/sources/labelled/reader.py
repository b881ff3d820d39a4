"""Files of SPSS (.sav, .zsav, .por), Stata (.dta) and SAS (.sas7bdat, .xpt), by pyreadstat."""

from __future__ import annotations

import importlib.util
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceError
from nachsicht.model.dataset_schema import ColumnDescription, Description
from nachsicht.sources.compression import errors_as_damaged
from nachsicht.sources.labelled.values import Missing, labelled_column
from nachsicht.sources.protocol import Opened, SourceFacts

#: By the suffix of a file: what reads it, what it is called, and what can be asked of its reader.
_READERS = {
    ".sav": ("read_sav", "spss", {"user_missing": True}),
    ".zsav": ("read_sav", "spss", {"user_missing": True}),
    ".por": ("read_por", "spss", {}),
    ".dta": ("read_dta", "stata", {"user_missing": True}),
    ".sas7bdat": ("read_sas7bdat", "sas", {"user_missing": True}),
    ".xpt": ("read_xport", "sas", {}),
    ".xport": ("read_xport", "sas", {}),
}
#: What a cell is expected to take in memory, where the number of rows is known.
_CELL_BYTES = 16


def open_labelled(path: Path, reading: ReadOptions, facts: SourceFacts) -> Opened:
    """A table whose values come with their labels, and missing ones with their reasons.

    Where all values of a variable have labels, it is read as these, in the order of the values.
    Labels of variables are titles in the description of the table.

    Raises
    ------
    SourceError
        If pyreadstat is not installed, or the file is damaged.
    """
    if importlib.util.find_spec("pyreadstat") is None:
        raise SourceError("no_pyreadstat", where=str(path))
    facts.format = _READERS[path.suffix.lower()][1]
    _, about = _read(path, reading, metadataonly=True)
    rows = about.number_rows
    expected = (
        rows * about.number_columns * _CELL_BYTES
        if rows is not None and rows >= 0
        else 2 * (facts.size_bytes or 0)
    )
    held: list[Any] = []

    def table() -> Any:
        if not held:
            found, facts.missing_reasons = _table(*_read(path, reading))
            held.append(found)
        return held[0]

    return Opened(
        facts,
        expected,
        table,
        lambda: iter([(table(), facts.size_bytes or 0)]),
        description=_description(path.name, about),
        whole=True,
    )


def _read(path: Path, reading: ReadOptions, *, metadataonly: bool = False) -> tuple[Any, Any]:
    import pyreadstat

    name, called, options = _READERS[path.suffix.lower()]
    read: Callable[..., tuple[Any, Any]] = getattr(pyreadstat, name)
    with errors_as_damaged(path, called.upper(), Exception):
        return read(
            str(path),
            output_format="dict",
            metadataonly=metadataonly,
            **options,
            **({"encoding": reading.encoding} if reading.encoding else {}),
        )


def _table(columns: dict[str, Any], about: Any) -> tuple[Any, dict[str, dict[str, int]]]:
    """The table, and in how many rows a value is missing for each reason, by column."""
    arrays, reasons = [], {}
    for name, values in columns.items():
        missing = Missing(
            tuple((r["lo"], r["hi"]) for r in about.missing_ranges.get(name, ())),
            tuple(about.missing_user_values.get(name) or ()),
        )
        labels = about.variable_value_labels.get(name) or {}
        ordered = about.variable_measure.get(name) != "nominal"
        found = labelled_column(values, labels, missing, ordered=ordered)
        arrays.append(found.array)
        if found.missing_reasons:
            reasons[name] = found.missing_reasons
    return pa.table(arrays, names=list(columns)), reasons


def _description(source: str, about: Any) -> Description | None:
    """The labels of the variables and of the file; None where there are none."""
    labels = {name: label for name, label in about.column_names_to_labels.items() if label}
    title = about.file_label or ""
    text = "\n".join(note for note in about.notes or () if note)
    if not (labels or title or text):
        return None
    columns = tuple(ColumnDescription(name=name, title=label) for name, label in labels.items())
    return Description(source=source, columns=columns, whole=False, title=title, text=text)
