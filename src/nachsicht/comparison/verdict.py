"""The verdict: one sentence that a child can read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from nachsicht.i18n import counted, phrase
from nachsicht.model.comparison import ColumnComparison, Verdict
from nachsicht.model.findings import Finding, Severity


class Made(NamedTuple):
    """How the versions were made of one dataset, if they were: by groups, or by time."""

    grouped_by: str | None
    sliced_by: str | None


def verdict_on(
    labels: Sequence[str],
    findings: Sequence[Finding],
    columns: Sequence[ColumnComparison],
    made: Made,
) -> Verdict:
    """Sum up the open findings of the newest step, of the one version, or of all groups."""
    newest = labels[-1]
    current = [f for f in findings if made.grouped_by or f.versions[-1] == newest]
    still_open = [finding for finding in current if finding.accepted is None]
    act, check, note = (sum(f.severity is weight for f in still_open) for weight in Severity)
    named = {name for finding in current for name in finding.columns}
    steady = sum(column.name not in named for column in columns if column.names[-1] is not None)
    accepted = len(current) - len(still_open)
    rest = []
    if act and check:
        rest.append(_phrase("check_more", check))
    if accepted:
        rest.append(_phrase("accepted", accepted))
    if steady or len(labels) > 1 or not columns:
        rest.append(_quiet(len(labels) > 1, steady, len(columns)))
    return Verdict(
        lead=_lead(labels, act, check, made),
        rest=" ".join(rest),
        act=act,
        check=check,
        note=note,
        accepted=accepted,
        steady=steady,
    )


def _lead(labels: Sequence[str], act: int, check: int, made: Made) -> str:
    if made.grouped_by:
        differ = act + check
        return (
            _phrase("groups", differ, by=made.grouped_by)
            if differ
            else phrase("verdict.groups_calm", by=made.grouped_by)
        )
    if len(labels) > 1:
        facts = {"old": labels[-2], "new": labels[-1]}
        kind = "slices" if made.sliced_by else "compare"
    else:
        facts = {"label": labels[-1]}
        kind = "profile"
    if act:
        return _phrase(f"{kind}_act", act, **facts)
    if check:
        return _phrase(f"{kind}_check", check, **facts)
    return phrase(f"verdict.{kind}_calm", **facts)


def _quiet(compared: bool, steady: int, columns: int) -> str:
    if not columns:
        return phrase("verdict.no_columns")
    if compared and steady == columns and columns > 1:
        return _phrase("all_steady", columns)
    return _phrase("steady" if compared else "quiet", steady)


def _phrase(path: str, n: int, **facts: object) -> str:
    word = counted(n)
    return phrase(f"verdict.{path}", n=n, N=word.capitalize(), count=word, **facts)
