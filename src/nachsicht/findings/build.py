"""The one place where a finding is put together: weighed by the catalogue, told in its words."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from nachsicht.config.settings import Settings
from nachsicht.findings.registry import severity_of
from nachsicht.i18n import phrase
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.model.profile import GapsByLevel


def make_finding(
    code: FindingCode,
    columns: tuple[str, ...],
    versions: tuple[str, ...],
    *,
    size: float,
    evidence: dict[str, Fact],
    words: dict[str, object],
    settings: Settings,
    title: str = "title",
    at_least: Severity | None = None,
    at_most: Severity | None = None,
) -> Finding | None:
    """A finding with its weight, title, sentence and next step; None where it has no weight.

    ``evidence`` are the exact facts, ``words`` the same facts as a person reads them.
    ``at_least`` and ``at_most`` bound the weight where more than the size is known.
    """
    weight = severity_of(code, size, settings)
    limits = settings.findings.get(code)
    if weight is None or (limits and limits.off):
        return None
    if at_least and at_least.rank < weight.rank:
        weight = at_least
    if at_most and at_most.rank > weight.rank:
        weight = at_most
    path = f"findings.{code}"
    return Finding(
        code=code,
        weight=weight,
        columns=columns,
        versions=versions,
        size=min(max(float(size), 0.0), 1.0),
        evidence={name: _plain(fact) for name, fact in evidence.items()},
        title=phrase(f"{path}.{title}", **words),
        sentence=phrase(f"{path}.sentence", **words),
        next_step=phrase(f"{path}.next_step", **words),
    )


def _plain(fact: Any) -> Any:
    """A fact as documents hold it: a number of Python, not of NumPy."""
    return fact.item() if isinstance(fact, np.generic) else fact


class View(NamedTuple):
    """What a rule may look at, and how it makes a finding."""

    label: str
    gaps: tuple[GapsByLevel, ...]
    settings: Settings

    def finding(
        self,
        code: FindingCode,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        at_least: Severity | None = None,
        at_most: Severity | None = None,
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
