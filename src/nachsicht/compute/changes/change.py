"""A column in two versions, with what was measured between them."""

from __future__ import annotations

from dataclasses import dataclass

from nachsicht.compute.changes.distances import Measured
from nachsicht.compute.changes.matching import Pair
from nachsicht.compute.findings.making import make_finding
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.model.profile import ProfileDocument
from nachsicht.settings import Bounds


@dataclass(frozen=True)
class Change:
    """A column in two versions, with what was measured between them."""

    pair: Pair
    old_version: ProfileDocument
    new_version: ProfileDocument
    measured: Measured | None
    by_chance: bool
    bounds: Bounds

    @property
    def versions(self) -> tuple[str, str]:
        """Labels of the two versions."""
        return (self.old_version.label, self.new_version.label)

    @property
    def name(self) -> str:
        """The newest name of the column."""
        column = self.pair.new or self.pair.old
        assert column is not None
        return column.name

    @property
    def distance(self) -> float:
        """How far the spread moved; 0 where chance explains it or nothing was measured."""
        if self.measured is None or self.measured.distance is None or self.by_chance:
            return 0.0
        return self.measured.distance

    def weight(self) -> Weight | None:
        """The weight of the distance, None below the smallest bound."""
        if self.distance >= self.bounds.distance_act:
            return Weight.ACT
        if self.distance >= self.bounds.distance_check:
            return Weight.CHECK
        return Weight.NOTE if self.distance >= self.bounds.distance_note else None

    def finding(
        self,
        code: str,
        weight: Weight,
        size: float,
        evidence: dict[str, Fact],
        title: str = "title",
        **words: object,
    ) -> Finding:
        """A finding about this column, with both labels at hand for its words."""
        old, new = self.versions
        return make_finding(
            code,
            weight,
            (self.name,),
            self.versions,
            size=size,
            evidence=evidence,
            words={"old": old, "new": new, **words},
            title=title,
        )
