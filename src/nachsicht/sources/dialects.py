"""How a delimited text is written: encoding, delimiter, quote, decimal sign, header."""

from __future__ import annotations

import csv
import re
from collections import Counter
from itertools import pairwise
from pathlib import Path

import msgspec

from nachsicht.errors import SourceEmpty, SourceUnreadable
from nachsicht.settings import Reading
from nachsicht.sources.compressed import open_bytes

#: A space only where nothing else divides the lines.
DELIMITERS = ",;\t| "
#: Bytes at the beginning of a file from which its dialect is told.
SAMPLE = 1 << 16
#: So many lines may stand before a table; and the share of its lines that must agree on a
#: number of fields for them to be skipped.
MOST_BEFORE = 20
MOSTLY = 0.9
_NUMBER = re.compile(r"[+-]?\d+([.,]\d+)?([eE][+-]?\d+)?")
_COMMA = re.compile(r"[+-]?\d+,\d+")
_POINT = re.compile(r"[+-]?\d+\.\d+")


class Dialect(msgspec.Struct, frozen=True):
    """What was found out, or given.

    ``names`` are those of the columns; ``skipped`` lines at the beginning belong to no table.
    """

    encoding: str
    delimiter: str
    quote: str
    decimal: str
    header: bool
    names: list[str]
    skipped: int


def find_dialect(path: Path, compression: str | None, reading: Reading) -> Dialect:
    """Look at the beginning of a file; what settings give is taken as it is.

    Raises
    ------
    SourceUnreadable
        If the file holds no text.
    SourceEmpty
        If it holds no line.
    """
    sample = _sample(path, compression)
    encoding = reading.encoding or _encoding(sample, path)
    try:
        text = sample.decode(encoding, errors="replace")
    except LookupError as error:
        raise SourceUnreadable(
            "this encoding is not known", where=encoding, todo="Try utf-8 or cp1252."
        ) from error
    numbered = [(i, line) for i, line in enumerate(text.splitlines()[:200]) if line.strip()]
    lines = [line for _, line in numbered]
    if len(sample) == SAMPLE and len(lines) > 1:
        lines.pop()  # it may be cut
    if not lines:
        raise SourceEmpty("the file holds no line", where=str(path))
    quote = reading.quote or '"'
    delimiter = reading.delimiter or _delimiter(lines, quote)
    rows = list(csv.reader(lines, delimiter=delimiter, quotechar=quote))
    before = _lines_before(rows)
    rows = rows[before:]
    header = _has_header(rows) if reading.header is None else reading.header
    return Dialect(
        "utf-8" if encoding == "utf-8-sig" else encoding,
        delimiter,
        quote,
        reading.decimal or _decimal(rows, delimiter),
        header,
        rows[0] if header else [f"column_{i}" for i in range(1, len(rows[0]) + 1)],
        numbered[before][0] if before else 0,
    )


def spoken(dialect: Dialect, compression: str | None) -> list[str]:
    """What is unusual about a dialect, in words."""
    names = {"\t": "tab", ";": "semicolon", "|": "bar", " ": "space"}
    told = []
    if compression:
        told.append(f"compressed by {compression}")
    if dialect.delimiter != ",":
        told.append(f"delimiter {names.get(dialect.delimiter, dialect.delimiter)}")
    if dialect.encoding != "utf-8":
        told.append(f"encoding {dialect.encoding}")
    if dialect.decimal != ".":
        told.append("decimal comma")
    if dialect.skipped:
        told.append(f"lines before the table: {dialect.skipped}")
    if not dialect.header:
        told.append("no line of names")
    return told


def _sample(path: Path, compression: str | None) -> bytes:
    try:
        with open_bytes(path, compression) as file:
            sample: bytes = file.read(SAMPLE)
            return sample
    except (OSError, EOFError) as error:
        raise SourceUnreadable(
            f"the file cannot be decompressed ({error})", where=str(path)
        ) from error


def _encoding(sample: bytes, path: Path) -> str:
    if sample.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in sample:
        raise SourceUnreadable(
            "the file is no table: it holds bytes that no text has",
            where=str(path),
            todo="Give a CSV, Parquet, Arrow, JSON or Excel file.",
        )
    try:
        # A character may be cut at the end of the sample.
        sample[: sample.rfind(b"\n") + 1 or None].decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig" if sample.startswith(b"\xef\xbb\xbf") else "utf-8"


def _delimiter(lines: list[str], quote: str) -> str:
    """The delimiter that gives the same number of fields, above one, in most lines."""
    scores = {}
    for delimiter in DELIMITERS:
        rows = csv.reader(lines, delimiter=delimiter, quotechar=quote)
        widths = Counter(len(row) for row in rows)
        width, agreeing = max(widths.items(), key=lambda entry: (entry[1], entry[0]))
        scores[delimiter] = (agreeing / len(lines) if width > 1 else 0.0, width)
    return max(DELIMITERS, key=lambda delimiter: scores[delimiter])


def _lines_before(rows: list[list[str]]) -> int:
    """How many lines at the beginning are no part of the table.

    Those that have another number of fields than nearly all lines behind them.
    """
    (width, _), *_ = Counter(len(row) for row in rows).most_common(1)
    first = next(i for i, row in enumerate(rows) if len(row) == width)
    table = rows[first:]
    agreeing = sum(len(row) == width for row in table)
    usable = first <= MOST_BEFORE and len(table) >= 3 and agreeing >= MOSTLY * len(table)
    return first if usable else 0


def _decimal(rows: list[list[str]], delimiter: str) -> str:
    """A comma, where numbers with one are more frequent than with a point."""
    if delimiter == ",":
        return "."
    fields = [field.strip() for row in rows[1:] for field in row]
    commas = sum(bool(_COMMA.fullmatch(field)) for field in fields)
    points = sum(bool(_POINT.fullmatch(field)) for field in fields)
    return "," if commas > points else "."


def _has_header(rows: list[list[str]]) -> bool:
    """Whether the first line holds names.

    It does not where it holds a number and every field is of the sort of those beneath it;
    but whole numbers that rise, such as years, are names.
    """
    first, others = rows[0], [row for row in rows[1:] if len(row) == len(rows[0])]
    numbers = [field for field in first if _NUMBER.fullmatch(field.strip())]
    if not numbers or not others:
        return True
    years = [field for field in numbers if field.strip().isdigit()]
    if len(years) == len(numbers) > 1:
        values = list(map(int, years))
        if all(a < b for a, b in pairwise(values)):
            return True
    for i, name in enumerate(first):
        below = [bool(_NUMBER.fullmatch(row[i].strip())) for row in others if row[i].strip()]
        is_number = bool(_NUMBER.fullmatch(name.strip()))
        if below and is_number != (sum(below) * 2 > len(below)):
            return True
    return False
