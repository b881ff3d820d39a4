"""What the page is given of a finding's evidence: its facts with their names, in words."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.i18n import catalogue, number, percent, render, value_text, whole
from nachsicht.model.findings import Fact, Finding

#: Facts that only fill in sentences, which say them better.
INTERNAL = frozenset(
    {"promise", "conversion", "added", "subtracted", "bound", "role", "without", "where_only"}
)
#: Facts that are codes, by the table of the catalogue that has their words.
_TERMS = {
    "kind": "kinds",
    "old_kind": "kinds",
    "new_kind": "kinds",
    "kind_without": "kinds",
    "measure": "measures",
    "best_transform": "values",
    "rule": "rules",
    "direction": "directions",
    "weekday": "weekdays",
    "month": "months",
}
#: Facts that are shares.
_SHARES = frozenset(
    {"readable", "unreadable", "outside", "old_missing", "confidence", "within", "part"}
)
_DIGITS, _NOTHING = 4, "–"


def evidence_rows(finding: Finding) -> Iterator[tuple[str, str, str]]:
    """Name, value as it is read, and the exact value where that says more."""
    names = catalogue()["evidence"]
    for name, fact in finding.evidence.items():
        if name in INTERNAL or name not in names or fact is None:
            continue
        exact = repr(fact) if isinstance(fact, float) else ""
        yield names[name], _fact_text(name, fact), exact


def _fact_text(name: str, fact: Fact) -> str:
    if name in _TERMS:
        return render(f"{{fact:{_TERMS[name]}}}", {"fact": fact})
    if isinstance(fact, tuple):
        if fact and isinstance(fact[0], tuple):
            return render("{groups:equal}", {"groups": fact})
        return ", ".join(
            whole(one) if isinstance(one, int) else _NOTHING if one is None else str(one)
            for one in fact
        )
    if isinstance(fact, str | None):
        return fact or ""
    return _number_text(name, fact)


def _number_text(name: str, fact: float) -> str:
    if name in _SHARES or "share" in name:
        return percent(fact)
    if name == "value":
        return value_text(fact)
    return whole(fact) if isinstance(fact, int) else number(fact, _DIGITS)
