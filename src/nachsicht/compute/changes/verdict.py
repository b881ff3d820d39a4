"""The verdict: one sentence that a child can read."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.model.comparison import ColumnAcross, Verdict
from nachsicht.model.findings import Finding, Weight
from nachsicht.words import counted, phrase


def verdict_on(
    labels: Sequence[str], findings: Sequence[Finding], columns: Sequence[ColumnAcross]
) -> Verdict:
    """Sum up the findings of the newest step (or of the one version)."""
    newest = labels[-1]
    current = [finding for finding in findings if finding.versions[-1] == newest]
    act, check, note = (sum(finding.weight is weight for finding in current) for weight in Weight)
    named = {name for finding in current for name in finding.columns}
    steady = sum(column.name not in named for column in columns if column.names[-1] is not None)
    rest = []
    if act and check:
        rest.append(_phrase("check_more", check))
    rest.append(_quiet(len(labels) > 1, steady, len(columns)))
    return Verdict(
        lead=_lead(labels, act, check),
        rest=" ".join(rest),
        act=act,
        check=check,
        note=note,
        steady=steady,
    )


def _lead(labels: Sequence[str], act: int, check: int) -> str:
    if len(labels) > 1:
        facts = {"old": labels[-2], "new": labels[-1]}
        kind = "compare"
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
