"""Findings about cells that were rewritten in rows that both versions have."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht.comparison.context import VersionPair
from nachsicht.comparison.findings.places import where_facts, without_level
from nachsicht.model.comparison import CellChange, Condition, Rewrite, RewriteRule, RowChanges
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity

#: A rule that holds for this share of the rewritten cells is what happened to the column.
_EXPLAINED = 0.9
#: So many cells that one rule rewrote were not corrected by hand.
_FEWEST_SYSTEMATIC = 5
#: Findings that name the same cause as a rule; what they say is confirmed by the cells.
_SAME_CAUSE: dict[RewriteRule, set[FindingCode]] = {
    "emptied": {"missing_increased", "all_missing"},
    "filled": {"missing_decreased", "missing_imputed"},
    "overwritten": {"sentinel_value_new", "became_constant", "missing_imputed"},
    "capped": {"clipped"},
    "floored": {"clipped"},
    "sign_flipped": {"sign_flipped"},
    "shifted": {"shifted"},
    "decimal_point": {"rescaled"},
    "scaled": {"rescaled"},
    "affine": {"rescaled"},
    "rounded": {"rounded", "heaped"},
    "cut_off": {"rounded"},
    "other_column": {"swapped"},
    "dates_shifted": {"dates_shifted", "timezone_shifted"},
    "day_month_swapped": {"day_month_swapped"},
    "time_dropped": {"time_of_day_lost"},
    "blanks": {"respelled"},
    "case": {"respelled"},
    "leading_zeros": {"format_changed"},
    "garbled": {"garbled_text_new"},
    "truncated": {"text_truncated"},
    "misspelt": {"respelled"},
    "mapped": {"relabelled", "respelled"},
}
#: Findings about values of a column, which follow from what was done to its cells.
_ABOUT_VALUES: set[FindingCode] = {
    *("distribution_shift", "category_shift", "length_shift", "pattern_shift"),
    *("dates_redistributed", "rescaled", "shifted", "sign_flipped", "clipped", "rounded"),
    *(
        "heaped",
        "value_spike",
        "out_of_range",
        "relabelled",
        "respelled",
        "new_levels",
        "missing_levels",
    ),
    *("dates_shifted", "timezone_shifted", "day_month_swapped", "time_of_day_lost"),
    *("text_truncated", "garbled_text_new", "format_changed"),
}


def with_rewritten_cells(
    between: VersionPair, rows: RowChanges | None, findings: Sequence[Finding]
) -> list[Finding]:
    """The findings, with those about rewritten cells.

    Of a column whose cells a rule explains, what was only concluded from its distribution is
    replaced, unless it names the same cause. Cells that no rule explains are reported where no
    graver finding is about their column.
    """
    kept = list(findings)
    if rows is None:
        return kept
    # Rows that came and went change a distribution too, whatever was done to the others.
    exchanged = rows.added + rows.removed
    for cell in rows.changed_cells:
        own = [f for f in kept if f.columns[:1] == (cell.column,) or cell.column in f.columns[:2]]
        about = [f for f in own if f.code in _ABOUT_VALUES | _SAME_CAUSE["emptied"]]
        kept = [with_where(f, cell.where) if f in about else f for f in kept]
        own = [with_where(f, cell.where) if f in about else f for f in own]
        rewrite = cell.rewrite
        if rewrite is None or rewrite.share < _EXPLAINED:
            graver = [f for f in own if f.columns[0] == cell.column and f.code != "out_of_range"]
            if all(f.severity is Severity.NOTE for f in graver):
                kept += _finding(between, rows, cell, None, None)
            continue
        same_cause = [f for f in own if f.code in _SAME_CAUSE.get(rewrite.rule, ())]
        if same_cause:
            kept = [_confirmed(f, cell) if f in same_cause else f for f in kept]
            continue
        about = [f for f in own if f.code in _ABOUT_VALUES]
        systematic = [Severity.CHECK] if cell.rows >= _FEWEST_SYSTEMATIC else []
        gravest = min(
            [*systematic, *(f.severity for f in about)], key=lambda s: s.rank, default=None
        )
        if cell.rows > exchanged:
            kept = [f for f in kept if f not in about]
        else:
            kept = [_second(f) if f in about else f for f in kept]
        kept += _finding(between, rows, cell, rewrite, gravest)
    return kept


def _second(finding: Finding) -> Finding:
    """A change that other rows may have made, ranked after what was done to cells for certain."""
    severity = Severity.CHECK if finding.severity is Severity.ACT else finding.severity
    return msgspec.structs.replace(finding, severity=severity, size=finding.size / 2)


def _confirmed(finding: Finding, cell: CellChange) -> Finding:
    """A finding that was only concluded, and that so many cells show to be true."""
    if finding.severity is not Severity.NOTE or cell.rows < _FEWEST_SYSTEMATIC:
        return finding
    return msgspec.structs.replace(finding, severity=Severity.CHECK)


def _finding(
    between: VersionPair,
    rows: RowChanges,
    cell: CellChange,
    rewrite: Rewrite | None,
    at_least: Severity | None,
) -> list[Finding]:
    matched = rows.changed + rows.unchanged
    share = cell.rows / max(matched, 1)
    facts: dict[str, Fact] = {"rows": cell.rows, "matched": matched, "share": share}
    example = next((e for e in rows.examples if e.column == cell.column), None)
    if example:
        facts |= {"key": example.key, "old_value": example.old, "new_value": example.new}
    form = ""
    if rewrite:
        form = "explained" if rewrite.share < 1 else "explained_all"
        facts |= {"rewrite": rewrite_code(rewrite), "rewrite_share": rewrite.share}
        facts |= rewrite_facts(rewrite)
    made = between.finding(
        "values_changed", (cell.column,), share, facts, form=form, at_least=at_least
    )
    return [with_where(made, cell.where)] if made else []


def with_where(finding: Finding, where: Sequence[Condition]) -> Finding:
    """The finding with the conditions that its rewritten rows fulfil, if there are any."""
    if not where:
        return finding
    return msgspec.structs.replace(finding, evidence=without_level(finding) | where_facts(where))


def rewrite_code(rewrite: Rewrite) -> str:
    """The code under which the catalogue has words for a rewrite."""
    if rewrite.rule == "dates_shifted":
        return f"dates_shifted_{rewrite.facts['unit']}"
    if rewrite.rule == "filled" and "value" in rewrite.facts:
        return "filled_with"
    return rewrite.rule


def rewrite_facts(rewrite: Rewrite) -> dict[str, Fact]:
    """The facts of a rewrite, with the direction in which an amount goes."""
    amount = rewrite.facts.get("amount")
    if not isinstance(amount, int | float):
        return rewrite.facts
    up, down = ("later", "earlier") if "unit" in rewrite.facts else ("higher", "lower")
    return rewrite.facts | {"direction": up if amount > 0 else down}
