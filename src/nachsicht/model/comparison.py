"""What was computed of two or more versions, in order."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import Literal, Protocol

import msgspec

from nachsicht.i18n import phrase
from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.model.kinds import CalendarUnit, Kind
from nachsicht.model.pair_plots import Components, GridView
from nachsicht.model.profile import ProfileDocument
from nachsicht.model.theme import Theme


class BinnedDistribution(msgspec.Struct, frozen=True, tag="bins"):
    """Versions on one axis of equal bins: ``counts[version][bin]``.

    Bin ``i`` begins at ``start + i * width``. Where values are written with few decimals,
    ``step`` is their smallest step, and a bin holds ``width / unit`` different values.
    ``underflow`` and ``overflow`` count, for each version, the rows beyond the axis.
    """

    start: float
    width: float
    step: float | None
    counts: tuple[tuple[int, ...], ...]
    underflow: tuple[int, ...]
    overflow: tuple[int, ...]


class ValuesDistribution(msgspec.Struct, frozen=True, tag="values"):
    """Versions over the different values of a discrete quantity: ``counts[version][value]``."""

    values: tuple[float, ...]
    counts: tuple[tuple[int, ...], ...]


class LevelsDistribution(msgspec.Struct, frozen=True, tag="levels"):
    """Versions over the levels of a category: ``counts[version][level]``.

    Levels that are not drawn are reported in ``other_levels``, their rows in ``other_counts``.
    """

    levels: tuple[str, ...]
    counts: tuple[tuple[int, ...], ...]
    other_levels: int
    other_counts: tuple[int, ...]


class TimeDistribution(msgspec.Struct, frozen=True, tag="time"):
    """Versions over calendar units: ``counts[version][i]`` rows in unit ``first + i``."""

    unit: CalendarUnit
    time_of_day: bool
    first: int
    counts: tuple[tuple[int, ...], ...]


Distribution = BinnedDistribution | ValuesDistribution | LevelsDistribution | TimeDistribution


class Measure(msgspec.Struct, frozen=True):
    """One measure of how far a column moved.

    Attributes
    ----------
    name : str
        ``ks`` (Kolmogorov-Smirnov), ``wasserstein`` (over the pooled interquartile range),
        ``median_shift`` (in the column's own unit), ``spread_ratio`` (interquartile range, new
        over old), ``total_variation``, ``jensen_shannon`` (base 2), ``psi`` (population
        stability index), ``overlap`` (share of the new values that the old version had),
        ``coverage`` (share of the new rows within the old range), ``ks_moments``
        (Kolmogorov-Smirnov of datetimes), ``rate`` (rows a day, new over old), ``characters``
        (Kolmogorov-Smirnov of lengths), ``patterns`` (total variation), ``level_steps`` (of ordered
        levels: Wasserstein, neighbours one apart), ``superiority`` (probability that a new value is
        higher than an old one, ties counting half).
    value : float
    error_bound : float
        How far it may be off, from what profiles keep; 0 where it is exact.
    """

    name: str
    value: float
    error_bound: float = 0.0


def distance_in(measures: tuple[Measure, ...]) -> float | None:
    """The leading measure, where it is a distance; of datetimes it is not."""
    return measures[0].value if measures and measures[0].name != "coverage" else None


class Transition(msgspec.Struct, frozen=True, kw_only=True):
    """How a column changed from one version to another.

    Attributes
    ----------
    before, after : int
        Positions of the two versions; ``before`` is None for all other groups together.
    measures : tuple of Measure
        The first is the leading one. Of datetimes it is no distance of the column: a later
        delivery is bound to hold later datetimes.
    p_value : float or None
        How often chance alone gives such a distance (p-value).
    not_significant : bool
        Whether that explains it, corrected over all columns (Benjamini and Hochberg 1995).
    missing_delta, distinct_delta : float
        Differences of the share of missing rows, and of different values over present rows.
    """

    before: int | None
    after: int
    measures: tuple[Measure, ...]
    p_value: float | None
    not_significant: bool
    missing_delta: float
    distinct_delta: float
    kind_changed: bool

    @property
    def distance(self) -> float | None:
        """The leading measure, 0 (the same) to 1 (nothing in common), where it is a distance."""
        return distance_in(self.measures)


class Trajectory(StrEnum):
    """How a column went through more than two versions."""

    STEADY = "steady"
    JUMP = "jump"
    TREND = "trend"
    REVERTED = "reverted"
    UNSTEADY = "unsteady"


class Overall(msgspec.Struct, frozen=True, kw_only=True):
    """From the first version to the last, where there are more than two.

    ``since_version`` is the position of the version at which the present state began.
    """

    transition: Transition
    trajectory: Trajectory
    since_version: int


class ColumnComparison(msgspec.Struct, frozen=True, kw_only=True):
    """One column through all versions.

    ``names`` and ``positions`` hold its name and place in each version, None where it does
    not occur (names may repeat within a version, positions do not). ``log_distribution`` is the
    spread of the binary logarithms of a long-tailed quantity. ``severity`` is the gravest of its
    findings, None for a steady column.
    """

    name: str
    kind: Kind
    names: tuple[str | None, ...]
    positions: tuple[int | None, ...]
    distribution: Distribution | None
    log_distribution: BinnedDistribution | None
    transitions: tuple[Transition, ...]
    overall: Overall | None
    severity: Severity | None


RewriteRule = Literal[
    "emptied",
    "filled",
    "overwritten",
    "capped",
    "floored",
    "sign_flipped",
    "wrapped",
    "shifted",
    "decimal_point",
    "decimal_points",
    "scaled",
    "affine",
    "rounded",
    "cut_off",
    "other_column",
    "dates_shifted",
    "day_month_swapped",
    "time_dropped",
    "blanks",
    "case",
    "leading_zeros",
    "garbled",
    "truncated",
    "misspelt",
    "mapped",
]


class Rewrite(msgspec.Struct, frozen=True, kw_only=True):
    """What was done to the cells of a column, and in how many of the rewritten ones.

    ``facts`` are those of the rule: ``amount`` and ``unit``, ``factor`` and ``offset``, ``step``,
    ``value``, ``bits``, ``length``, ``from_column``, ``old_levels`` and ``new_levels``.
    """

    rule: RewriteRule
    rows: int
    share: float
    facts: dict[str, Fact]


class Condition(msgspec.Struct, frozen=True):
    """What some rows have in common: a level of a column, a range of its values, or a run of rows.

    Without ``by``, ``first`` and ``last`` are row numbers of the newer version, from 1.
    """

    by: str | None
    level: str | None
    first: str | None
    last: str | None


class CellChange(msgspec.Struct, frozen=True):
    """In how many of the rows that both versions have a column differs, and by which rule.

    ``row_numbers`` are those of a few of these rows in the older and the newer version, from 1.
    ``where`` are one or two conditions that these rows fulfil together, and few others do.
    """

    column: str
    rows: int
    rewrite: Rewrite | None = None
    row_numbers: tuple[tuple[int, int], ...] = ()
    where: tuple[Condition, ...] = ()


class ChangedCell(msgspec.Struct, frozen=True):
    """An example of a changed cell: the row's key, the column, old and new value as text."""

    key: tuple[str, ...]
    column: str
    old: str | None
    new: str | None


