"""Two versions side by side, and one column of both, with what was measured between them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from nachsicht.compute.at_hand import AtHand
from nachsicht.compute.changes.curves import Curve
from nachsicht.compute.changes.distances import Measured
from nachsicht.compute.changes.matching import Pair
from nachsicht.compute.findings.making import make_finding
from nachsicht.model.column import ColumnSummary, MomentSummary, QuantitySummary
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.model.profile import ProfileDocument
from nachsicht.settings import Settings

#: With more rows than this, distances are taken from what profiles keep, within their bounds.
EXACT_ROWS = 400_000


@dataclass(frozen=True)
class Version:
    """A profile, and its data where that is still at hand."""

    profile: ProfileDocument
    data: AtHand | None = None

    def curve(self, column: ColumnSummary) -> Curve | None:
        """The cumulative distribution of a quantity or moment; None for other kinds."""
        detail = column.detail
        if isinstance(detail, QuantitySummary) and detail.finite:
            exact = self.data.quantities.get(column.position) if self.data else None
            if exact is not None and len(exact) <= EXACT_ROWS and not detail.knots.complete:
                return Curve.of_values(exact)
            return Curve.of_knots(detail.knots)
        return Curve.of_knots(detail.knots) if isinstance(detail, MomentSummary) else None


@dataclass(frozen=True)
class Between:
    """Two versions, in order, and the settings by which they are compared.

    Groups of one dataset are not ``in_time``: nothing was done to one that made the other of
    it, so differences are told and no causes looked for.
    """

    old: Version
    new: Version
    settings: Settings
    in_time: bool = True

    @property
    def labels(self) -> tuple[str, str]:
        """Labels of the two versions."""
        return (self.old.profile.label, self.new.profile.label)

    @property
    def rows(self) -> tuple[int, int]:
        """Rows of the two versions."""
        return (self.old.profile.rows, self.new.profile.rows)

    def unlikely(self, chance: float | None, tests: int = 1) -> bool:
        """Whether chance hardly explains it, in one of so many columns and tests of each."""
        of = max(len(self.new.profile.columns), 1) * max(tests, 1)
        return chance is not None and chance < self.settings.chance / of

    def finding(
        self,
        code: str,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        title: str = "title",
        at_least: Weight | None = None,
        at_most: Weight | None = None,
        **words: object,
    ) -> Finding | None:
        """A finding between the two versions, with both labels at hand for its words."""
        old, new = self.labels
        return make_finding(
            code,
            columns,
            self.labels,
            size=size,
            evidence=evidence,
            words={"old": old, "new": new, **words},
            settings=self.settings,
            title=title,
            at_least=at_least,
            at_most=at_most,
        )


@dataclass(frozen=True)
class Change:
    """A column that both versions have, with what was measured between them."""

    pair: Pair
    between: Between
    measured: Measured | None
    by_chance: bool

    @cached_property
    def old(self) -> ColumnSummary:
        """The column in the older version."""
        assert self.pair.old is not None
        return self.pair.old

    @cached_property
    def new(self) -> ColumnSummary:
        """The column in the newer version."""
        assert self.pair.new is not None
        return self.pair.new

    @property
    def name(self) -> str:
        """The newest name of the column."""
        return self.new.name

    @cached_property
    def curves(self) -> tuple[Curve, Curve] | None:
        """Both cumulative distributions of a quantity or moment."""
        old = self.between.old.curve(self.old)
        new = self.between.new.curve(self.new)
        return (old, new) if old is not None and new is not None else None

    @property
    def distance(self) -> float:
        """How far the spread moved; 0 where chance explains it or nothing was measured."""
        if self.measured is None or self.measured.distance is None or self.by_chance:
            return 0.0
        return self.measured.distance

    def finding(
        self,
        code: str,
        size: float,
        evidence: dict[str, Fact],
        *,
        title: str = "title",
        at_least: Weight | None = None,
        at_most: Weight | None = None,
        **words: object,
    ) -> Finding | None:
        """A finding about this column."""
        return self.between.finding(
            code,
            (self.name,),
            size,
            evidence,
            title=title,
            at_least=at_least,
            at_most=at_most,
            **words,
        )
