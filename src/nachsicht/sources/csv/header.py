"""Whether a line of delimited text holds the names of the columns."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

from nachsicht.arrow.text_values import FIELD_DATETIME, FIELD_NUMBER

Rows = list[list[str]]

#: The share of lines that must agree on a number of fields.
MOSTLY = 0.9
_NUMBER, _DATETIME = re.compile(FIELD_NUMBER), re.compile(FIELD_DATETIME)


def is_datetime(field: str) -> bool:
    """Whether a field is written as a date, a time or both."""
    return bool(_DATETIME.fullmatch(field.strip()))


def is_figure(field: str) -> bool:
    """Whether a field is written as a number or a datetime."""
    bare = field.strip()
    return bool(_NUMBER.fullmatch(bare) or _DATETIME.fullmatch(bare))


def has_row_names(rows: Rows, width: int) -> bool:
    """Whether the names are one less than the columns, and all rows begin differently."""
    others = [row for row in rows[1:] if len(row) == width]
    firsts = [row[0] for row in others]
    return (
        len(rows[0]) == width - 1
        and len(others) >= MOSTLY * max(len(rows) - 1, 1)
        and all(name.strip() and not _NUMBER.fullmatch(name.strip()) for name in rows[0])
        and (len(set(firsts)) == len(firsts) or all(row[-1] == "" for row in others))
    )


def names_figures(rows: Rows, width: int) -> bool:
    """Whether a column is of figures, but for its first field, which few others of its row are."""
    others = [row for row in rows[1:] if len(row) == width]
    figures = sum(map(is_figure, rows[0]))
    return len(rows[0]) == width > 2 * figures and any(
        not is_figure(rows[0][i]) and sum(is_figure(row[i]) for row in others) * 2 > len(others)
        for i in range(width)
    )


def names_of(first: list[str], width: int, row_names: bool) -> list[str]:
    """The names in a line, as many as there are columns; those without one are empty."""
    names = [name.strip().lstrip("\ufeff") for name in first]
    return ["", *names] if row_names else (names + [""] * width)[: max(width, len(names))]


def has_header(rows: Rows, width: int) -> bool:
    """Whether the first line holds names.

    It does not where it holds a number and every field is of the sort of those beneath it;
    but whole numbers that rise, such as years, are names. Nor where its texts occur beneath
    themselves.
    """
    first, others = rows[0], [row for row in rows[1:] if len(row) == width]
    if len(first) != width or not others:
        return True
    if _occurs_beneath(first, others):
        return False
    numbers = [field for field in first if _NUMBER.fullmatch(field.strip())]
    if not numbers:
        return not any(_DATETIME.fullmatch(field.strip()) for field in first)
    years = [field for field in numbers if field.strip().isdigit()]
    if len(years) == len(numbers) > 1:
        values = list(map(int, years))
        if _are_years(values) and not (len(years) == width and _rise_as(others)):
            return True
    for i, name in enumerate(first):
        below = [bool(_NUMBER.fullmatch(row[i].strip())) for row in others if row[i].strip()]
        is_number = bool(_NUMBER.fullmatch(name.strip()))
        if below and is_number != (sum(below) * 2 > len(below)):
            return True
    return False


def _are_years(values: Sequence[int]) -> bool:
    """Whether whole numbers rise in equal steps, or as years do."""
    steps = [b - a for a, b in pairwise(values)]
    years = values[0] >= 1000 and values[-1] < 2200 and values[-1] - values[0] <= 200
    return min(steps) > 0 and (years or (len(steps) > 1 and len({*steps}) == 1))


def _rise_as(others: Rows) -> bool:
    """Whether the fields of nearly every other row rise too."""
    rising = 0
    for row in others:
        values = [int(field) for field in row if field.strip().isdigit()]
        rising += len(values) > 1 and all(a < b for a, b in pairwise(values))
    return rising > MOSTLY * len(others)


def _occurs_beneath(first: Sequence[str], others: Rows) -> bool:
    """Whether most texts of the first line stand in their own column again.

    Lines that are all of the first again are names that were written twice.
    """
    texts = [i for i, field in enumerate(first) if field.strip() and not is_figure(field)]
    if not texts:
        return False
    rows = [row for row in others if list(row) != list(first)]
    again = sum(any(row[i] == first[i] for row in rows) for i in texts)
    return again * 2 > len(texts)
