"""What a profile keeps of one column."""

from __future__ import annotations

from enum import StrEnum

import msgspec

from nachsicht.model.kinds import CalendarUnit, Kind, KindReason
from nachsicht.model.statistics import Absent, Statistic


class Level(msgspec.Struct, frozen=True, gc=False):
    """A value, as text, and in how many rows it stands."""

    value: str
    count: int


class NumberCount(msgspec.Struct, frozen=True, gc=False):
    """A number and in how many rows it stands."""

    value: int | float
    count: int


class Quantile(msgspec.Struct, frozen=True, gc=False):
    """The value below which a share of the rows lies.

    In a document that may be shared it is known no better than from ``value`` to ``up_to``.
    """

    share: float
    value: float
    up_to: float | None = None


class Ecdf(msgspec.Struct, frozen=True):
    """Points of the cumulative distribution, each exact.

    ``lt[i]`` rows are smaller than ``values[i]`` and ``le[i]`` are not larger.
    With ``exact`` every different value is a knot, and the distribution is known
    everywhere; otherwise it is uncertain between two knots by the rows that lie there.
    """

    values: tuple[float, ...]
    lt: tuple[int, ...]
    le: tuple[int, ...]
    exact: bool


class Histogram(msgspec.Struct, frozen=True):
    """Counts in bins of equal width on a grid that nests.

    Bin ``i`` holds the values from ``(first + i) * 2**exponent / 10**decimals`` up to, but
    without, the next edge; ``decimals`` is None for values that are not written with few
    decimals, and counts as 0 then. Histograms with the same decimals can be put on one axis
    exactly, by adding up neighbours of the finer one. ``underflow`` and ``overflow`` count the
    rows outside of the bins, where a long tail was cut.
    """

    decimals: int | None
    exponent: int
    first: int
    counts: tuple[int, ...]
    underflow: int
    overflow: int


class Order(StrEnum):
    """How the values run from the first row to the last; equal neighbours break strictness."""

    STRICTLY_INCREASING = "strictly_increasing"
    INCREASING = "increasing"
    STRICTLY_DECREASING = "strictly_decreasing"
    DECREASING = "decreasing"
    CONSTANT = "constant"
    NONE = "none"


class AdjustedFences(msgspec.Struct, frozen=True, kw_only=True):
    """Fences for outliers that mind skewness, by the adjusted box plot.

    They are nowhere narrower than Tukey's. ``medcouple`` is the skewness that they are adjusted
    to, from -1 to 1. ``below`` and ``above`` count the values beyond the fences; the isolated ones
    lie beyond a gap as well that is at least as wide as the fence is away from the median.
    """

    medcouple: float
    low_fence: float
    high_fence: float
    below: int
    above: int
    isolated_below: int
    isolated_above: int


class Outliers(msgspec.Struct, frozen=True):
    """Values far from the rest, by two rules, and the box plot that goes with the first.

    Tukey's fences lie 1.5 interquartile ranges beyond the quartiles; the whiskers end at the
    outermost values within them. The modified z-score is 0.6745 times the distance from the
    median in units of the MAD; ``by_modified_z`` counts those beyond 3.5, and is absent where
    the MAD is zero.
    """

    low_fence: float
    high_fence: float
    low_whisker: float
    high_whisker: float
    below: int
    above: int
    by_modified_z: int | Absent
    values_below: tuple[NumberCount, ...]
    values_above: tuple[NumberCount, ...]
    adjusted: AdjustedFences | None = None


class NormalFit(msgspec.Struct, frozen=True):
    """How close a quantity is to a normal distribution.

    ``ppcc`` is the correlation of the sorted values with normal scores (1 for a straight
    line), for the values as they are, their logarithms and their square roots; ``best_transform``
    names the best (none, log, square_root). ``points`` are (normal score, value).
    """

    ppcc: Statistic
    ppcc_log: Statistic
    ppcc_square_root: Statistic
    best_transform: str
    points: tuple[tuple[float, float], ...]


class Density(msgspec.Struct, frozen=True):
    """A smoothed histogram: height at ``start + i * step``; the area beneath it is 1."""

    start: float
    step: float
    bandwidth: float
    heights: tuple[float, ...]


