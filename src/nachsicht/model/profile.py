"""What was computed of one version."""

from __future__ import annotations

import msgspec

from nachsicht._util.cached import kept
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import Description
from nachsicht.model.findings import Finding
from nachsicht.model.kinds import ExclusionReason
from nachsicht.model.missing import (
    MissingHotspot,
    MissingMatrix,
    MissingPatterns,
    MissingRange,
)
from nachsicht.model.notes import Note
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, OverTime, PairView


class Origin(msgspec.Struct, frozen=True, kw_only=True):
    """Where the data came from and what computed it.

    ``malformed_lines`` could not be read; ``padded_lines`` ended before the last field, and are
    read with the fields that they lack missing. ``decimals_written`` says with how many decimals
    all numbers of a column stand in a text file, as far as it was looked at as such; columns whose
    numbers vary in that are not in it.

    ``moment`` is when this version of the data was committed, in UTC, where the source says so.

    ``settings`` are those that differ from the defaults, as the text of a settings file
    (without paths of this machine). ``mask_id`` is the same for pseudonyms that can be compared,
    made with the same secret; empty where nothing is masked.
    """

    source: str
    format: str
    source_bytes: int | None
    notes: tuple[Note, ...]
    malformed_lines: int
    padded_lines: int = 0
    decimals_written: dict[str, int] = {}
    settings: str
    created_at: str
    moment: str | None = None
    seconds: float
    nachsicht_version: str
    python_version: str
    mask_id: str = ""


class DuplicateRun(msgspec.Struct, frozen=True):
    """Neighbouring rows that repeat other rows of the table. Row numbers start at 1."""

    first_row: int
    last_row: int
    first_original_row: int


class DuplicateGroup(msgspec.Struct, frozen=True):
    """Rows that are equal: how many, the numbers of the first few, and the first one's cells.

    Cells are those of the columns of the excerpt; none where the data was read in pieces.
    """

    rows: int
    row_numbers: tuple[int, ...]
    cells: tuple[str | None, ...]


class Duplicates(msgspec.Struct, frozen=True, kw_only=True):
    """Rows that are equal to an earlier row.

    Attributes
    ----------
    duplicate_rows, distinct_rows : int
        Rows that equal an earlier one, and all others. Rows are distinguished by hashes of 64
        bits: of n rows two different ones share one with a chance of n² / 2^65.
    runs : tuple of DuplicateRun
        The longest runs of neighbouring repeated rows, at least two rows long.
    uncertainty : int
        By how many rows the count may be off (two standard errors); 0 where it is exact.
    columns : tuple of str
        The columns in which rows are compared; empty for all of them.
    groups : tuple of DuplicateGroup
        The largest groups of equal rows.
    block_rows, counts_by_block : int, tuple of int
        Repeated rows in every block of so many rows, from the first row on.
    consecutive_rows : int
        Rows that equal the row right before them; 0 where the data was read in pieces.
    """

    duplicate_rows: int
    distinct_rows: int
    runs: tuple[DuplicateRun, ...]
    uncertainty: int = 0
    columns: tuple[str, ...] = ()
    groups: tuple[DuplicateGroup, ...] = ()
    block_rows: int = 0
    counts_by_block: tuple[int, ...] = ()
    consecutive_rows: int = 0


class MissingByLevel(msgspec.Struct, frozen=True, kw_only=True):
    """In which levels of another column a column is missing; a level of None: without a value."""

    column: str
    by: str
    levels: tuple[str | None, ...]
    rows: tuple[int, ...]
    missing: tuple[int, ...]


class GroupStats(msgspec.Struct, frozen=True, kw_only=True):
    """Row counts, means and standard deviations of a quantity in the levels of another column.

    Computed of the same evenly drawn rows as the relations; rows where the quantity is missing
    or infinite are left out.
    """

    column: str
    by: str
    levels: tuple[str | None, ...]
    rows: tuple[int, ...]
    means: tuple[float, ...]
    stds: tuple[float, ...]


class Relation(msgspec.Struct, frozen=True, gc=False):
    """How strongly two columns go together.

    Attributes
    ----------
    x, y : str
        The columns.
    measure : str
        ``spearman`` (-1 to 1, two quantities, datetimes or durations), ``cramers_v`` (0 to 1,
        two categories or flags, bias corrected) or ``eta`` (0 to 1, a category and the ranks
        of a quantity).
    value, std_error : float
        The measure and its standard error.
    rows : int
        Rows where both have a value, which it is computed of: all of them, or drawn ones.
    x_predicts_y, y_predicts_x : float or None
        The share of ``y`` that ``x`` explains in rows that were held out, and the
        reverse; below 0 nothing is explained.
    pearson : float or None
        Pearson's correlation of two quantities, over all rows where both have a value.
    kendall, kendall_error_bound : float or None, float
        Kendall's tau-b of two quantities, and a bound of its standard error: 0 where it is
        computed of all rows.
    error_bound : float
        How far ``value`` may be from that of those rows, where they are counted in bins; else 0.
    """

    x: str
    y: str
    measure: str
    value: float
    std_error: float
    rows: int
    x_predicts_y: float | None = None
    y_predicts_x: float | None = None
    pearson: float | None = None
    kendall: float | None = None
    kendall_error_bound: float = 0.0
    error_bound: float = 0.0


class TooFewRows(msgspec.Struct, frozen=True, kw_only=True):
    """Two columns, and the few rows in which both have a value."""

    x: str
    y: str
    rows: int


