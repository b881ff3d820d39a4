"""CSV and other delimited text; how it is written is found out, unless settings say."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.contracts import Opened, Restart, SourceFacts, UnreadLine
from nachsicht.errors import SourceUnreadable
from nachsicht.settings import Reading
from nachsicht.sources.compressed import open_bytes
from nachsicht.sources.dialects import Dialect, find_dialect, spoken

#: What is read as missing, beside an empty field.
MISSING_MARKS = ("", "NA", "N/A", "NaN", "nan", "null", "NULL", "#N/A")
#: A file of which more lines than this share cannot be read is no table.
MOST_UNREAD = 0.1
#: Bytes that are parsed at once.
_BLOCK = 1 << 22
_BAD_COLUMN = re.compile(r"In CSV column #(\d+)(?:.*?)conversion error", re.DOTALL)
_BAD_ROW = re.compile(r"Row #(\d+)")
#: What Arrow says before it quotes a line or a value.
_QUOTED = re.compile(r"(got \d+|invalid value|invalid row)\b.*", re.DOTALL)
_RAGGED = re.compile(r"Expected \d+ columns, got \d+")


def open_delimited(
    path: Path, compression: str | None, reading: Reading, facts: SourceFacts
) -> Opened:
    """Delimited text, with what was found out in the notes of its facts.

    Raises
    ------
    SourceUnreadable
        If the file is no text, or more than a tenth of its lines have another number of
        fields than the first.
    """
    dialect = find_dialect(path, compression, reading)
    facts.format = "delimited text"
    facts.notes += spoken(dialect, compression)
    reader = _Reader(path, compression, dialect, facts)
    expected = (facts.size_bytes or 0) * (4 if compression else 1)
    return Opened(facts, 2 * expected, reader.table, reader.batches)


class _Unread(msgspec.Struct):
    """Lines with another number of fields than the first."""

    lines: int = 0
    examples: list[UnreadLine] = msgspec.field(default_factory=list)

    def __call__(self, row: Any) -> str:
        self.lines += 1
        if len(self.examples) < 5:
            text = row.text if len(row.text) <= 60 else row.text[:60] + "…"
            self.examples.append(UnreadLine(row.number, row.actual_columns, text))
        return "skip"


class _Reader(msgspec.Struct):
    path: Path
    compression: str | None
    dialect: Dialect
    facts: SourceFacts
    types: dict[str, Any] = msgspec.field(default_factory=dict)
    #: Whether lines are known to have another number of fields than the first.
    ragged: bool = False

    def table(self) -> Any:
        """All of it, by all cores; once more by one where that finds what it cannot read."""
        from pyarrow import csv as arrow_csv

        threads = True
        while True:
            unread = _Unread()
            try:
                table = arrow_csv.read_csv(self._stream(), **self._options(unread, threads))
            except pa.ArrowInvalid as error:
                if not self._learnt(str(error)):
                    if not threads:
                        raise self._unreadable(error) from error
                    threads = False  # one thread alone knows the line of an error
            except (OSError, EOFError, UnicodeError) as error:
                raise self._unreadable(error) from error
            else:
                self._told(unread, table.num_rows)
                return table

    def batches(self) -> Iterator[tuple[Any, int]]:
        """Block by block. Where a later block asks for other options, it has to begin anew."""
        from pyarrow import csv as arrow_csv

        unread, rows = _Unread(), 0
        stream = self._stream()
        try:
            for batch in arrow_csv.open_csv(stream, **self._options(unread, threads=True)):
                rows += batch.num_rows
                yield batch, self._position(stream)
        except pa.ArrowInvalid as error:
            if self._learnt(str(error)):
                raise Restart from error
            raise self._unreadable(error) from error
        except (OSError, EOFError, UnicodeError) as error:
            raise self._unreadable(error) from error
        self._told(unread, rows)

    def _position(self, stream: Any) -> int:
        try:
            return int(stream.tell())
        except (OSError, ValueError):
            return 0

    def _stream(self) -> Any:
        stream = open_bytes(self.path, self.compression)
        return pa.PythonFile(stream) if self.compression == "xz" else stream

    def _options(self, unread: _Unread, threads: bool) -> dict[str, Any]:
        from pyarrow import csv as arrow_csv

        dialect = self.dialect
        return {
            "read_options": arrow_csv.ReadOptions(
                encoding=dialect.encoding,
                block_size=_BLOCK,
                # One thread knows the number of a line. Others might let go of what is called for
                # it when the interpreter ends already, which would end the process by force.
                use_threads=threads and not self.ragged,
                skip_rows=dialect.skipped,
                column_names=None if dialect.header else dialect.names,
            ),
            "parse_options": arrow_csv.ParseOptions(
                delimiter=dialect.delimiter,
                quote_char=dialect.quote,
                newlines_in_values=True,
                invalid_row_handler=unread if self.ragged else None,
            ),
            "convert_options": arrow_csv.ConvertOptions(
                null_values=list(MISSING_MARKS),
                strings_can_be_null=True,
                column_types=self.types,
                decimal_point=dialect.decimal,
                true_values=["true", "True", "TRUE"],
                false_values=["false", "False", "FALSE"],
            ),
        }

    def _learnt(self, message: str) -> bool:
        """Whether an error tells how to read on: past lines, or a column with a wider type."""
        if not self.ragged and _RAGGED.search(message):
            self.ragged = True
            return True
        return self._widen(message)

    def _widen(self, message: str) -> bool:
        """Give the column that failed a wider type: float after int, then text."""
        failed = _BAD_COLUMN.search(message)
        if not failed:
            return False
        name = self.dialect.names[int(failed.group(1))]
        if self.types.get(name) == pa.string():
            return False
        self.types[name] = (
            pa.string() if name in self.types or "int64" not in message else pa.float64()
        )
        return True

    def _told(self, unread: _Unread, rows: int) -> None:
        if not unread.lines:
            return
        first = unread.examples[0]
        if unread.lines > MOST_UNREAD * (rows + unread.lines):
            raise SourceUnreadable(
                f"the file is no table: {unread.lines:,} of {rows + unread.lines:,} lines have "
                "another number of fields than the first, such as line "
                f"{first.number} with {first.fields}",
                where=str(self.path),
                todo="Check the delimiter, or give it with --delimiter.",
            )
        self.facts.unread_lines = unread.lines
        self.facts.unread = unread.examples

    def _unreadable(self, error: Exception) -> SourceUnreadable:
        message = (str(error).splitlines() or ["it ends too early"])[0]
        message = message.removeprefix("CSV parse error: ").rstrip(".")
        line = _BAD_ROW.search(message)
        message = _QUOTED.sub(r"\1", message)  # values may be such as nobody shall see
        return SourceUnreadable(
            f"the file is no table that can be read ({message[:160]})",
            where=f"{self.path}, line {line.group(1)}" if line else str(self.path),
            todo="Check that it is complete, and its encoding.",
        )
