"""Missing values of the whole table: what goes missing together, and where."""

from __future__ import annotations

import msgspec


class MissingPattern(msgspec.Struct, frozen=True):
    """The columns without a value in some rows, all others having one; and how many rows."""

    columns: tuple[str, ...]
    rows: int


class MissingPair(msgspec.Struct, frozen=True):
    """Two columns, the rows where both are missing, and their share of those where either is."""

    x: str
    y: str
    rows: int
    jaccard: float


class MissingGroup(msgspec.Struct, frozen=True):
    """Columns that go missing together in nearly all rows, and in how many at most two of them."""

    columns: tuple[str, ...]
    rows: int = 0


class MissingByBlock(msgspec.Struct, frozen=True):
    """Missing values of a column in every block of so many rows, from the first row on."""

    column: str
    block_rows: int
    missing: tuple[int, ...]


class MissingHotspot(msgspec.Struct, frozen=True):
    """A level of the column ``by`` in which a column is missing far more than elsewhere.

    ``elsewhere`` is the share of missing values in all other rows.
    """

    column: str
    by: str
    level: str | None
    rows: int
    missing: int
    elsewhere: float


class MissingRange(msgspec.Struct, frozen=True):
    """Neighbouring rows, or units of time, in which a column is missing far more than elsewhere.

    ``by`` is the datetime column, and ``first`` and ``last`` its units as texts; without, they are
    row numbers, from 1. ``elsewhere`` is the share of missing values in all other rows.
    """

    column: str
    by: str | None
    first: int | str
    last: int | str
    rows: int
    missing: int
    elsewhere: float


class MissingMatrix(msgspec.Struct, frozen=True, kw_only=True):
    """Which cells of a few evenly drawn rows are missing.

    Attributes
    ----------
    columns : tuple of str
        Those with missing values, the ones that go missing together next to each other.
    left_out : int
        How many more columns have missing values.
    rows : int
        In the order of the data.
    cells : bytes
        A bit for each cell, column by column, each of which begins with a byte; 1 is missing.
    merges : tuple of (int, int, float)
        The tree of the columns: 0 to n - 1 are columns, the cluster that the i-th merge makes is
        n + i. The distance, from 0 to 1, is one less Jaccard's index.
    """

    columns: tuple[str, ...]
    left_out: int
    rows: int
    cells: bytes
    merges: tuple[tuple[int, int, float], ...]


class MissingPatterns(msgspec.Struct, frozen=True, kw_only=True):
    """Rows by what is missing in them.

    ``sole_missing`` counts, by column, the rows in which nothing else is missing: so many
    complete rows more there would be without the column. Patterns that are not listed are
    counted in ``other_patterns`` and their rows in ``other_rows``.
    """

    rows: int
    complete_rows: int
    patterns: tuple[MissingPattern, ...]
    other_patterns: int
    other_rows: int
    sole_missing: dict[str, int]
    pairs: tuple[MissingPair, ...]
    groups: tuple[MissingGroup, ...]
    counts_by_block: tuple[MissingByBlock, ...]
