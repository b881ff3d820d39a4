"""Gaps of the whole table: what goes missing together, and where."""

from __future__ import annotations

import msgspec


class GapPattern(msgspec.Struct, frozen=True, array_like=True):
    """The columns without a value in some rows, all others having one; and how many rows."""

    columns: tuple[str, ...]
    rows: int


class GapPair(msgspec.Struct, frozen=True, array_like=True):
    """Two columns, the rows where both are missing, and their share of those where either is."""

    one: str
    other: str
    rows: int
    shared: float


class GapGroup(msgspec.Struct, frozen=True, array_like=True):
    """Columns that go missing together in nearly all rows, and in how many at most two of them."""

    columns: tuple[str, ...]
    rows: int = 0


class GapPlaces(msgspec.Struct, frozen=True, array_like=True):
    """Missing values of a column in every block of so many rows, from the first row on."""

    column: str
    block_rows: int
    missing: tuple[int, ...]


class GapsAmong(msgspec.Struct, frozen=True, array_like=True):
    """A level of the column ``by`` in which a column is missing far more than elsewhere.

    ``elsewhere`` is the share of missing values in all other rows.
    """

    column: str
    by: str
    level: str
    rows: int
    missing: int
    elsewhere: float


class GapPatterns(msgspec.Struct, frozen=True, kw_only=True):
    """Rows by what is missing in them.

    ``only_missing`` counts, by column, the rows in which nothing else is missing: so many
    complete rows more there would be without the column. Patterns that are not listed are
    told in ``further_patterns`` and their rows in ``further_rows``.
    """

    rows: int
    complete_rows: int
    patterns: tuple[GapPattern, ...]
    further_patterns: int
    further_rows: int
    only_missing: dict[str, int]
    pairs: tuple[GapPair, ...]
    groups: tuple[GapGroup, ...]
    places: tuple[GapPlaces, ...]