class Relations(msgspec.Struct, frozen=True, kw_only=True):
    """Relations between columns.

    Attributes
    ----------
    pairs : tuple of Relation
        The strongest pairs; all ``total_pairs`` while they are no more than 5,000. Those
        that are not kept are no stronger than ``weakest``.
    rows, sampled_rows, cv_rows : int
        Rows of the data, those evenly drawn for what takes long (all while they are few), and
        those in which columns explain each other.
    median : float or None
        Median strength of all pairs, without sign.
    order : tuple of str
        All columns that take part, those of a group next to each other.
    groups, unrelated : tuple
        Columns that go together, and those that are tied to nothing.
    excluded : dict
        Columns that take no part, with the code of the reason.
    merged_levels : dict
        By column, how many rare levels count as one.
    too_few : tuple of TooFewRows
        Pairs without a strength, since too few rows have both values: those of the most rows.
    total_too_few : int
        How many such pairs there are.
    """

    pairs: tuple[Relation, ...]
    rows: int
    sampled_rows: int
    cv_rows: int
    total_pairs: int
    median: float | None
    weakest: float
    order: tuple[str, ...]
    groups: tuple[tuple[str, ...], ...]
    unrelated: tuple[str, ...]
    excluded: dict[str, ExclusionReason]
    merged_levels: dict[str, int]
    too_few: tuple[TooFewRows, ...] = ()
    total_too_few: int = 0


class Excerpt(msgspec.Struct, frozen=True, kw_only=True):
    """The few rows that are shown, as texts: the first, some drawn evenly, and the last.

    The first sixty columns at most; long texts are cut. ``outlier_rows`` names, for each of the
    three parts, the rows (from 0) with a quantity beyond Tukey's fences, ``outlier_cells`` these
    cells by row and column.
    """

    columns: tuple[str, ...]
    first: tuple[tuple[str | None, ...], ...]
    sampled: tuple[tuple[str | None, ...], ...]
    last: tuple[tuple[str | None, ...], ...]
    outlier_rows: tuple[tuple[int, ...], ...]
    outlier_cells: tuple[tuple[tuple[int, int], ...], ...] = ((), (), ())


class SampledColumn(msgspec.Struct, frozen=True, kw_only=True):
    """A column in evenly drawn rows, a code for each cell: 0 is missing.

    Attributes
    ----------
    name : str
        Its name.
    levels : tuple of str
        Of a category: code c is level c - 1. The last is "…" where rare ones count as one.
    values : tuple of float
        Of numbers: code c, up to as many as there are, is value c - 1. Datetimes are in
        milliseconds since 1970.
    start, step : float
        Of numbers: further codes are on even steps, ``start + (c - 1 - len(values)) * step``.
    is_time : bool
        Whether its numbers are datetimes.
    bytes_per_code : int
        1; or 2, and then all low bytes come before all high bytes.
    codes : bytes
        One after the other, in the order of the data.
    """

    name: str
    levels: tuple[str, ...] = ()
    values: tuple[float, ...] = ()
    start: float = 0.0
    step: float = 0.0
    is_time: bool = False
    bytes_per_code: int = 1
    codes: bytes


class SampledRows(msgspec.Struct, frozen=True, kw_only=True):
    """Evenly drawn rows, to be looked through: all columns that have numbers or levels.

    ``left_out`` names such columns that are not kept, where there are many.
    """

    rows: int
    columns: tuple[SampledColumn, ...]
    left_out: tuple[str, ...] = ()


class ProfileDocument(msgspec.Struct, frozen=True, kw_only=True, tag="profile", dict=True):
    """A version, described. This is what a profile document holds.

    ``fingerprint`` is the same for the same names and rows, in whatever order or file.

    ``missing_thresholds`` are the shares from which on missing values are a lot, and from
    which on a column is mostly gone. ``description`` is what came with the data and says what
    its columns are. ``sampled_rows`` are the rows that can be explored on the page; ``notes`` words
    of the analyst, in Markdown, by what they speak of.

    With a ``smallest_group`` the document may be shared: it holds no row and no single value, and
    tells of no group of fewer rows. Counts are multiples of it; that size less one stands for
    any count from 1 on that is smaller.
    """

    format_version: int
    label: str
    title: str
    rows: int
    fingerprint: str
    memory_bytes: int
    columns: tuple[ColumnSummary, ...]
    duplicates: Duplicates
    duplicates_by_subset: tuple[Duplicates, ...]
    missing_patterns: MissingPatterns
    missing_by_level: tuple[MissingByLevel, ...]
    missing_hotspots: tuple[MissingHotspot, ...]
    missing_thresholds: tuple[float, float]
    group_stats: tuple[GroupStats, ...]
    relations: Relations
    pairs: tuple[PairView, ...]
    components: Components | None
    over_time: OverTime | None
    outcome: Outcome | None
    excerpt: Excerpt
    findings: tuple[Finding, ...]
    origin: Origin
    description: Description | None = None
    sampled_rows: SampledRows | None = None
    notes: dict[str, str] = {}
    smallest_group: int = 0
    missing_matrix: MissingMatrix | None = None
    missing_ranges: tuple[MissingRange, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """Of the columns, in their order."""
        return tuple(column.name for column in self.columns)

    @property
    def missing(self) -> dict[str, int]:
        """Rows without a value, by column."""
        return {column.name: column.missing for column in self.columns}

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
        return self._first_by_name.get(name)

    @kept
    def _first_by_name(self) -> dict[str, ColumnSummary]:
        return {column.name: column for column in reversed(self.columns)}