class QuantitySummary(msgspec.Struct, frozen=True, tag="quantity"):
    """A quantity. Moments and quantiles leave infinities out, and count them.

    ``decimals`` is the number of decimals that every value can be written with, None above
    six. ``mode`` is the most frequent value (the smallest of them), None where no value
    occurs twice. ``log_histogram`` is that of the binary logarithms of the positive values,
    kept where a long tail was cut. Discrete quantities have no density. ``round_number_counts``
    counts the values that are whole multiples of 1, 5, 10, 50 … and of the decimal steps below.
    ``autocorrelation`` is that of each value with the next row's, None where rows were not
    read in their order.
    """

    n_finite: int
    minimum: Statistic
    maximum: Statistic
    range: Statistic
    sum: Statistic
    mean: Statistic
    std: Statistic
    variance: Statistic
    cv: Statistic
    median: Statistic
    mad: Statistic
    iqr: Statistic
    skewness: Statistic
    kurtosis: Statistic
    zeros: int
    negatives: int
    neg_inf: int
    pos_inf: int
    all_integers: bool
    decimals: int | None
    discrete: bool
    order: Order
    mode: NumberCount | None
    quantiles: tuple[Quantile, ...]
    lowest: tuple[NumberCount, ...]
    highest: tuple[NumberCount, ...]
    ecdf: Ecdf
    histogram: Histogram | None
    log_histogram: Histogram | None
    density: Density | None
    round_number_counts: tuple[NumberCount, ...]
    outliers: Outliers | None
    normal: NormalFit | None
    autocorrelation: Statistic | None = None


class CategorySummary(msgspec.Struct, frozen=True, tag="category"):
    """A category or flag: its levels with counts, the most frequent first.

    ``levels_for_80pct`` is how many of the most frequent levels hold 80 % of the rows. Rare
    levels hold less than 1 % each. ``min_length`` and ``max_length`` are lengths in characters.
    ``level_order`` holds all levels, the lowest first, where they are said to have an order.
    """

    levels: tuple[Level, ...]
    other_levels: int
    other_rows: int
    evenness: Statistic
    levels_for_80pct: int
    rare_levels: int
    rare_rows: int
    similar_levels: tuple[tuple[Level, ...], ...]
    min_length: int
    max_length: int
    level_order: tuple[str, ...] = ()


class EmptyPeriods(msgspec.Struct, frozen=True):
    """Neighbouring calendar units without any row: the first, the last, and how many."""

    first: str
    last: str
    periods: int


class DatetimeSummary(msgspec.Struct, frozen=True, tag="datetime"):
    """Dates or times. ``unit`` is that of ``counts``: hour, day, month, year, and so on.

    ``counts[i]`` rows lie in the calendar unit ``first + i`` after 1970-01-01 (or after
    midnight, for times of day, whose ``time_of_day`` is true). Those with a time zone are counted
    by the clock of that zone. ``by_month`` begins with January, ``by_weekday`` with Monday;
    both are empty for times of day, ``by_hour`` for days. ``gaps`` are the longest
    runs of units without a row; ``empty_periods`` counts all such units. ``in_future`` is
    None where no time of now was given. ``ecdf`` are in microseconds since 1970 (or midnight);
    ``by_month_and_day`` has 31 counts for each of the twelve months, and is empty for times.
    ``order`` is that of the rows, None where it was not observed.
    """

    minimum: str
    maximum: str
    span_days: float
    time_of_day: bool
    time_zone: str | None
    unit: CalendarUnit
    first: int
    counts: tuple[int, ...]
    by_month: tuple[int, ...]
    by_weekday: tuple[int, ...]
    by_hour: tuple[int, ...]
    by_month_and_day: tuple[int, ...]
    ecdf: Ecdf
    gaps: tuple[EmptyPeriods, ...]
    empty_periods: int
    in_future: int | None
    at_epoch: int
    at_midnight: int
    order: Order | None = None


