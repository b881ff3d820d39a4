"""CSV and other delimited text; how it is written is found out, unless settings say."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.compression import BROKEN, open_bytes, unpacked_bytes
from nachsicht.sources.csv.dialect import (
    NO_DELIMITER,
    Dialect,
    check_reading,
    decode,
    find_dialect,
    notes_of,
)
from nachsicht.sources.csv.encoding import (
    Encoding,
    Recoded,
    encoding_notes,
    encoding_of,
    find_encoding,
)
from nachsicht.sources.csv.padding import Padded, RaggedLines
from nachsicht.sources.csv.text_columns import (
    MISSING_MARKS,
    Texts,
    look_at_texts,
    notes_of_texts,
    without_marks,
)
from nachsicht.sources.protocol import Opened, Restart, SourceFacts
from nachsicht.sources.temporary import open_for_now

#: A file of which more lines than this share cannot be read is no table.
MOST_UNREAD = 0.1
#: Bytes at the beginning that are examined first; of a larger file, so many windows of so many
#: bytes further on.
SAMPLE, _WINDOWS, _WINDOW = 1 << 22, 16, 1 << 16
_HEAD = 1 << 20
#: Letters in which it is looked for columns that stand below each other.
_FEW = 1 << 16
_NARROW = ("utf-8", "utf-8-sig", "cp1252")
#: Bytes that are parsed at once, and at most, where a field is longer.
_BLOCK, _LONGEST = 1 << 21, 1 << 30
_BAD_COLUMN = re.compile(r"In CSV column #(\d+)(?:.*?)conversion error", re.DOTALL)
_BAD_ROW = re.compile(r"Row #(\d+)")
#: What Arrow says before it quotes a line or a value.
_QUOTED = re.compile(r"(got \d+|invalid value|invalid row)\b.*", re.DOTALL)
#: As a number of short lines: that they cannot be filled up.
_NEVER = -1
_RAGGED = re.compile(r"Expected \d+ columns, got \d+")


def open_delimited(
    path: Path, compression: str | None, reading: ReadOptions, facts: SourceFacts
) -> Opened:
    """Delimited text, with what was found out in the notes of its facts.

    Raises
    ------
    UnreadableSourceError
        If the file is no text, or more than a tenth of its lines have another number of
        fields than the first.
    SettingsError
        If it cannot be read as settings say.
    """
    if reading.delimiter == "\\t":
        reading = msgspec.structs.replace(reading, delimiter="\t")
    check_reading(reading)
    sample = _sample(path, compression)
    whole = len(sample) < SAMPLE
    sample = sample if whole else sample[:_HEAD]
    found = (
        Encoding(reading.encoding) if reading.encoding else find_encoding(sample, whole, str(path))
    )
    text = decode(sample, found.name)
    below = _columns_below(text, whole, reading, str(path))
    if reading.widths or below:
        return _open_below(path, _whole_text(path, compression, found), below, reading, facts)
    dialect = find_dialect(text, whole, reading, str(path))
    facts.format = "csv"
    reader = _Reader(path, compression, dialect, found, facts)
    reader.look_at(sample, whole)
    facts.notes += [Note("compressed", {"by": compression})] if compression else []
    facts.notes += [*notes_of(dialect), *encoding_notes(found), *notes_of_texts(reader.texts)]
    return Opened(facts, 2 * unpacked_bytes(path, compression), reader.table, reader.batches)


def _columns_below(
    text: str, whole: bool, reading: ReadOptions, where: str
) -> list[tuple[int, int]]:
    """Columns that stand below each other, where no delimiter but blanks divides the lines."""
    if reading.delimiter or reading.widths or "  " not in text[:_FEW]:
        return []
    from nachsicht.sources.csv.fixed_width import fields_in

    few = text[:_FEW]
    found = fields_in(few, whole and len(few) == len(text))
    divided = found and find_dialect(text, whole, reading, where).delimiter
    return found if divided in (" ", NO_DELIMITER) else []


def _open_below(
    path: Path,
    text: str,
    first: list[tuple[int, int]],
    reading: ReadOptions,
    facts: SourceFacts,
) -> Opened:
    """All of a text, cut where its columns end: where widths say, or all lines have blanks.

    ``first`` are the columns that its first lines have.
    """
    from nachsicht.sources.csv.fixed_width import fields_in, fields_of, write_delimited

    fields = fields_of(reading.widths) if reading.widths else fields_in(text, whole=True)
    if len(fields) < len(first):
        raise UnreadableSourceError("columns_not_below", where=str(path))
    reading = msgspec.structs.replace(reading, delimiter="\t", encoding="utf-8", widths=None)

    def opened_in(folder: Path) -> Opened:
        copy = folder / path.name
        own = SourceFacts(path.name, "csv", copy.stat().st_size)
        return open_delimited(copy, None, reading, own)

    opened = open_for_now(
        lambda folder: write_delimited(text, fields, folder / path.name), opened_in, path.name
    )
    opened.facts.notes[:] = [note for note in opened.facts.notes if note.code != "delimiter_tab"]
    opened.facts.notes.insert(0, Note("fixed_width", {"n": len(fields)}))
    opened.facts.size_bytes = facts.size_bytes
    return opened


def _whole_text(path: Path, compression: str | None, encoding: Encoding) -> str:
    try:
        with open_bytes(path, compression) as file:
            return decode(file.read(), encoding.name)
    except BROKEN as error:
        raise UnreadableSourceError("not_decompressed", where=str(path), error=error) from error


class _Reader(msgspec.Struct):
    path: Path
    compression: str | None
    dialect: Dialect
    encoding: Encoding
    facts: SourceFacts
    types: dict[str, Any] = msgspec.field(default_factory=dict)
    texts: Texts = msgspec.field(default_factory=Texts)
    #: Whether lines are known to have a different number of fields than the first.
    ragged: bool = False
    #: Those with fewer fields, once they are known, and how many there are.
    short: dict[bytes, int] = msgspec.field(default_factory=dict)
    short_lines: int = 0
    block: int = _BLOCK

    def look_at(self, sample: bytes, whole: bool) -> None:
        """Look at some of the rows as texts, for what they would lose as anything else."""
        from pyarrow import csv as arrow_csv

        # Of wide encodings, a window may begin inside of a letter.
        alone = whole or self.compression or self.encoding.name not in _NARROW
        windows = [] if alone else self._windows()
        tables = []
        for place, piece in enumerate([_whole_lines(sample, whole), *windows]):
            options = self._options(None, threads=False, skipping=not place)
            options["read_options"].block_size = max(len(piece) + 1, _BLOCK)
            options["convert_options"].column_types = dict.fromkeys(self.dialect.names, pa.string())
            options["convert_options"].strings_can_be_null = False
            options["parse_options"].invalid_row_handler = lambda _: "skip"
            try:
                utf8 = piece if self.encoding.as_it_is else decode(piece, self.encoding.name)
                utf8 = utf8 if isinstance(utf8, bytes) else utf8.encode("utf-8", "replace")
                tables.append(arrow_csv.read_csv(pa.BufferReader(utf8), **options))
            except (pa.ArrowInvalid, UnicodeError):
                continue  # a window may begin inside of a quoted field
        if not tables:
            return
        self.texts = look_at_texts(pa.concat_tables(tables), self.dialect.decimal)
        self.facts.decimals_written = self.texts.decimals
        self.types = dict.fromkeys(self.texts.losing, pa.string())

    def _windows(self) -> list[bytes]:
        """Lines from all over a file that is not compressed."""
        size = self.facts.size_bytes or 0
        found = []
        with self.path.open("rb") as file:
            for k in range(1, _WINDOWS + 1):
                file.seek(_HEAD + (size - _HEAD) * k // (_WINDOWS + 1))
                window = file.read(_WINDOW)
                found.append(_whole_lines(window[window.find(b"\n") + 1 :], whole=False))
        return found

    def table(self) -> Any:
        """All of it, by all cores; once more by one where that finds what it cannot read."""
        from pyarrow import csv as arrow_csv

        threads = True
        while True:
            unread, stream = RaggedLines(), self._stream()
            try:
                read = arrow_csv.read_csv(_for_arrow(stream), **self._options(unread, threads))
                table = self._as_meant(read)
                if self._is_otherwise(table) or self._pads(unread, table.num_rows, stream):
                    continue
            except pa.ArrowInvalid as error:
                if "Could not skip initial" in str(error):
                    return self._without_rows()
                if not self._learnt(str(error)):
                    if not threads:
                        raise self._unreadable(error) from error
                    threads = False  # one thread alone knows the line of an error
            except (*BROKEN, UnicodeError) as error:
                raise self._unreadable(error) from error
            else:
                self._note_unread(unread, table.num_rows, stream)
                return table

    def batches(self) -> Iterator[tuple[Any, int]]:
        """Block by block. Where a later block asks for other options, it has to begin anew."""
        from pyarrow import csv as arrow_csv

        unread, rows = RaggedLines(), 0
        stream = self._stream()
        try:
            opened = arrow_csv.open_csv(_for_arrow(stream), **self._options(unread, threads=True))
            for batch in opened:
                meant = self._as_meant(batch)
                if self._is_otherwise(meant):
                    raise Restart
                rows += batch.num_rows
                yield meant, self._position(stream)
        except pa.ArrowInvalid as error:
            if "Could not skip initial" in str(error):
                yield from ((batch, 0) for batch in self._without_rows().to_batches())
                return
            if self._learnt(str(error)):
                raise Restart from error
            raise self._unreadable(error) from error
        except (*BROKEN, UnicodeError) as error:
            raise self._unreadable(error) from error
        if self._pads(unread, rows, stream):
            raise Restart
        self._note_unread(unread, rows, stream)

    def _position(self, stream: Any) -> int:
        try:
            return int(stream.tell())
        except (OSError, ValueError):
            return 0

    def _stream(self) -> Any:
        stream = open_bytes(self.path, self.compression)
        if not self.encoding.as_it_is:
            stream = Recoded(stream, self.encoding.name)
        return Padded(stream, self.short, self.dialect.delimiter) if self.short else stream

    def _as_meant(self, data: Any) -> Any:
        return without_marks(data, self.texts.levels) if self.texts.levels else data

    def _without_rows(self) -> Any:
        """A file that holds its names alone."""
        return pa.table({name: pa.array([], pa.null()) for name in self.dialect.names})

    def _options(self, unread: Any, threads: bool, skipping: bool = True) -> dict[str, Any]:
        from pyarrow import csv as arrow_csv

        dialect = self.dialect
        return {
            "read_options": arrow_csv.ReadOptions(
                block_size=self.block,
                # One thread knows the number of a line. Others might let go of what is called for
                # it when the interpreter ends already, which would end the process by force.
                use_threads=threads and not self.ragged,
                skip_rows=dialect.skipped if skipping else 0,
                column_names=dialect.names,
            ),
            "parse_options": arrow_csv.ParseOptions(
                delimiter=dialect.delimiter,
                quote_char=dialect.quoting.quote or False,
                escape_char=dialect.quoting.escape or False,
                newlines_in_values=True,
                invalid_row_handler=unread if self.ragged else None,
            ),
            "convert_options": arrow_csv.ConvertOptions(
                null_values=["", *MISSING_MARKS],
                strings_can_be_null=not self.texts.levels,
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
        if "straddling object" in message and self.block < _LONGEST:
            self.block *= 4  # a field is longer than a block
            return True
        if "invalid UTF8" in message and self.encoding.as_it_is:
            return self._learn_encoding()
        return self._widen(message)

    def _learn_encoding(self) -> bool:
        """Look at every byte, since some are not UTF-8; whether that changes anything."""
        with open_bytes(self.path, self.compression) as stream:
            self.encoding = encoding_of(iter(lambda: stream.read(_HEAD), b""))
        self.facts.notes += encoding_notes(self.encoding)
        return not self.encoding.as_it_is

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

    def _is_otherwise(self, data: Any) -> bool:
        """Whether it must be read again: as texts of another encoding, or numbers as texts.

        Arrow makes bytes of texts that are not UTF-8, and doubles, which run together, of whole
        numbers beyond 64 bits.
        """
        import pyarrow.compute as pc

        if any(pa.types.is_binary(kind) for kind in data.schema.types):
            return self._learn_encoding()
        wider = False
        for name, column in zip(data.schema.names, data.columns, strict=True):
            if not pa.types.is_float64(column.type):
                continue
            ends = pc.min_max(column)
            low, high = ends["min"].as_py(), ends["max"].as_py()
            if low is not None and (low < -(2.0**63) or high >= 2.0**63):
                self.types[name] = pa.string()
                wider = True
        return wider

    def _pads(self, unread: RaggedLines, rows: int, stream: Any) -> bool:
        """Whether it must be read again, with short lines filled up, or without that after all."""
        if isinstance(stream, Padded):
            if stream.padded == self.short_lines:
                return False
            # A line of a text in quotes is the same as a short one: nobody can tell which is which.
            self.short, self.short_lines = {}, _NEVER
            return True
        if not unread.short or self.short_lines == _NEVER:
            return False
        self._check_ragged(unread, rows)
        self.short, self.short_lines = unread.short, unread.short_lines
        return True

    def _check_ragged(self, unread: RaggedLines, rows: int) -> None:
        first = unread.examples[0]
        if unread.lines > MOST_UNREAD * (rows + unread.lines):
            raise UnreadableSourceError(
                "ragged_lines",
                where=str(self.path),
                lines=unread.lines,
                value=rows + unread.lines,
                number=first.number,
                fields=first.fields,
            )

    def _note_unread(self, unread: RaggedLines, rows: int, stream: Any) -> None:
        damaged = getattr(stream, "damaged", 0)
        note = Note("undecodable", {"encoding": self.encoding.name, "letters": damaged})
        if damaged and note not in self.facts.notes:
            self.facts.notes.append(note)
        self.facts.padded_lines = max(self.short_lines, 0)
        if not unread.lines:
            return
        self._check_ragged(unread, rows)
        self.facts.unread_lines = unread.lines
        self.facts.unread = unread.examples

    def _unreadable(self, error: Exception) -> UnreadableSourceError:
        message = (str(error).splitlines() or ["it ends too early"])[0]
        message = message.removeprefix("CSV parse error: ").rstrip(".")
        line = _BAD_ROW.search(message)
        message = _QUOTED.sub(r"\1", message)  # values may be such as nobody should see
        return UnreadableSourceError(
            "csv_not_read",
            where=f"{self.path}, line {line.group(1)}" if line else str(self.path),
            value=message[:160],
        )


def _sample(path: Path, compression: str | None) -> bytes:
    try:
        with open_bytes(path, compression) as file:
            sample: bytes = file.read(SAMPLE)
            return sample
    except BROKEN as error:
        raise UnreadableSourceError("not_decompressed", where=str(path), error=error) from error


def _whole_lines(sample: bytes, whole: bool) -> bytes:
    """Without the last line, which may be cut."""
    return sample if whole else sample[: sample.rfind(b"\n") + 1]


def _for_arrow(stream: Any) -> Any:
    """Arrow's own streams as they are; others as files of Python."""
    return stream if isinstance(stream, pa.NativeFile) else pa.PythonFile(stream, "r")
