"""The verdict: what the open findings of the newest step come to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from nachsicht.model.comparison import ColumnComparison, Verdict, current_of
from nachsicht.model.findings import Finding, Severity


class Grouping(NamedTuple):
    """How the versions were made of one dataset, if they were: by groups, or by time."""

    grouped_by: str | None
    sliced_by: str | None


def verdict_on(
    labels: Sequence[str],
    findings: Sequence[Finding],
    columns: Sequence[ColumnComparison],
    grouping: Grouping,
) -> Verdict:
    """Sum up the open findings of the newest step, of the one version, or of all groups."""
    newest = labels[-1]
    current = current_of(findings, newest, grouping.grouped_by)
    still_open = [finding for finding in current if finding.accepted is None]
    act, check, note = (
        sum(finding.severity is severity for finding in still_open) for severity in Severity
    )
    named = {name for finding in current for name in finding.columns}
    return Verdict(
        scope=_scope(labels, grouping),
        labels=tuple(labels[-2:]),
        by=grouping.grouped_by or grouping.sliced_by,
        act=act,
        check=check,
        note=note,
        accepted=len(current) - len(still_open),
        steady=sum(c.name not in named for c in columns if c.names[-1] is not None),
        columns=len(columns),
    )


def _scope(
    labels: Sequence[str], grouping: Grouping
) -> Literal["profile", "versions", "slices", "groups"]:
    if grouping.grouped_by:
        return "groups"
    if len(labels) == 1:
        return "profile"
    return "slices" if grouping.sliced_by else "versions"
