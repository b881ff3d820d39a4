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
        """As in documents."""
        ...

    @property
    def title(self) -> str:
        """As in documents."""
        ...

    @property
    def rows(self) -> int:
        """As in documents."""
        ...

    @property
    def names(self) -> Sequence[str]:
        """As in documents."""
        ...

    @property
    def columns(self) -> tuple[ColumnSummary, ...]:
        """As in documents."""
        ...

    @property
    def missing(self) -> Mapping[str, int]:
        """As in documents."""
        ...

    @property
    def missing_patterns(self) -> MissingPatterns:
        """As in documents."""
        ...

    @property
    def duplicates(self) -> Duplicates:
        """As in documents."""
        ...

    @property
    def duplicates_by_subset(self) -> tuple[Duplicates, ...]:
        """As in documents."""
        ...

    @property
    def relations(self) -> Relations:
        """As in documents."""
        ...

    @property
    def pairs(self) -> tuple[PairView, ...]:
        """As in documents."""
        ...

    @property
    def components(self) -> Components | None:
        """As in documents."""
        ...

    @property
    def over_time(self) -> OverTime | None:
        """As in documents."""
        ...

    @property
    def outcome(self) -> Outcome | None:
        """As in documents."""
        ...

    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None."""


class ComparisonParts(Protocol):
    """Several versions: a `ComparisonDocument`, or versions whose parts are computed on demand."""

    @property
    def versions(self) -> Sequence[ProfileParts]:
        """As in documents."""
        ...

    @property
    def columns(self) -> tuple[ColumnComparison, ...]:
        """As in documents."""
        ...

    @property
    def components(self) -> Components | None:
        """As in documents."""
        ...

    @property
    def pca_scores(self) -> tuple[GridView | None, ...]:
        """As in documents."""
        ...
