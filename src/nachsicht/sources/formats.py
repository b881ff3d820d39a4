"""The formats of files, each registered with how it is recognised and what opens it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.sources.protocol import Opened, SourceFacts

#: What opens a file: its path, how it is compressed, read options, and the facts to add to.
Opener = Callable[[Path, str | None, ReadOptions, SourceFacts], Opened]


class FileFormat(msgspec.Struct, frozen=True):
    """A format of files.

    Attributes
    ----------
    open : callable
        Opens a file; it imports the reader that it needs when it is called.
    suffixes : tuple of str
        In lower case, with the dot, without the suffix of a compression.
    magic : bytes, optional
        The first bytes of every such file, up to eight; they count before the suffix.
    compressible : bool
        Whether files of it are read compressed.
    sheets : bool
        Whether a file has sheets to choose from.
    streamed : bool
        Whether it is read piece by piece where it does not fit in memory.
    extra : str
        What has to be installed besides, as the name of an extra.
    tried_with : str
        What wrote the files that it is tested with.
    """

    open: Opener
    suffixes: tuple[str, ...]
    magic: bytes | None = None
    compressible: bool = False
    sheets: bool = False
    streamed: bool = True
    extra: str = ""
    tried_with: str = "PyArrow"


def _parquet(path: Path, _: str | None, _options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.columnar.parquet import open_parquet

    return open_parquet(path, facts)


def _arrow(path: Path, _: str | None, _options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.columnar.arrow_ipc import open_arrow

    return open_arrow(path, facts)


def _orc(path: Path, _: str | None, _options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.columnar.orc import open_orc

    return open_orc(path, facts)


def _avro(path: Path, _: str | None, _options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.columnar.avro import open_avro

    return open_avro(path, facts)


def _labelled(path: Path, _: str | None, options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.labelled.reader import open_labelled

    return open_labelled(path, options, facts)


def _html(path: Path, _: str | None, options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.markup import open_html

    return open_html(path, options, facts)


def _xml(path: Path, _: str | None, options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.markup import open_xml

    return open_xml(path, options, facts)


def _workbook(path: Path, _: str | None, options: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.excel.reader import open_workbook

    return open_workbook(path, options, facts)


def _json(path: Path, compression: str | None, _: ReadOptions, facts: SourceFacts) -> Opened:
    from nachsicht.sources.json.lines import open_json

    return open_json(path, compression, facts)


def _delimited(
    path: Path, compression: str | None, options: ReadOptions, facts: SourceFacts
) -> Opened:
    from nachsicht.sources.csv.reader import open_delimited

    return open_delimited(path, compression, options, facts)


#: All formats but delimited text. The first that fits opens a file.
FORMATS: tuple[FileFormat, ...] = (
    FileFormat(_parquet, (".parquet", ".pq"), magic=b"PAR1"),
    FileFormat(_arrow, (".arrow", ".feather", ".ipc"), magic=b"ARROW1"),
    FileFormat(_orc, (".orc",), magic=b"ORC"),
    FileFormat(_avro, (".avro",), magic=b"Obj\x01", extra="avro", tried_with="fastavro"),
    FileFormat(
        _labelled,
        (".sav", ".zsav", ".por", ".dta", ".sas7bdat", ".xpt", ".xport"),
        streamed=False,
        extra="labelled",
        tried_with="pyreadstat, which writes no .sas7bdat",
    ),
    FileFormat(
        _workbook,
        (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods"),
        sheets=True,
        streamed=False,
        extra="excel",
        tried_with="openpyxl, pandas",
    ),
    FileFormat(_html, (".html", ".htm"), streamed=False, extra="markup", tried_with="pandas"),
    FileFormat(_xml, (".xml",), streamed=False, extra="markup", tried_with="pandas"),
    FileFormat(
        _json, (".json", ".jsonl", ".ndjson"), compressible=True, tried_with="json, pandas, Polars"
    ),
)

#: What files are that have no other format.
DELIMITED_TEXT = FileFormat(_delimited, (), compressible=True, tried_with="csv, pandas, Polars")


def format_of(head: bytes, suffix: str, compressed: bool) -> FileFormat:
    """The format of a file.

    Parameters
    ----------
    head : bytes
        Its first eight bytes.
    suffix : str
        Its suffix in lower case, without that of a compression.
    compressed : bool
        Whether the file is compressed as a whole.
    """
    for known in FORMATS:
        if compressed and not known.compressible:
            continue
        if (known.magic and head.startswith(known.magic)) or suffix in known.suffixes:
            return known
    return DELIMITED_TEXT