class LostLevel(msgspec.Struct, frozen=True):
    """A level in which far more rows were removed than elsewhere.

    ``rows`` of the ``of`` rows that it had were removed; of the rows in other levels, the share
    ``others``.
    """

    by: str
    level: str
    rows: int
    of: int
    others: float


class LostRun(msgspec.Struct, frozen=True):
    """Rows one after the other of which ``rows``, nearly all, were removed.

    ``first`` and ``last`` are row numbers of the older version, from 1.
    """

    first: int
    last: int
    rows: int


class RowChanges(msgspec.Struct, frozen=True, kw_only=True):
    """What became of the rows between two versions.

    With a ``key`` (its columns, as the newer version names them), rows of the same key are
    one row. Keys that stand in several rows are left out of the matching and counted in
    ``duplicate_keys`` (rows, old and new). Without a key, rows are the same that are equal in
    all columns that both versions have, each as often as it occurs.
    """

    before: int | None
    after: int
    key: tuple[str, ...]
    key_detected: bool
    added: int
    removed: int
    changed: int
    unchanged: int
    duplicate_keys: tuple[int, int]
    changed_cells: tuple[CellChange, ...]
    examples: tuple[ChangedCell, ...]
    added_keys: tuple[tuple[str, ...], ...]
    removed_keys: tuple[tuple[str, ...], ...]
    not_compared: tuple[str, ...]
    lost_level: LostLevel | None = None
    lost_run: LostRun | None = None


class RowEstimate(msgspec.Struct, frozen=True, kw_only=True):
    """About how many values of a key came and went, where a version is there as a profile alone.

    ``added`` and ``removed`` may be off by the ``uncertainty``, two standard errors.
    """

    before: int | None
    after: int
    key: str
    added: int
    removed: int
    uncertainty: int


class RelationChange(msgspec.Struct, frozen=True):
    """How a relation between two columns changed, and how often chance gives as much."""

    before: int | None
    after: int
    x: str
    y: str
    measure: str
    old_value: float
    new_value: float
    p_value: float


def current_of(
    findings: Sequence[Finding], newest: str, grouped_by: str | None
) -> tuple[Finding, ...]:
    """Findings of the version of a label; of groups, which have no order, all."""
    return tuple(f for f in findings if grouped_by or f.versions[-1] == newest)


