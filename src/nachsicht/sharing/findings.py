"""Findings as they may be shared: what was found, without the values that it rests on."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.model.findings import Fact, Finding
from nachsicht.sharing.groups import Groups

#: Facts that count rows.
_COUNTS = {"rows", "missing", "old_rows", "new_rows", "old_missing"}
_COUNTS |= {"lines", "padded", "others", "matched"}
#: Facts that are shares of the rows.
_SHARES = {"share", "old_share", "new_share", "missing_share", "scaled_share"}
_SHARES |= {"part", "readable", "unreadable"}
#: Facts that measure, from 0 to 1 or from -1 to 1.
_MEASURES = {"distance", "residual", "strength", "old_strength", "new_strength"}
_MEASURES |= {"weakest", "confidence"}
#: Facts that name columns, kinds, types and measures.
_NAMES = {"columns", "key", "outcome", "partner", "partners", "from_column", "measure", "role"}
_NAMES |= {"old_name", "new_name", "without", "kind", "kind_without", "old_kind", "new_kind"}
_NAMES |= {"dtype", "old_dtype", "new_dtype"}


def shared_findings(findings: Sequence[Finding], rows: int, groups: Groups) -> tuple[Finding, ...]:
    """Findings of a table of so many rows, with those of their facts that may be told."""
    return tuple(_shared(finding, rows, groups) for finding in findings)


def _shared(finding: Finding, rows: int, groups: Groups) -> Finding:
    told = {name: _told(name, fact, rows, groups) for name, fact in finding.evidence.items()}
    return Finding(
        code=finding.code,
        severity=finding.severity,
        columns=finding.columns,
        versions=finding.versions,
        size=groups.share(finding.size, rows),
        form=finding.form,
        evidence={name: fact for name, fact in told.items() if fact is not None},
        accepted=finding.accepted,
        withheld=tuple(name for name, fact in told.items() if fact is None),
    )


def _told(name: str, fact: Fact, rows: int, groups: Groups) -> Fact:
    """A fact as it may be told; None where it may not."""
    if name in _NAMES:
        return fact
    if isinstance(fact, bool) or not isinstance(fact, int | float):
        return None
    if name in _COUNTS:
        return groups.drawn(round(fact)) or None
    if name in _SHARES:
        return groups.share(fact, rows) if groups.is_told(round(abs(fact) * rows)) else None
    return groups.share(fact, rows) if name in _MEASURES else None
