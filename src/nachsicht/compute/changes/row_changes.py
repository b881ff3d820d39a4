"""Findings about the rows between two versions."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.compute.changes.distances import shares_chance
from nachsicht.compute.findings.in_profile import block_evidence, block_words, repeats_matter
from nachsicht.compute.findings.making import make_finding
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.model.profile import ProfileDocument
from nachsicht.settings import Bounds
from nachsicht.words import percent, whole


def row_findings(old: ProfileDocument, new: ProfileDocument, bounds: Bounds) -> Iterator[Finding]:
    """Rows that are repeated now and were not before."""
    repeated, before = new.repeats.repeated_rows, old.repeats.repeated_rows
    share, old_share = repeated / max(new.rows, 1), before / max(old.rows, 1)
    if share - old_share < bounds.repeats_check or not repeats_matter(new.columns, new.repeats):
        return
    if shares_chance(before, old.rows, repeated, new.rows) > bounds.chance:
        return
    evidence: dict[str, Fact] = {"rows": repeated, "share": share, "old_share": old_share}
    yield make_finding(
        "repeats_new",
        Weight.ACT,
        (),
        (old.label, new.label),
        size=share - old_share,
        evidence=evidence | block_evidence(new.repeats),
        words={
            "n": repeated,
            "rows": whole(repeated),
            "share": percent(share),
            "old_share": percent(old_share),
            "old": old.label,
            "block": block_words("repeats_new", new.repeats),
        },
    )
