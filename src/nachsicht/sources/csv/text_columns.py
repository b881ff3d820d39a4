"""What the texts of delimited columns would lose as numbers or as missing, seen before reading."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.buffers import arrow_texts, values_of
from nachsicht.arrow.text_values import CHANGED_BY_READING, MANY_SIGNIFICANT_DIGITS, is_code_among
from nachsicht.model.notes import Note

#: Different texts of a column that are looked at for how numbers are written.
_MOST_LOOKED_AT = 4_000
#: What is read as missing, beside an empty field.
MISSING_MARKS = ("NA", "N/A", "NaN", "nan", "null", "NULL", "#N/A")


class Texts(msgspec.Struct, frozen=True):
    """By the names of columns.

    Attributes
    ----------
    losing : tuple of str
        Columns that are kept as texts, since as numbers they would lose digits.
    marks : dict
        Words that are read as missing, and the columns that hold them.
    levels : dict
        Words for missing that are levels, since they are written as all others of the column.
    decimals : dict
        With how many decimals all numbers of a column are written, where it is the same number.
    """

    losing: tuple[str, ...] = ()
    marks: dict[str, tuple[str, ...]] = {}
    levels: dict[str, tuple[str, ...]] = {}
    decimals: dict[str, int] = {}


def look_at_texts(table: Any, decimal: str = ".") -> Texts:
    """Look at some rows of which every field is a text.

    Parameters
    ----------
    table : Arrow table
        Of columns of type string.
    decimal : str
        The sign before the decimals.
    """
    losing = []
    decimals = {}
    marks: dict[str, list[str]] = {}
    levels: dict[str, list[str]] = {}
    for name, column in zip(table.schema.names, table.columns, strict=True):
        if pc.any(pc.match_substring_regex(column, CHANGED_BY_READING)).as_py() or _run_together(
            column
        ):
            losing.append(name)
        different = pc.unique(column)
        words = different.filter(
            pc.is_in(different, arrow_texts(MISSING_MARKS).cast(pa.string()))
        ).to_pylist()
        texts = different.to_pylist() if words else []
        for word in words:
            (levels if is_code_among(word, texts) else marks).setdefault(word, []).append(name)
        written = _decimals_of_all(different, decimal)
        if written is not None:
            decimals[name] = written
    return Texts(
        tuple(losing),
        {word: tuple(names) for word, names in marks.items()},
        {word: tuple(names) for word, names in levels.items()},
        decimals,
    )


def _decimals_of_all(different: Any, decimal: str) -> int | None:
    """With how many decimals all of some different texts are written; None if they vary."""
    marks = arrow_texts(("", *MISSING_MARKS)).cast(pa.string())
    texts = different.slice(0, _MOST_LOOKED_AT)
    texts = texts.filter(pc.invert(pc.is_in(texts, marks)))
    sign = re.escape(decimal)
    plain = rf"^ *[-+]?\d+({sign}\d+)? *$"
    if not len(texts) or not pc.all(pc.match_substring_regex(texts, plain)).as_py():
        return None
    texts = pc.utf8_trim_whitespace(texts)
    at = values_of(pc.find_substring(texts, decimal))
    after = np.where(at < 0, 0, values_of(pc.utf8_length(texts)) - at - 1)
    return int(after[0]) if (after == after[0]).all() else None


def _run_together(column: Any) -> bool:
    """Whether different numbers of many digits are one as doubles."""
    texts = pc.unique(column.filter(pc.match_substring_regex(column, MANY_SIGNIFICANT_DIGITS)))
    if not len(texts):
        return False
    plain = pc.replace_substring(pc.utf8_trim_whitespace(texts), ",", ".")
    return len(pc.unique(plain.cast(pa.float64()))) < len(texts)


def notes_of_texts(texts: Texts) -> Iterator[Note]:
    """What was found in columns of texts."""
    for name in texts.losing:
        yield Note("kept_as_text", {"column": name})
    for word, names in texts.marks.items():
        yield Note("read_as_missing", {"word": word, "columns": names})
    for word, names in texts.levels.items():
        yield Note("read_as_value", {"word": word, "columns": names})


def without_marks(data: Any, levels: Mapping[str, Sequence[str]]) -> Any:
    """A table or batch of which words for missing are null, but where they are levels."""
    own = {name: {w for w, names in levels.items() if name in names} for name in data.schema.names}
    columns = []
    for name, column in zip(data.schema.names, data.columns, strict=True):
        if not pa.types.is_string(column.type):
            columns.append(column)
            continue
        marks = ["", *(mark for mark in MISSING_MARKS if mark not in own[name])]
        gone = pc.is_in(column, arrow_texts(marks).cast(pa.string()))
        gone = gone.combine_chunks() if isinstance(gone, pa.ChunkedArray) else gone
        columns.append(pc.replace_with_mask(column, gone, pa.scalar(None, column.type)))
    return type(data).from_arrays(columns, schema=data.schema)
