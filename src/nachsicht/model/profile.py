"""What was computed of one version."""

from __future__ import annotations

import msgspec

from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import Finding
from nachsicht.model.gaps import GapPatterns
from nachsicht.model.outcome import Outcome


class Origin(msgspec.Struct, frozen=True, kw_only=True):
    """Where the data came from and what computed it."""

    source: str
    format: str
    source_bytes: int | None
    notes: tuple[str, ...]
    unread_lines: int
    made_at: str
    seconds: float
    nachsicht_version: str
    python_version: str


class Block(msgspec.Struct, frozen=True):
    """Neighbouring rows that repeat other rows of the table. Row numbers start at 1."""

    first_row: int
    last_row: int
    first_original: int


class Repeats(msgspec.Struct, frozen=True, kw_only=True):
    """Rows that are equal to an earlier row in every column.

    ``blocks`` are the longest runs of neighbouring repeated rows, at least two rows long.
    ``uncertainty`` is by how many rows the count may be off (two standard errors); 0 where
    it is exact.
    """

    repeated_rows: int
    distinct_rows: int
    blocks: tuple[Block, ...]
    uncertainty: int = 0


class GapsByLevel(msgspec.Struct, frozen=True, kw_only=True):
    """In which levels of another column the gaps of a column lie."""

    column: str
    by: str
    levels: tuple[str, ...]
    rows: tuple[int, ...]
    missing: tuple[int, ...]


class SpreadByLevel(msgspec.Struct, frozen=True, kw_only=True):
    """Row counts, means and standard deviations of a quantity in the levels of another column.

    Computed of the same evenly drawn rows as the relations; rows where the quantity is missing
    or infinite are left out.
    """

    column: str
    by: str
    levels: tuple[str, ...]
    rows: tuple[int, ...]
    means: tuple[float, ...]
    sds: tuple[float, ...]


class Relation(msgspec.Struct, frozen=True, array_like=True):
    """How strongly two columns go together, with its standard error, over so many rows.

    ``measure`` is ``spearman`` (-1 to 1, two quantities or moments), ``cramers_v`` (0 to 1,
    two categories or flags, bias corrected) or ``eta`` (0 to 1, a category and the ranks of
    a quantity).
    """

    one: str
    other: str
    measure: str
    strength: float
    error: float
    rows: int


class Relations(msgspec.Struct, frozen=True, kw_only=True):
    """Relations between columns, computed of at most so many evenly drawn rows.

    ``left_out`` names columns that take no part, with the reason's code. ``order`` keeps the
    ``groups`` of columns that go together next to each other; those of ``alone`` are tied to
    nothing.
    """

    pairs: tuple[Relation, ...]
    rows: int
    order: tuple[str, ...]
    groups: tuple[tuple[str, ...], ...]
    alone: tuple[str, ...]
    left_out: dict[str, str]


class Excerpt(msgspec.Struct, frozen=True, kw_only=True):
    """The few rows that are shown, as texts: the first, some drawn evenly, and the last.

    The first sixty columns at most; long texts are cut.
    """

    columns: tuple[str, ...]
    first: tuple[tuple[str | None, ...], ...]
    drawn: tuple[tuple[str | None, ...], ...]
    last: tuple[tuple[str | None, ...], ...]


class ProfileDocument(msgspec.Struct, frozen=True, kw_only=True, tag="profile", tag_field="what"):
    """A version, described. This is what a profile document holds."""

    format_version: int
    label: str
    title: str
    rows: int
    memory_bytes: int
    columns: tuple[ColumnSummary, ...]
    repeats: Repeats
    gaps: GapPatterns
    gaps_by_level: tuple[GapsByLevel, ...]
    spread_by_level: tuple[SpreadByLevel, ...]
    relations: Relations
    outcome: Outcome | None
    excerpt: Excerpt
    findings: tuple[Finding, ...]
    origin: Origin

    @property
    def cells(self) -> int:
        """Rows times columns."""
        return self.rows * len(self.columns)

    @property
    def missing_cells(self) -> int:
        """Cells without a value."""
        return sum(column.missing for column in self.columns)

    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None."""
        return next((column for column in self.columns if column.name == name), None)
