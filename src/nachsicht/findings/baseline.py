"""Findings that somebody has accepted: shown as such, and not counted."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht.model.comparison import StaleEntry
from nachsicht.model.findings import Accepted, Finding


def accept(
    findings: Sequence[Finding], accepted: Sequence[Accepted]
) -> tuple[list[Finding], tuple[StaleEntry, ...]]:
    """Mark what is accepted, and tell which acceptances fit no finding any more, or have ended."""
    ended = [entry for entry in accepted if entry.ended and not entry.since]
    # Those that began with a version are of a history.
    accepted = [entry for entry in accepted if not entry.since and not entry.ended]
    used: set[int] = set()
    marked = []
    for finding in findings:
        place = next((i for i, a in enumerate(accepted) if _fits(a, finding)), None)
        if place is None:
            marked.append(finding)
            continue
        used.add(place)
        because = accepted[place].reason
        if finding.severity.rank >= accepted[place].severity.rank:
            finding = msgspec.structs.replace(finding, accepted=because)  # noqa: PLW2901
        marked.append(finding)
    unused = [
        StaleEntry(a.code, a.column, a.reason) for i, a in enumerate(accepted) if i not in used
    ]
    over = [StaleEntry(a.code, a.column, a.reason, a.until) for a in ended]
    return marked, (*unused, *over)


def _fits(accepted: Accepted, finding: Finding) -> bool:
    if accepted.code != finding.code:
        return False
    return accepted.column in finding.columns if accepted.column else not finding.columns