class TextSummary(msgspec.Struct, frozen=True, tag="text"):
    """Written text: lengths in characters and in words, frequent words, blanks, shapes.

    ``semantic_types`` counts the rows that look like something else: an e-mail address, a URL, a
    number with a unit, a date, JSON.
    """

    char_count: QuantitySummary
    word_count: QuantitySummary
    frequent_words: tuple[Level, ...]
    blank: int
    leading_space: int
    trailing_space: int
    patterns: tuple[Level, ...]
    semantic_types: dict[str, int]


class Sequence(msgspec.Struct, frozen=True):
    """Identifiers that count up, with the same text before the number.

    ``missing_numbers`` numbers between the first and the last do not occur; ``examples`` are some.
    """

    prefix: str
    lowest: int
    highest: int
    missing_numbers: int
    examples: tuple[int, ...]


class IdentifierSummary(msgspec.Struct, frozen=True, tag="identifier"):
    """Names of things: no arithmetic, but uniqueness and shape.

    ``min_hashes`` are the smallest hashes of the different values as texts, at most 256: of two
    versions they tell how many values these share (`KeySample`). ``key_hashes`` are more of them,
    at most 1,024, of numbers as such: by these, rows that came and went are estimated.
    """

    duplicate_values: int
    duplicate_rows: int
    patterns: tuple[Level, ...]
    min_length: int
    max_length: int
    order: Order | None
    sequence: Sequence | None
    min_hashes: tuple[int, ...]
    key_hashes: tuple[int, ...] = ()


class NestedSummary(msgspec.Struct, frozen=True, tag="nested"):
    """Lists or records inside a cell: how deep, which fields, how many entries, how many none."""

    depth: int
    fields: tuple[str, ...]
    lengths: QuantitySummary | None
    empty: int


Detail = (
    QuantitySummary
    | CategorySummary
    | DatetimeSummary
    | TextSummary
    | IdentifierSummary
    | NestedSummary
)


class TextFormat(msgspec.Struct, frozen=True, kw_only=True):
    """How a column that is stored as text is written.

    ``pattern`` is that of most rows, as by `shapes`. ``numeric_rows`` and ``date_rows`` count the
    rows that read as one though the column as a whole does not; ``garbled_rows`` those whose
    letters were read in the wrong encoding ("Ã¼" for "ü", or the mark that replaces a lost letter),
    and ``leading_zeros`` those of digits alone that begin with a zero.
    """

    pattern: str
    numeric_rows: int
    date_rows: int
    garbled_rows: int
    leading_zeros: int = 0


class ErrorBounds(msgspec.Struct, frozen=True):
    """How far off figures may be that were not computed exactly.

    ``rank`` is the share of rows by which quantiles, bins and counts of outliers may be off;
    ``distinct_rel`` two standard errors of the number of different values, relative; ``count``
    the rows by which counts of frequent values may be too low. Counts of rows, missing
    values, moments and ends are exact in any case.
    """

    rank: float
    distinct_rel: float
    count: int


class ColumnSummary(msgspec.Struct, frozen=True, kw_only=True):
    """One column of one version.

    ``missing`` counts nulls and NaN; ``distinct`` and ``unique_once`` (values that occur in one
    row only) leave missing out; ``collision_probability`` is the chance that two rows drawn at
    random agree in this column, missing counting as a value; ``memory_bytes`` is the size of the
    column in Arrow's format. ``unit`` is what stood with every number of a column of texts,
    ``text_format`` how texts are written (None where the column is not stored as text).
    ``error_bounds`` is None where every figure is exact. ``missing_reasons`` are what a file of a
    statistical package gives as reasons for missing values, each with its rows, the most first.
    """

    name: str
    position: int
    dtype: str
    kind: Kind
    kind_reason: KindReason
    unit: str | None
    text_format: TextFormat | None
    rows: int
    missing: int
    distinct: int
    unique_once: int
    collision_probability: float
    memory_bytes: int
    top_values: tuple[Level, ...]
    rare_values: tuple[Level, ...]
    first_value: str | None
    last_value: str | None
    stats: Detail | None
    error_bounds: ErrorBounds | None
    missing_reasons: tuple[Level, ...] = ()

    @property
    def present(self) -> int:
        """Rows with a value."""
        return self.rows - self.missing

    @property
    def missing_share(self) -> float:
        """Share of rows without a value, 0 for a table without rows."""
        return self.missing / self.rows if self.rows else 0.0
