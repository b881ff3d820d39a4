"""Findings about a part of the rows: where a column changed, and what happened to it there."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht.arrow.buffers import taken
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.context import ColumnChange, Version, VersionPair
from nachsicht.comparison.distances import distance_between
from nachsicht.comparison.findings.columns import column_findings
from nachsicht.comparison.localise_scan import Place, PlaceScan
from nachsicht.model.comparison import Condition
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity

#: A place holds what changed if the cause holds for this part of its rows.
_NEARLY_ALL = 0.85
#: A level is gone where it was; that tells nothing of where the others changed.
_GONE: set[FindingCode] = {"missing_levels"}
#: What is seen of a change of values, whatever its cause; and what of one of missing values.
_SEEN: set[FindingCode] = {
    *("distribution_shift", "category_shift", "dates_redistributed", "out_of_range"),
    *("new_levels", "missing_levels", "rescaled", "shifted", "sign_flipped", "value_spike"),
}
#: Causes that explain a whole column, and are so plain that no place is looked for.
_WHOLE: set[FindingCode] = {
    *("rounded", "clipped", "relabelled", "respelled", "text_truncated"),
    *("sentinel_value_new", "dates_shifted", "day_month_swapped", "became_constant"),
}
_MISSING: set[FindingCode] = {"missing_increased", "missing_decreased"}
#: What may have been done to a part of the rows, which then replaces what is seen of all.
_CAUSES: set[FindingCode] = {
    *("rescaled", "shifted", "sign_flipped", "clipped", "rounded", "heaped", "value_spike"),
    *("sentinel_value_new", "relabelled", "respelled", "text_truncated", "garbled_text_new"),
    *("dates_shifted", "timezone_shifted", "day_month_swapped", "time_of_day_lost"),
    "became_constant",
}


def with_places(scan: PlaceScan, change: ColumnChange, own: Sequence[Finding]) -> list[Finding]:
    """The findings about a column; where only a part of the rows changed, those about that part."""
    found = list(own)
    if any(finding.code in _MISSING for finding in own):
        place = scan.missing_changed(change)
        if place:
            found = [within(f, place) if f.code in _MISSING else f for f in found]
        elif scan.at_hand:  # what profiles alone tell was not confirmed by the rows
            found = [_unplaced(f) if f.code in _MISSING else f for f in found]
    codes = {finding.code for finding in own}
    if not codes & _SEEN - _GONE or codes & _WHOLE:
        return found
    place = scan.values_changed(change)
    if place is None:
        return found
    there = [finding for finding in _findings_there(change, place) if finding.code in _CAUSES]
    if any(_of_a_part(finding) for finding in there):
        return found  # then the place does not say what changed
    if not there:
        return [within(f, place) if f.code in _SEEN else f for f in found]
    causes = {finding.code for finding in there}
    # A factor makes multiples by itself.
    replaced = _SEEN | causes | ({"heaped"} if "rescaled" in causes else set())
    placed = [within(finding, place, only=True) for finding in there]
    return [finding for finding in found if finding.code not in replaced] + placed


def _of_a_part(finding: Finding) -> bool:
    """Whether a cause holds for less than nearly all rows."""
    part = finding.evidence.get("scaled_share", 1.0)
    return isinstance(part, int | float) and part < _NEARLY_ALL


def _unplaced(finding: Finding) -> Finding:
    return msgspec.structs.replace(finding, evidence=without_level(finding))


def _findings_there(change: ColumnChange, place: Place) -> list[Finding]:
    """What is found if the rows of the place were all."""
    between = change.between
    versions = between.old, between.new
    columns = []
    for version, column, rows in zip(versions, (change.old, change.new), place.rows, strict=True):
        cells = taken(version.table.column(column.position), rows)
        columns.append(
            finish_column(observe_column(cells), column.name, column.position, between.settings)
        )
    # Nothing that is known of all rows is known of these.
    apart = [
        Version(msgspec.structs.replace(version.profile, group_stats=(), missing_by_level=()))
        for version in versions
    ]
    measured = distance_between(columns[0], columns[1])
    chance = measured is None or not between.unlikely(measured.p_value)
    inside = ColumnChange(
        Pair(columns[0], columns[1]),
        VersionPair(apart[0], apart[1], between.settings),
        measured,
        chance,
    )
    return [finding for finding in column_findings(inside) if finding]


def within(finding: Finding, place: Place, *, only: bool = False) -> Finding:
    """The finding with the conditions of its rows, and their share of the newer version.

    ``only``: its figures are of these rows alone.
    """
    facts = where_facts(place.conditions)
    facts["where_share"] = place.share
    if only:
        facts["where_only"] = place.newer_rows
    # What is in a part of the rows and nowhere else was done to them.
    severity = Severity.CHECK if finding.severity is Severity.NOTE else finding.severity
    evidence = without_level(finding) | facts
    return msgspec.structs.replace(finding, evidence=evidence, severity=severity)


#: Facts by which a finding names a level, from profiles alone.
_OLD_PLACE = {"by", "level", "share_of_shift", "share_of_new_missing"}


def without_level(finding: Finding) -> dict[str, Fact]:
    """The facts of a finding without the level that profiles alone named, if they did."""
    old = _OLD_PLACE if "by" in finding.evidence else ()
    return {name: fact for name, fact in finding.evidence.items() if name not in old}


def where_facts(where: Sequence[Condition]) -> dict[str, Fact]:
    """Conditions as facts of a finding, each in all four."""
    return {
        f"where_{name}": tuple(getattr(condition, name) for condition in where)
        for name in ("by", "level", "first", "last")
        if where
    }
