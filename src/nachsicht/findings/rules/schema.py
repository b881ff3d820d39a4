"""Where the data is not what the description that came with it says."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nachsicht.findings.build import View
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import ColumnDescription, Description, Promise, Rule, promise_of
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.table.result import Computed
from nachsicht.table.validate import Violation

#: What else tells that a rule is broken: then the description adds nothing.
_TOLD_WITHIN = {
    "missing_values": Rule.REQUIRED,
    "all_missing": Rule.REQUIRED,
    "identifier_repeats": Rule.UNIQUE,
    "mixed_types": Rule.TYPE,
}
_TOLD_BETWEEN = {
    "missing_increased": Rule.REQUIRED,
    "new_duplicate_ids": Rule.UNIQUE,
    "key_not_unique": Rule.UNIQUE,
    "retyped": Rule.TYPE,
    "numbers_as_text": Rule.TYPE,
    "dates_as_text": Rule.TYPE,
    "new_levels": Rule.LEVELS,
    "respelled": Rule.LEVELS,
    "relabelled": Rule.LEVELS,
    "text_truncated": Rule.LENGTH,
}
#: Findings that a description gives.
CODES = ("schema_missing_columns", "undocumented_columns", "schema_violation")


def promised(
    view: View, computed: Computed, description: Description | None
) -> Iterator[Finding | None]:
    """What a description promises and the data does not keep."""
    if description is None:
        return
    yield from _columns_there(view, computed.columns, description)
    for column in computed.columns:
        stated = description.column(column.name)
        if stated is None:
            continue
        for rule in Rule:
            breach = _breach(column, stated, rule, computed)
            if breach is not None:
                yield _broken(view, (column.name,), rule, breach, column.rows, description, stated)
    for repeats in computed.duplicates_by_subset:
        together = len(description.key) > 1 and {*repeats.columns} == {*description.key}
        if together and repeats.duplicate_rows > repeats.uncertainty:
            breach = Violation(repeats.duplicate_rows, ())
            yield _broken(
                view, description.key, Rule.UNIQUE, breach, computed.rows, description, None
            )


def without_repeats(findings: Sequence[Finding]) -> list[Finding]:
    """Findings of a version without those that a broken rule tells better."""
    broken = {
        (name, finding.evidence["rule"])
        for finding in findings
        if finding.code == "schema_violation"
        for name in finding.columns
    }
    return [
        finding
        for finding in findings
        if not any((name, _TOLD_WITHIN.get(finding.code)) in broken for name in finding.columns)
    ]


def still_to_tell(own: Sequence[Finding], changes: Sequence[Finding]) -> list[Finding]:
    """What a description finds in the newest version, but for what the changes tell already."""
    broken = {(c, _TOLD_BETWEEN.get(change.code)) for change in changes for c in change.columns}
    moved = {
        name
        for change in changes
        if change.code in ("added", "removed", "renamed")
        for name in (*change.columns, change.evidence.get("old_name"))
    }

    def reported(finding: Finding) -> bool:
        if finding.code == "schema_violation":
            return any((name, finding.evidence["rule"]) in broken for name in finding.columns)
        names = finding.evidence["columns"]
        return isinstance(names, tuple) and {*names} <= moved

    return [finding for finding in own if finding.code in CODES and not reported(finding)]


def _columns_there(
    view: View, columns: Sequence[ColumnSummary], description: Description
) -> Iterator[Finding | None]:
    there = {column.name for column in columns}
    absent = [stated for stated in description.columns if stated.name not in there]
    if absent:
        names = tuple(stated.name for stated in absent)
        yield view.finding(
            "schema_missing_columns",
            (),
            len(absent) / len(description.columns),
            {"columns": names, "source": description.source},
            at_least=Severity.ACT if any(stated.required for stated in absent) else None,
        )
    new = tuple(c.name for c in columns if description.column(c.name) is None)
    if new and description.whole:
        yield view.finding(
            "undocumented_columns",
            new,
            len(new) / len(columns),
            {"columns": new, "source": description.source},
        )


def _breach(
    column: ColumnSummary, stated: ColumnDescription, rule: Rule, computed: Computed
) -> Violation | None:
    if rule is Rule.REQUIRED:
        return Violation(column.missing, ()) if stated.required and column.missing else None
    if rule is Rule.UNIQUE:
        extra = column.present - column.distinct
        # Where different values are estimated, a few more or less say nothing.
        doubt = column.error_bounds.distinct_rel * column.present if column.error_bounds else 0
        reported = (
            computed.duplicates.duplicate_rows >= extra
        )  # whole rows repeat, which is shown as such
        return Violation(extra, ()) if stated.unique and extra > doubt and not reported else None
    return computed.breaches.get((column.position, rule))


def _broken(
    view: View,
    names: tuple[str, ...],
    rule: Rule,
    breach: Violation,
    rows: int,
    description: Description,
    stated: ColumnDescription | None,
) -> Finding | None:
    share = breach.rows / max(rows, 1)
    facts: dict[str, Fact] = {"rule": str(rule), "rows": breach.rows, "share": share}
    facts |= {"examples": breach.examples} if breach.examples else {}
    promise = promise_of(rule, stated) if stated else Promise("unique_together", {})
    facts |= {"promise": promise.code, **promise.facts, "source": description.source}
    return view.finding("schema_violation", names, share, facts)
