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
    def label(self) -> str: ...
    @property
    def title(self) -> str: ...
    @property
    def rows(self) -> int: ...
    @property
    def names(self) -> Sequence[str]: ...
    @property
    def columns(self) -> tuple[ColumnSummary, ...]: ...
    @property
    def missing(self) -> Mapping[str, int]: ...
    @property
    def missing_patterns(self) -> MissingPatterns: ...
    @property
    def duplicates(self) -> Duplicates: ...
    @property
    def duplicates_by_subset(self) -> tuple[Duplicates, ...]: ...
    @property
    def relations(self) -> Relations: ...
    @property
    def pairs(self) -> tuple[PairView, ...]: ...
    @property
    def components(self) -> Components | None: ...
    @property
    def over_time(self) -> OverTime | None: ...
    @property
    def outcome(self) -> Outcome | None: ...
    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None."""


class ComparisonParts(Protocol):
    """Several versions: a `ComparisonDocument`, or versions whose parts are computed on demand."""

    @property
    def versions(self) -> Sequence[ProfileParts]: ...
    @property
    def columns(self) -> tuple[ColumnComparison, ...]: ...
    @property
    def components(self) -> Components | None: ...
    @property
    def pca_scores(self) -> tuple[GridView | None, ...]: ...
