"""What can be read, as a page of the documentation: made from what the code chooses by."""

from __future__ import annotations

import sys
from collections.abc import Iterator

from nachsicht.sources.formats import DELIMITED_TEXT, FORMATS, FileFormat
from nachsicht.sources.python_objects import OBJECTS

_HEAD = """# What can be read

Made by `make findings` from the lists that the code chooses by. *Piece by piece* says whether data
that does not fit in memory is read in pieces; other data as a whole. What needs an extra says
so in one line where it is not installed: `pip install 'nachsicht[avro]'`.
"""
_ELSEWHERE = (
    ("a folder of part files, a pattern, a partition tree", "a path or an address", "", "yes"),
    ("archives (zip, tar) with one table", "a path", "", "as the file in it"),
    ("text compressed by gzip, bzip2, xz or Zstandard", "a path", "", "yes"),
    ("a file at a revision of its git repository", "`checks.csv@v1.2`", "", "as the file"),
    ("Delta Lake tables and their versions", "the folder, `checks@3`", "`delta`", "yes"),
    ("Iceberg tables and their snapshots", "the folder, `checks@2025-03-01`", "`iceberg`", "yes"),
    ("object stores and web addresses", "`s3://…`, `https://…`", "`remote`", "Parquet: yes"),
    ("databases that SQLAlchemy knows", "`table=` or `query=`", "`sql`", "yes"),
    ("PostgreSQL, as Arrow data", "`postgresql://…`", "`postgresql`", "yes"),
    ("files of SQLite and DuckDB", "a path", "`sql`, `duckdb`", "yes"),
    ("standard input", "`-`", "", "text: yes"),
)
_FRAMES = (
    ("pandas", "DataFrame", "no"),
    ("anything with the Arrow PyCapsule interface (Polars, PyArrow …)", "", "no"),
    ("a list of records, a dictionary of columns", "", "no"),
    ("dask.dataframe, pyspark.sql", "DataFrame", "on the cluster"),
)


def lines() -> Iterator[str]:
    """The page, in Markdown."""
    yield _HEAD
    yield "## Files"
    yield ""
    yield "| files | how they are known | extra | piece by piece | tested with files of |"
    yield "|---|---|---|---|---|"
    for known in (DELIMITED_TEXT, *FORMATS):
        yield _file_line(known)
    yield ""
    yield "## In other places"
    yield ""
    yield "| what | how it is named | extra | piece by piece |"
    yield "|---|---|---|---|"
    for what, how, extra, pieces in _ELSEWHERE:
        yield f"| {what} | {how} | {extra} | {pieces} |"
    yield ""
    yield "## In Python"
    yield ""
    yield "| package | objects | piece by piece |"
    yield "|---|---|---|"
    for package, name, pieces in _FRAMES:
        yield f"| {package} | {name} | {pieces} |"
    for known_object in OBJECTS:
        streamed = "yes" if known_object.streamed else "no"
        yield f"| {known_object.package} | {', '.join(known_object.names)} | {streamed} |"


def _file_line(known: FileFormat) -> str:
    how = "first bytes, then suffix" if known.magic else "suffix"
    suffixes = ", ".join(f"`{suffix}`" for suffix in known.suffixes)
    if not suffixes:
        suffixes, how = "delimited and fixed-width text", "all other files"
    extra = f"`{known.extra}`" if known.extra else ""
    streamed = "yes" if known.streamed else "no"
    return f"| {suffixes} | {how} | {extra} | {streamed} | {known.tried_with} |"


if __name__ == "__main__":
    sys.stdout.write("\n".join(lines()) + "\n")