class StaleEntry(msgspec.Struct, frozen=True):
    """An accepted finding that no longer occurs, or counts again after the day ``until``."""

    code: str
    column: str
    reason: str
    until: str = ""

    @property
    def sentence(self) -> str:
        """What is to be told of it, in the current language."""
        facts = {"code": self.code, "column": self.column or "–"}
        if self.until:
            return phrase(
                "terminal.acceptance_ended", until=self.until, reason=self.reason, **facts
            )
        return phrase("terminal.stale", **facts)


class _WithColumns(Protocol):
    @property
    def columns(self) -> tuple[ColumnSummary, ...]: ...


def summaries_of(
    column: ColumnComparison, versions: Sequence[_WithColumns]
) -> list[ColumnSummary | None]:
    """The column's summary in each version."""
    return [
        None if position is None else version.columns[position]
        for version, position in zip(versions, column.positions, strict=True)
    ]


class Verdict(msgspec.Struct, frozen=True, kw_only=True):
    """What the findings of the newest step come to.

    Attributes
    ----------
    scope : str
        What is judged: ``profile`` (one version), ``versions``, ``slices`` or ``groups``.
    labels : tuple of str
        Of the version before and the newest one; of a profile of that alone.
    by : str or None
        The column that makes groups or slices.
    act, check, note, accepted : int
        Open findings by severity, and those that are accepted.
    steady, columns : int
        Columns without a finding, and all.
    """

    scope: Literal["profile", "versions", "slices", "groups"]
    labels: tuple[str, ...]
    by: str | None
    act: int
    check: int
    note: int
    accepted: int
    steady: int
    columns: int

    @property
    def headline(self) -> str:
        """The verdict in one sentence, in the current language."""
        facts: dict[str, object] = {"by": self.by, "label": self.labels[-1], "new": self.labels[-1]}
        facts["old"] = self.labels[0]
        if self.scope == "groups":
            differ = self.act + self.check
            path = "groups" if differ else "groups_calm"
            return phrase(f"verdict.{path}", n=differ, **facts)
        for severity, n in ((Severity.ACT, self.act), (Severity.CHECK, self.check)):
            if n:
                return phrase(f"verdict.{self.scope}_{severity}", n=n, **facts)
        return phrase(f"verdict.{self.scope}_calm", **facts)

    @property
    def detail(self) -> str:
        """What else there is to know, in the current language; empty for nothing."""
        sentences = []
        if self.act and self.check and self.scope != "groups":
            sentences.append(phrase("verdict.check_more", n=self.check))
        if self.accepted:
            sentences.append(phrase("verdict.accepted", n=self.accepted))
        if not self.columns:
            sentences.append(phrase("verdict.no_columns"))
        elif self.scope == "profile":
            sentences += [phrase("verdict.quiet", n=self.steady)] if self.steady else []
        elif self.steady == self.columns > 1:
            sentences.append(phrase("verdict.all_steady", n=self.columns))
        else:
            sentences.append(phrase("verdict.steady", n=self.steady))
        return " ".join(sentences)


#: From so many versions in time on, they are a history.
FEWEST_VERSIONS = 5


class ComparisonDocument(msgspec.Struct, frozen=True, kw_only=True, tag="comparison"):
    """Two or more versions, in order, and what changed. One version is a comparison of none.

    ``components`` are those of the newest version over the quantities that all versions have,
    ``pca_scores`` holds rows of every version in the plane of the first two of them. ``rows`` has
    an entry for each step whose rows could be compared: where both versions were there as data; of
    others there may be ``row_estimates``. ``grouped_by`` is the column whose groups are compared,
    as versions are; ``sliced_by`` the moment column whose months or years are. ``notes`` are words
    of the analyst, in Markdown, by what they speak of; ``smallest_group`` is as that of its
    versions.
    """

    format_version: int
    title: str
    versions: tuple[ProfileDocument, ...]
    columns: tuple[ColumnComparison, ...]
    rows: tuple[RowChanges, ...]
    relations: tuple[RelationChange, ...]
    components: Components | None
    pca_scores: tuple[GridView | None, ...]
    findings: tuple[Finding, ...]
    stale_baseline: tuple[StaleEntry, ...]
    grouped_by: str | None
    sliced_by: str | None
    theme: Theme | None
    verdict: Verdict
    notes: dict[str, str] = {}
    smallest_group: int = 0
    row_estimates: tuple[RowEstimate, ...] = ()

    @property
    def current_findings(self) -> tuple[Finding, ...]:
        """Those of the newest version, or of all groups, the most urgent first."""
        return current_of(self.findings, self.versions[-1].label, self.grouped_by)

    @property
    def sharing(self) -> tuple[str, ...]:
        """That it is safe to share, and how figures were rounded; nothing where it is not."""
        k = self.smallest_group
        if not k:
            return ()
        return phrase("sharing.notice", n=k), phrase("sharing.rounded", n=k, most=k - 1)

    @property
    def is_history(self) -> bool:
        """Whether there are versions enough, and enough of each, to judge it by those before it."""
        in_time = self.grouped_by is None and not self.smallest_group
        return in_time and len(self.versions) >= FEWEST_VERSIONS
