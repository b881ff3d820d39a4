"""Findings about one column between two versions: whether it is there, and as what."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.compute.changes.change import Change
from nachsicht.compute.changes.gap_changes import gap_findings
from nachsicht.compute.changes.spread_changes import spread_findings
from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.words import catalogue, percent


def column_findings(change: Change) -> Iterator[Finding]:
    """All findings about a column between two versions."""
    old, new = change.pair.old, change.pair.new
    if new is None and old is not None:
        yield change.finding("removed", Weight.ACT, 1.0, {"kind": str(old.kind)})
    elif old is None and new is not None:
        yield _added(change, new)
    elif old is not None and new is not None:
        if change.pair.renamed:
            yield _renamed(change, old, new)
        if old.kind is not new.kind:
            yield _retyped(change, old, new)
        else:
            yield from _stored_type(change, old, new)
            yield from spread_findings(change, old, new)
        yield from gap_findings(change, old, new)


def _added(change: Change, new: ColumnSummary) -> Finding:
    described = (
        f"{catalogue()['kinds'][new.kind].capitalize()}, {percent(new.missing_share)} missing."
    )
    evidence: dict[str, Fact] = {"kind": str(new.kind), "missing_share": new.missing_share}
    return change.finding("added", Weight.NOTE, 0.5, evidence, described=described)


def _renamed(change: Change, old: ColumnSummary, new: ColumnSummary) -> Finding:
    alike = "similar" if change.distance or change.measured is None else "the same"
    return change.finding(
        "renamed",
        Weight.ACT,
        change.pair.confidence,
        {"old_name": old.name, "new_name": new.name, "confidence": change.pair.confidence},
        old_name=old.name,
        new_name=new.name,
        alike=alike,
    )


def _retyped(change: Change, old: ColumnSummary, new: ColumnSummary) -> Finding:
    kinds = catalogue()["kinds"]
    return change.finding(
        "retyped",
        Weight.ACT,
        1.0,
        {
            "old_kind": str(old.kind),
            "new_kind": str(new.kind),
            "old_type": old.stored_type,
            "new_type": new.stored_type,
        },
        old_kind=kinds[old.kind].capitalize(),
        new_kind=kinds[new.kind],
        old_type=old.stored_type,
        new_type=new.stored_type,
    )


def _stored_type(change: Change, old: ColumnSummary, new: ColumnSummary) -> Iterator[Finding]:
    """A stored type that changed its family; int32 for int64 is no matter."""
    if _family(old.stored_type) != _family(new.stored_type):
        yield change.finding(
            "stored_type",
            Weight.NOTE,
            0.2,
            {"old_type": old.stored_type, "new_type": new.stored_type},
            old_type=old.stored_type,
            new_type=new.stored_type,
            kind=catalogue()["kinds"][new.kind],
        )


def _family(stored: str) -> str:
    if stored.startswith("dictionary"):
        stored = stored.split("values=")[1].split(",", maxsplit=1)[0]
    for family, starts in (
        ("number", ("int", "uint", "float", "double", "halffloat", "decimal")),
        ("text", ("string", "large_string", "string_view")),
        ("moment", ("date", "timestamp")),
    ):
        if stored.startswith(starts):
            return family
    return stored
