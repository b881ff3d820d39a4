"""Findings about gaps that rose or fell between two versions, and where."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.compute.changes.change import Change
from nachsicht.compute.changes.distances import shares_chance
from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.model.profile import GapsByLevel, ProfileDocument
from nachsicht.words import percent, phrase, quoted, whole


def gap_findings(change: Change, old: ColumnSummary, new: ColumnSummary) -> Iterator[Finding]:
    """Gaps that rose or fell by more than the bound and than chance explains."""
    rise = new.missing_share - old.missing_share
    bounds = change.bounds
    chance = shares_chance(old.missing, old.rows, new.missing, new.rows)
    if abs(rise) < bounds.missing_rise_check or chance > bounds.chance:
        return
    evidence: dict[str, Fact] = {
        "missing": new.missing,
        "rows": new.rows,
        "share": new.missing_share,
        "old_share": old.missing_share,
    }
    shares = {"share": percent(new.missing_share), "old_share": percent(old.missing_share)}
    if rise < 0:
        yield change.finding("gaps_fallen", Weight.NOTE, -rise, evidence, **shares)
        return
    where = place = ""
    held = rise_by_level(change, old.name, new.name)
    if held:
        by, level, part = held
        evidence |= {"by": by, "level": level, "part_of_rise": part}
        spoken = {"by": by, "level": quoted(level)}
        where = phrase("findings.gaps_risen.where", part=percent(part), **spoken)
        place = phrase("findings.gaps_risen.place", **spoken)
    yield change.finding(
        "gaps_risen",
        Weight.ACT if rise >= bounds.missing_rise_act else Weight.CHECK,
        rise,
        evidence,
        where=where,
        place=place,
        missing=whole(new.missing),
        rows=whole(new.rows),
        **shares,
    )


def rise_by_level(change: Change, old_name: str, new_name: str) -> tuple[str, str, float] | None:
    """The level of another column that holds most of the new gaps, out of proportion.

    The new gaps of a level are those beyond its former missing share.

    Returns
    -------
    (other column, level, share of the new gaps), or None if no level holds 60 % of them
    """
    before = {
        (table.by, level): gap / rows
        for table in _tables(change.old_version, old_name)
        for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        if rows
    }
    best: tuple[str, str, float] | None = None
    best_lead = 0.0
    for table in _tables(change.new_version, new_name):
        total = sum(table.rows)
        risen = {
            level: max(0.0, gap - before.get((table.by, level), 0.0) * rows)
            for level, rows, gap in zip(table.levels, table.rows, table.missing, strict=True)
        }
        for level, rows in zip(table.levels, table.rows, strict=True):
            part = risen[level] / max(sum(risen.values()), 1e-9)
            lead = part - rows / total
            if part >= 0.6 and part > 2 * rows / total and lead > best_lead:
                best, best_lead = (table.by, level, part), lead
    return best


def _tables(version: ProfileDocument, column: str) -> list[GapsByLevel]:
    return [table for table in version.gaps_by_level if table.column == column]
