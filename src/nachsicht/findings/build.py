"""The one place where a finding is put together and weighed by the registry."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from nachsicht.config.settings import Settings
from nachsicht.findings.thresholds import severity_of
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.model.profile import MissingByLevel

#: The label of all rows outside of a group.
REST = ""


def make_finding(
    code: FindingCode,
    columns: tuple[str, ...],
    versions: tuple[str, ...],
    *,
    size: float,
    evidence: dict[str, Fact],
    settings: Settings,
    form: str = "",
    at_least: Severity | None = None,
    at_most: Severity | None = None,
) -> Finding | None:
    """A finding with its severity; None where it has no severity.

    ``evidence`` are the exact facts, ``form`` says which of its titles fits them.
    ``at_least`` and ``at_most`` bound the severity where more than the size is known.
    """
    severity = severity_of(code, size, settings)
    limits = settings.findings.get(code)
    if severity is None or (limits and limits.off):
        return None
    if at_least and at_least.rank < severity.rank:
        severity = at_least
    if at_most and at_most.rank > severity.rank:
        severity = at_most
    return Finding(
        code=code,
        severity=severity,
        columns=columns,
        versions=tuple(None if label == REST else label for label in versions),
        size=min(max(float(size), 0.0), 1.0),
        form=form,
        evidence={name: _plain(fact) for name, fact in evidence.items()},
    )


def _plain(fact: Any) -> Any:
    """A fact as documents hold it: a number of Python, not of NumPy."""
    return fact.item() if isinstance(fact, np.generic) else fact


class View(NamedTuple):
    """What a rule may look at, and how it makes a finding."""

    label: str
    gaps: tuple[MissingByLevel, ...]
    settings: Settings

    def finding(
        self,
        code: FindingCode,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        form: str = "",
        at_least: Severity | None = None,
        at_most: Severity | None = None,
    ) -> Finding | None:
        """A finding of this version."""
        return make_finding(
            code,
            columns,
            (self.label,),
            size=size,
            evidence=evidence,
            settings=self.settings,
            form=form,
            at_least=at_least,
            at_most=at_most,
        )
