"""CSV and other delimited text; delimiter and encoding are found out."""

from __future__ import annotations

import csv
import re
from collections import Counter
from pathlib import Path
from typing import Any

import pyarrow as pa

from nachsicht.errors import SourceUnreadable

#: What is read as missing, beside an empty field.
MISSING_MARKS = ("", "NA", "N/A", "NaN", "nan", "null", "NULL", "#N/A")
DELIMITERS = ",;\t|"
#: Bytes at the beginning of a file from which delimiter and encoding are told.
_SAMPLE = 1 << 16
_BAD_COLUMN = re.compile(r"In CSV column #(\d+)(?:.*?)conversion error", re.DOTALL)
_BAD_ROW = re.compile(r"Row #(\d+)")


def read_delimited(path: Path) -> tuple[Any, tuple[str, ...]]:
    """Read delimited text with a header line.

    Returns
    -------
    (table, notes)
        The notes say what was found out: delimiter, encoding.

    Raises
    ------
    SourceUnreadable
        If the file is no text, or a line does not fit the others.
    """
    with path.open("rb") as file:
        sample = file.read(_SAMPLE)
    encoding = _encoding(sample, path)
    delimiter = _delimiter(sample.decode(encoding, errors="replace"))
    table = _read(path, encoding, delimiter)
    notes = [] if delimiter == "," else [f"delimiter {_spoken(delimiter)}"]
    if encoding not in ("utf-8", "utf-8-sig"):
        notes.append(f"encoding {encoding}")
    return table, tuple(notes)


def _spoken(delimiter: str) -> str:
    return {"\t": "tab", ";": "semicolon", "|": "bar"}.get(delimiter, delimiter)


def _encoding(sample: bytes, path: Path) -> str:
    if sample.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in sample:
        raise SourceUnreadable(
            "the file is no table: it holds bytes that no text has",
            where=str(path),
            todo="Give a CSV or Parquet file.",
        )
    try:
        # A character may be cut at the end of the sample.
        sample[: sample.rfind(b"\n") + 1 or None].decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig" if sample.startswith(b"\xef\xbb\xbf") else "utf-8"


def _delimiter(text: str) -> str:
    """The delimiter that gives the same number of fields, above one, in most lines."""
    lines = [line for line in text.splitlines()[:200] if line.strip()]
    if len(text) >= _SAMPLE - 4 and len(lines) > 1:
        lines.pop()
    scores = {}
    for delimiter in DELIMITERS:
        widths = Counter(len(row) for row in csv.reader(lines, delimiter=delimiter))
        width, agreeing = max(
            widths.items(), key=lambda entry: (entry[1], entry[0]), default=(1, 0)
        )
        scores[delimiter] = (agreeing / max(len(lines), 1) if width > 1 else 0.0, width)
    return max(DELIMITERS, key=lambda delimiter: scores[delimiter])


def _read(path: Path, encoding: str, delimiter: str) -> Any:
    """Read with inferred types; a column whose later rows do not fit is read as wider type."""
    from pyarrow import csv as arrow_csv

    types: dict[str, Any] = {}
    threads = True
    encoding = "utf-8" if encoding == "utf-8-sig" else encoding
    while True:
        try:
            return arrow_csv.read_csv(
                path,
                read_options=arrow_csv.ReadOptions(
                    encoding=encoding, block_size=1 << 22, use_threads=threads
                ),
                parse_options=arrow_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
                convert_options=arrow_csv.ConvertOptions(
                    null_values=list(MISSING_MARKS),
                    strings_can_be_null=True,
                    column_types=types,
                    true_values=["true", "True", "TRUE"],
                    false_values=["false", "False", "FALSE"],
                ),
            )
        except pa.ArrowInvalid as error:
            widened = _widened(path, encoding, delimiter, str(error), types)
            if widened is None and not threads:
                raise _unreadable(path, error) from error
            types = widened or types
            threads = widened is not None  # one thread alone knows the line of an error
        except (OSError, UnicodeError) as error:
            raise _unreadable(path, error) from error


def _widened(
    path: Path, encoding: str, delimiter: str, message: str, types: dict[str, Any]
) -> dict[str, Any] | None:
    """Column types with the one that failed made wider: floats once, then text."""
    failed = _BAD_COLUMN.search(message)
    if not failed:
        return None
    with path.open(encoding=encoding, newline="") as file:
        header = next(csv.reader(file, delimiter=delimiter))
    name = header[int(failed.group(1))]
    wider = pa.string() if name in types or "int64" not in message else pa.float64()
    return None if types.get(name) == pa.string() else {**types, name: wider}


def _unreadable(path: Path, error: Exception) -> SourceUnreadable:
    message = str(error).splitlines()[0].removeprefix("CSV parse error: ").rstrip(".")
    if len(message) > 160:
        message = message[:160] + "…"
    line = _BAD_ROW.search(message)
    where = f"{path}, line {line.group(1)}" if line else str(path)
    return SourceUnreadable(
        f"the file is no table that can be read ({message})",
        where=where,
        todo="Check that every line has the same number of fields.",
    )
