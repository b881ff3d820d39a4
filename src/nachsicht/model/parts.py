"""What parts of results are made from: documents, or what computes them when asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import ColumnComparison
from nachsicht.model.missing import MissingPatterns
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, GridView, OverTime, PairView
from nachsicht.model.profile import Duplicates, Relations


class ProfileParts(Protocol):
    """One version: a `ProfileDocument`, or a table in memory whose parts are computed on demand."""

    @property
    def label(self) -> str:
        """What the version is called."""
        ...

    @property
    def title(self) -> str:
        """The title of its page."""
        ...

    @property
    def rows(self) -> int:
        """How many rows it has."""
        ...

    @property
    def names(self) -> Sequence[str]:
        """Names of its columns, in order."""
        ...

    @property
    def columns(self) -> tuple[ColumnSummary, ...]:
        """The summary of each column, in order."""
        ...

    @property
    def missing(self) -> Mapping[str, int]:
        """Missing values by the name of the column."""
        ...

    @property
    def missing_patterns(self) -> MissingPatterns:
        """Rows by what is missing in them."""
        ...

    @property
    def duplicates(self) -> Duplicates:
        """Rows that equal an earlier one in all columns."""
        ...

    @property
    def duplicates_by_subset(self) -> tuple[Duplicates, ...]:
        """The same in other choices of columns."""
        ...

    @property
    def relations(self) -> Relations:
        """Associations of all pairs of columns."""
        ...

    @property
    def pairs(self) -> tuple[PairView, ...]:
        """The pairs that are drawn."""
        ...

    @property
    def components(self) -> Components | None:
        """Principal components; None without enough quantities."""
        ...

    @property
    def over_time(self) -> OverTime | None:
        """Every column over the datetime column; None without one."""
        ...

    @property
    def outcome(self) -> Outcome | None:
        """Every column against the outcome; None where none is chosen."""
        ...

    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None."""


class ComparisonParts(Protocol):
    """Several versions: a `ComparisonDocument`, or versions whose parts are computed on demand."""

    @property
    def versions(self) -> Sequence[ProfileParts]:
        """The versions, in order."""
        ...

    @property
    def columns(self) -> tuple[ColumnComparison, ...]:
        """Each column across all versions."""
        ...

    @property
    def components(self) -> Components | None:
        """Principal components of all versions together."""
        ...

    @property
    def pca_scores(self) -> tuple[GridView | None, ...]:
        """For each version how many of its rows lie where in the plane of the components."""
        ...
