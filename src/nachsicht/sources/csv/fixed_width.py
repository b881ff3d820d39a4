"""Text whose columns stand below each other: at places that are found out, or of given widths."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

#: Fewer lines may stand below each other by accident.
_FEWEST_LINES = 5
#: Lines that are looked at together.
_AT_ONCE = 4_096
#: A line that underlines names.
_RULE = re.compile(r"[-=_+| ]*[-=_][-=_+| ]*")

Field = tuple[int, int]


def fields_in(text: str, whole: bool) -> list[Field]:
    """Where columns begin and end in the lines of a text; none where they do not stand so.

    Every line has a blank between any two columns, and every column a name that begins where its
    values do, and a value in half of the lines.
    """
    lines = _lines(text if whole else text.rpartition("\n")[0])
    if len(lines) < _FEWEST_LINES or any("\t" in line for line in lines):
        return []
    counts = _filled(lines)
    used = np.flatnonzero(np.diff(np.concatenate(([0], counts > 0, [0]))))
    fields: list[Field] = []
    for start, end in zip(used[::2].tolist(), used[1::2].tolist(), strict=True):
        if fields and not lines[0][start:end].strip():  # the blanks are in texts, under one name
            fields[-1] = fields[-1][0], end
        else:
            fields.append((start, end))
    held = [sum(bool(line[a:b].strip()) for line in lines) for a, b in fields]
    if len(fields) < 2 or min(held) * 2 < len(lines):
        return []
    return fields


def fields_of(widths: Sequence[int]) -> list[Field]:
    """Columns of these widths, one after the other."""
    ends = np.cumsum(widths).tolist()
    return list(zip([0, *ends[:-1]], ends, strict=True))


def write_delimited(text: str, fields: Sequence[Field], path: Path) -> None:
    """The same rows with a tab between any two columns."""
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file, delimiter="\t").writerows(_rows(text, fields))


def _lines(text: str) -> list[str]:
    """Lines that hold something, without what underlines the names."""
    lines = [line for line in text.splitlines() if line.strip()]
    return lines[:1] + lines[2:] if len(lines) > 1 and _RULE.fullmatch(lines[1]) else lines


def _filled(lines: Sequence[str]) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """In how many lines each place is no blank."""
    width = max(map(len, lines))
    counts = np.zeros(width, np.int64)
    for start in range(0, len(lines), _AT_ONCE):
        some = np.array(lines[start : start + _AT_ONCE], f"U{width}")
        letters = some.view("U1").reshape(len(some), width)
        counts += ((letters != " ") & (letters != "")).sum(axis=0)
    return counts


def _rows(text: str, fields: Sequence[Field]) -> Iterator[list[str]]:
    for line in _lines(text):
        yield [line[start:end].strip() for start, end in fields]
