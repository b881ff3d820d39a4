"""What a rule may look at in one version, and how it makes a finding."""

from __future__ import annotations

from typing import NamedTuple

from nachsicht.config.settings import Settings
from nachsicht.findings.build import make_finding
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.model.profile import GapsByLevel


class View(NamedTuple):
    """What a rule may look at, and how it makes a finding."""

    label: str
    gaps: tuple[GapsByLevel, ...]
    settings: Settings

    def finding(
        self,
        code: str,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        at_least: Weight | None = None,
        at_most: Weight | None = None,
        **words: object,
    ) -> Finding | None:
        """A finding of this version."""
        return make_finding(
            code,
            columns,
            (self.label,),
            size=size,
            evidence=evidence,
            words=words,
            settings=self.settings,
            at_least=at_least,
            at_most=at_most,
        )
