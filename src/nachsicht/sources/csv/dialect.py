"""How a delimited text is written: delimiter, quotes, decimal sign, and where its names stand.

Every way of reading the beginning of a file competes: each delimiter, and none, with each way of
quoting. The one wins in which lines agree on their number of fields, the line of names with them;
of several that agree, the one whose fields look least as if they held fields themselves.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from collections.abc import Iterator

import msgspec

from nachsicht.arrow.text_values import DECIMAL_COMMA, DECIMAL_POINT
from nachsicht.config.settings import ReadOptions
from nachsicht.errors import EmptySourceError, SettingsError, UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.csv.header import (
    MOSTLY,
    Rows,
    has_header,
    has_row_names,
    is_datetime,
    is_figure,
    names_figures,
    names_of,
)

DELIMITERS = ",;\t| "
#: What stands for a delimiter where there is one column: a sign that no text has.
NO_DELIMITER = "\x1f"
#: So many lines may stand before a table.
MOST_BEFORE = 20
#: Of so many letters ways compete.
_COMPETING = 1 << 16
_MOST_ROWS, _FEWEST_LINES = 250, 20
_COMMA, _POINT = re.compile(DECIMAL_COMMA), re.compile(DECIMAL_POINT)
_QUOTED = re.compile(r"(^|[,;\t| \n])'[^'\n]*'($|[,;\t| \r\n])")


class Quoting(msgspec.Struct, frozen=True):
    """The sign that quotes fields, if any does, and the sign before a quote that is none."""

    quote: str | None = '"'
    escape: str | None = None


class Dialect(msgspec.Struct, frozen=True):
    """What was found out, or given.

    Attributes
    ----------
    delimiter : str
        `NO_DELIMITER` where there is one column.
    quoting : Quoting
    decimal : str
    header : bool
        Whether a line holds the names.
    names : list of str
        Of the columns, none of them empty.
    skipped : int
        Lines of the file before the first row, that of names among them.
    before : int
        Lines before the table and its names.
    row_names : bool
        Whether the first column stands under no name.
    unnamed : int
        Columns that had to be given a name.
    agreeing : float
        Share of the lines examined that have as many fields as the table.
    """

    delimiter: str
    quoting: Quoting
    decimal: str
    header: bool
    names: list[str]
    skipped: int
    before: int = 0
    row_names: bool = False
    unnamed: int = 0
    agreeing: float = 1.0


class _Way(msgspec.Struct, frozen=True):
    """One way of reading the lines: the rows, and on which line of the file each ends."""

    delimiter: str
    quoting: Quoting
    rows: Rows
    ends: list[int]
    width: int
    first: int
    agreeing: float

    @property
    def table(self) -> Rows:
        """The rows from the line of names on."""
        return self.rows[self.first :]


def find_dialect(text: str, whole: bool, reading: ReadOptions, where: str) -> Dialect:
    """Look at the beginning of a text; what settings give is taken as it is.

    Parameters
    ----------
    text : str
        The beginning.
    whole : bool
        Whether that is all of it.
    reading : ReadOptions
        What is given.
    where : str
        The file, for errors.

    Raises
    ------
    EmptySourceError
        If it holds no line.
    SettingsError
        If the delimiter and the decimal sign are the same.
    """
    if not text.strip():
        raise EmptySourceError("no_line", where=where)
    few = text[: _enough(text)]
    way = _winner(few, whole and len(few) == len(text), reading)
    if way.delimiter == reading.decimal:
        raise SettingsError("delimiter_is_decimal", where=where)
    rows = way.table
    header = has_header(rows, way.width) if reading.header is None else reading.header
    row_names = header and has_row_names(rows, way.width)
    names = names_of(rows[0], way.width, row_names) if header else [""] * way.width
    before = way.ends[way.first - 1] if way.first else 0
    return Dialect(
        delimiter=way.delimiter,
        quoting=way.quoting,
        decimal=reading.decimal or _decimal(rows, way.delimiter),
        header=header,
        names=[name or f"column_{i}" for i, name in enumerate(names, start=1)],
        skipped=way.ends[way.first] if header else before,
        before=before,
        row_names=row_names,
        unnamed=names.count("") if header else 0,
        agreeing=way.agreeing,
    )


def _enough(text: str) -> int:
    """Letters that ways compete on: some lines at least, however long they are."""
    size = _COMPETING
    while size < len(text) and text.count("\n", 0, size) < _FEWEST_LINES:
        size *= 2
    return size


def _winner(text: str, whole: bool, reading: ReadOptions) -> _Way:
    quotings = _quotings(text, reading)
    ways = [
        way
        for delimiter in ([reading.delimiter] if reading.delimiter else DELIMITERS)
        for quoting in quotings
        if (way := _way(text, whole, delimiter, quoting))
    ]
    if reading.delimiter:
        return max(ways, key=lambda way: way.agreeing)
    fitting = [way for way in ways if way.width > 1 and _is_table(way)]
    fitting = [way for way in fitting if way.delimiter != " "] or fitting
    if fitting:
        return max(fitting, key=_fitness) if len(fitting) > 1 else fitting[0]
    alone = [_way(text, whole, NO_DELIMITER, quoting) for quoting in quotings]
    best = max((way for way in alone if way), key=lambda way: -len(way.rows), default=None)
    assert best
    # Lines that hardly agree are a table that cannot be read, not a column of texts.
    ragged = [way for way in ways if way.width > 1 and way.delimiter in ",;\t" and _has_names(way)]
    if ragged and max(way.agreeing for way in ragged) >= 0.5:
        return max(ragged, key=lambda way: way.agreeing)
    return best


def _fitness(way: _Way) -> tuple[float, int, int, float, int]:
    """Lines that agree; names that fit, with no lines before them; plain fields; columns."""
    if way.first:
        named = int(names_figures(way.table, way.width))
    else:
        named = 2 if len(way.table[0]) == way.width else 1
    return round(way.agreeing, 2), named, -way.first, _plain(way), way.width


def _quotings(text: str, reading: ReadOptions) -> list[Quoting]:
    """Ways of quoting that may be meant, the usual one first."""
    if reading.quote is not None:
        return [Quoting(reading.quote)]
    ways = [Quoting()]
    if '\\"' in text:
        ways.append(Quoting('"', "\\"))
    if '"' in text:
        ways.append(Quoting(None))
    if _QUOTED.search(text):
        ways.append(Quoting("'"))
    return ways


def _way(text: str, whole: bool, delimiter: str, quoting: Quoting) -> _Way | None:
    rows, ends = _parsed(text, whole, delimiter, quoting)
    if not rows:
        return None
    widths = Counter(len(row) for row in rows)
    # The most frequent one, of several the widest.
    width = max(widths, key=lambda n: (widths[n], n))
    first = _first_row(rows, ends, width)
    table = rows[first:]
    agreeing = sum(len(row) == width for row in table[1:] or table) / max(len(table) - 1, 1)
    return _Way(delimiter, quoting, rows, ends, width, first, agreeing)


def _parsed(text: str, whole: bool, delimiter: str, quoting: Quoting) -> tuple[Rows, list[int]]:
    """Rows that are not empty, and the line on which each ends."""
    reader = csv.reader(
        io.StringIO(text, newline=""),
        delimiter=delimiter,
        quotechar=quoting.quote,
        quoting=csv.QUOTE_MINIMAL if quoting.quote else csv.QUOTE_NONE,
        escapechar=quoting.escape,
    )
    rows, ends = [], []
    most = csv.field_size_limit(len(text) + 1)
    try:
        for row in reader:
            if row and (len(row) > 1 or row[0].strip()):
                rows.append(row)
                ends.append(reader.line_num)
            if len(rows) > _MOST_ROWS:
                break
        else:
            if not whole and len(rows) > 1:
                rows.pop()  # it may be cut
    except csv.Error:
        return [], []
    finally:
        csv.field_size_limit(most)
    return rows, ends


def _first_row(rows: Rows, ends: list[int], width: int) -> int:
    """The row of names, or the first one where there is none; others stand before the table.

    It has the width of the table; or one field less, where the first column has no name.
    """
    first = next(i for i, row in enumerate(rows) if len(row) == width)
    beside = first and ends[first] - ends[first - 1] == 1 + "".join(rows[first]).count("\n")
    if (
        beside
        and has_row_names(rows[first - 1 :], width)
        and not names_figures(rows[first:], width)
    ):
        return first - 1
    # Lines of figures are rows that do not agree, not a title.
    rows_before = any(len(r) > 2 and sum(map(is_figure, r)) * 2 > len(r) for r in rows[:first])
    return first if first <= MOST_BEFORE and len(rows) - first >= 2 and not rows_before else 0


def _is_table(way: _Way) -> bool:
    """Whether lines agree so well that the delimiter is meant."""
    if way.agreeing < MOSTLY or not _has_names(way):
        return False
    if way.delimiter == " ":
        return way.agreeing == 1.0 and _holds_numbers(way) and not _are_datetimes(way)
    if way.first and len(way.rows[way.first - 1]) == 1:
        # What stands before may be a title, or the name of a single column of texts.
        return way.first > 1 or way.ends[way.first] - way.ends[0] > 1 or _holds_numbers(way)
    return True


def _has_names(way: _Way) -> bool:
    first = way.table[0]
    return len(first) == way.width or has_row_names(way.table, way.width)


def _holds_numbers(way: _Way) -> bool:
    """Whether some column is mostly numbers or datetimes, but for its name."""
    rows = [row for row in way.table[1:] if len(row) == way.width]
    return any(
        sum(is_figure(row[i]) for row in rows) > MOSTLY * len(rows) for i in range(way.width)
    ) and bool(rows)


def _are_datetimes(way: _Way) -> bool:
    """Whether lines as a whole are datetimes, with a space between day and time."""
    rows = [row for row in way.table[1:] if len(row) == way.width]
    return way.width == 2 and all(is_datetime(" ".join(row)) for row in rows)


def _plain(way: _Way) -> float:
    """How much fields look like fields: figures count for it, what could divide them against it."""
    others = set(",;\t|") - {way.delimiter}
    fields = [field for row in way.table[1:] if len(row) == way.width for field in row]
    return round(sum(_looks(field, others) for field in fields) / max(len(fields), 1), 2)


def _looks(field: str, others: set[str]) -> int:
    if is_figure(field):
        return 1
    swallowed = "\n" in field and len(field) > 2_000  # behind a quote that was none
    return -len(others & set(field)) - ('"' in (field[:1], field[-1:])) - swallowed


def _decimal(rows: Rows, delimiter: str) -> str:
    """A comma, where numbers with one are more frequent than with a point."""
    if delimiter == ",":
        return "."
    fields = [field.strip() for row in rows[1:] for field in row]
    commas = sum(bool(_COMMA.fullmatch(field)) for field in fields)
    points = sum(bool(_POINT.fullmatch(field)) for field in fields)
    return "," if commas > points else "."


def notes_of(dialect: Dialect) -> Iterator[Note]:
    """What is unusual about a dialect."""
    delimiter, quote = dialect.delimiter, dialect.quoting.quote
    if delimiter == NO_DELIMITER:
        yield Note("one_column")
    elif delimiter != ",":
        names = {"\t": "tab", ";": "semicolon", "|": "bar", " ": "space"}
        known = names.get(delimiter)
        yield Note(f"delimiter_{known}") if known else Note("delimiter", {"sign": delimiter})
    if dialect.agreeing < 1:
        facts = {"share": dialect.agreeing, "fields": len(dialect.names)}
        yield Note("lines_agreeing", facts)
    if quote is None:
        yield Note("no_quotes")
    elif quote != '"':
        yield Note("quote", {"sign": quote})
    if dialect.quoting.escape is not None:
        yield Note("quotes_escaped")
    if dialect.decimal == ",":
        yield Note("decimal_comma")
    if dialect.before > 0:
        yield Note("lines_before", {"lines": dialect.before})
    if not dialect.header:
        yield Note("no_header")
    if dialect.row_names:
        yield Note("unnamed_first", {"name": dialect.names[0]})
    elif dialect.unnamed > 0:
        yield Note("unnamed_columns", {"columns": dialect.unnamed})


def check_reading(reading: ReadOptions) -> None:
    """Refuse signs that nothing can be read with.

    Raises
    ------
    SettingsError
        If a delimiter or quote is not one ASCII character, or the decimal sign is neither
        a point nor a comma, or the encoding is not known.
    """
    for name in ("delimiter", "quote"):
        sign = getattr(reading, name)
        if sign is not None and (len(sign) != 1 or not sign.isascii() or sign in "\r\n\0"):
            raise SettingsError("not_one_character", where=f"{name} {sign!r}", name=name)
    if reading.decimal is not None and reading.decimal not in (".", ","):
        raise SettingsError("wrong_decimal", where=f"decimal {reading.decimal!r}")
    if reading.encoding is not None:
        decode(b"", reading.encoding)
    if reading.quote is not None and reading.quote == reading.delimiter:
        raise SettingsError("delimiter_is_quote", where=repr(reading.quote))


def decode(sample: bytes, encoding: str) -> str:
    """The text of a sample in an encoding that may have been given.

    Raises
    ------
    UnreadableSourceError
        If the encoding is not known, or is none of texts.
    """
    try:
        # A character may be cut at the end of the sample.
        "".encode(encoding)  # some are not of texts
        return codecs.getincrementaldecoder(encoding)("replace").decode(sample)
    except (LookupError, UnicodeError, TypeError, AssertionError) as error:
        raise UnreadableSourceError("unknown_encoding", where=encoding) from error
