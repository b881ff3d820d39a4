"""Findings about gaps that rose or fell between two versions, and where."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from nachsicht.comparison.context import Change
from nachsicht.comparison.localise import rise_of_gaps, spoken
from nachsicht.i18n import level_text, percent, phrase, whole
from nachsicht.model.findings import Fact, Finding
from nachsicht.stats.hypothesis_tests import shares_chance


def gap_rise(change: Change) -> float:
    """By how much the missing share rose, 0 where chance explains that."""
    old, new = change.old, change.new
    chance = shares_chance(old.missing, old.rows, new.missing, new.rows)
    return new.missing_share - old.missing_share if change.between.unlikely(chance) else 0.0


def gap_findings(change: Change, rise: float) -> Iterator[Finding | None]:
    """Gaps that rose or fell by more than chance explains."""
    old, new = change.old, change.new
    evidence: dict[str, Fact] = {
        "missing": new.missing,
        "rows": new.rows,
        "share": new.missing_share,
        "old_share": old.missing_share,
    }
    shares: dict[str, Any] = {
        "share": percent(new.missing_share),
        "old_share": percent(old.missing_share),
    }
    if rise < 0:
        yield change.finding("gaps_fallen", -rise, evidence, **shares)
    if rise <= 0:
        return
    place = ""
    held = rise_of_gaps(change)
    if held:
        evidence |= {"by": held.by, "level": held.level, "part_of_rise": held.part}
        place = phrase("findings.gaps_risen.place", by=held.by, level=level_text(held.level))
    yield change.finding(
        "gaps_risen",
        rise,
        evidence,
        where=spoken(held, "gaps_risen"),
        place=place,
        missing=whole(new.missing),
        rows=whole(new.rows),
        **shares,
    )
