"""What a profile keeps of one column."""

from __future__ import annotations

import msgspec

from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.statistics import Statistic


class Level(msgspec.Struct, frozen=True, array_like=True):
    """A value, as text, and in how many rows it stands."""

    value: str
    count: int


class NumberCount(msgspec.Struct, frozen=True, array_like=True):
    """A number and in how many rows it stands."""

    value: int | float
    count: int


class Quantile(msgspec.Struct, frozen=True, array_like=True):
    """The value below which a share of the rows lies."""

    share: float
    value: float


class Knots(msgspec.Struct, frozen=True):
    """Points of the cumulative distribution, each exact.

    ``below[i]`` rows are smaller than ``values[i]`` and ``at_most[i]`` are not larger.
    With ``complete`` every different value is a knot, and the distribution is known
    everywhere; otherwise it is uncertain between two knots by the rows that lie there.
    """

    values: tuple[float, ...]
    below: tuple[int, ...]
    at_most: tuple[int, ...]
    complete: bool


class Histogram(msgspec.Struct, frozen=True):
    """Counts in bins of equal width on a grid that nests.

    Bin ``i`` holds the values from ``(first + i) * 2**exponent / 10**decimals`` up to, but
    without, the next edge; ``decimals`` is None for values that are not written with few
    decimals, and counts as 0 then. Histograms with the same decimals can be put on one axis
    exactly, by adding up neighbours of the finer one. ``before`` and ``after`` count the
    rows outside of the bins, where a long tail was cut.
    """

    decimals: int | None
    exponent: int
    first: int
    counts: tuple[int, ...]
    before: int
    after: int


class QuantitySummary(msgspec.Struct, frozen=True, tag="quantity"):
    """A quantity. Moments and quantiles leave infinities out, and count them."""

    finite: int
    minimum: Statistic
    maximum: Statistic
    range: Statistic
    sum: Statistic
    mean: Statistic
    sd: Statistic
    variance: Statistic
    variation: Statistic
    median: Statistic
    mad: Statistic
    iqr: Statistic
    skewness: Statistic
    kurtosis: Statistic
    zeros: int
    negatives: int
    infinite_below: int
    infinite_above: int
    whole: bool
    discrete: bool
    quantiles: tuple[Quantile, ...]
    lowest: tuple[NumberCount, ...]
    highest: tuple[NumberCount, ...]
    knots: Knots
    histogram: Histogram | None


class CategorySummary(msgspec.Struct, frozen=True, tag="category"):
    """A category or flag: its levels with counts, the most frequent first."""

    levels: tuple[Level, ...]
    further_levels: int
    further_rows: int
    evenness: Statistic
    look_alikes: tuple[tuple[Level, ...], ...]


class MomentSummary(msgspec.Struct, frozen=True, tag="moment"):
    """Dates or times. ``unit`` is that of ``counts``: hour, day, month, year, and so on.

    ``counts[i]`` rows lie in the calendar unit ``first + i`` after 1970-01-01 (or after
    midnight, for times of day, whose ``clock`` is true).
    """

    minimum: str
    maximum: str
    span_days: float
    clock: bool
    time_zone: str | None
    unit: str
    first: int
    counts: tuple[int, ...]


class TextSummary(msgspec.Struct, frozen=True, tag="text"):
    """Written text: lengths in characters and in words, and blanks."""

    characters: QuantitySummary
    words: QuantitySummary
    blank: int


class IdentifierSummary(msgspec.Struct, frozen=True, tag="identifier"):
    """Names of things: no arithmetic, but uniqueness and shape."""

    repeated_values: int
    repeated_rows: int
    shapes: tuple[Level, ...]


Detail = QuantitySummary | CategorySummary | MomentSummary | TextSummary | IdentifierSummary


class ColumnSummary(msgspec.Struct, frozen=True, kw_only=True):
    """One column of one version.

    ``missing`` counts nulls and NaN; ``distinct`` and ``once`` (values that occur in one
    row only) leave missing out; ``agreement`` is the chance that two rows drawn at random
    agree in this column, missing counting as a value; ``memory_bytes`` is the size of the
    column in Arrow's format.
    """

    name: str
    position: int
    stored_type: str
    kind: Kind
    kind_reason: KindReason
    rows: int
    missing: int
    distinct: int
    once: int
    agreement: float
    memory_bytes: int
    frequent: tuple[Level, ...]
    rarest: tuple[Level, ...]
    first_seen: str | None
    last_seen: str | None
    detail: Detail | None

    @property
    def present(self) -> int:
        """Rows with a value."""
        return self.rows - self.missing

    @property
    def missing_share(self) -> float:
        """Share of rows without a value, 0 for a table without rows."""
        return self.missing / self.rows if self.rows else 0.0
