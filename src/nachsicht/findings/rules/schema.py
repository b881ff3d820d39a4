"""Where the data is not what the description that came with it says."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nachsicht.findings.build import View
from nachsicht.i18n import catalogue, percent, phrase, quoted, whole
from nachsicht.i18n import number as rounded
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import Bound, ColumnDescription, Description, Rule
from nachsicht.model.findings import Finding, Severity
from nachsicht.table.result import Computed
from nachsicht.table.validate import Violation

#: Levels that a sentence names.
_MOST_LEVELS = 5
#: What else tells that a rule is broken: then the description adds nothing.
_TOLD_WITHIN = {
    "gaps": Rule.REQUIRED,
    "all_missing": Rule.REQUIRED,
    "identifier_repeats": Rule.UNIQUE,
    "mixed_types": Rule.TYPE,
}
_TOLD_BETWEEN = {
    "gaps_risen": Rule.REQUIRED,
    "identifier_repeats_new": Rule.UNIQUE,
    "key_repeats": Rule.UNIQUE,
    "retyped": Rule.TYPE,
    "numbers_as_text": Rule.TYPE,
    "dates_as_text": Rule.TYPE,
    "levels_new": Rule.LEVELS,
    "respelled": Rule.LEVELS,
    "relabelled": Rule.LEVELS,
    "texts_cut": Rule.LENGTH,
}
#: Findings that a description gives.
CODES = ("described_absent", "not_described", "described_otherwise")


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
    for repeats in computed.further_repeats:
        together = len(description.key) > 1 and {*repeats.columns} == {*description.key}
        if together and repeats.repeated_rows > repeats.uncertainty:
            breach = Violation(repeats.repeated_rows, ())
            yield _broken(
                view, description.key, Rule.UNIQUE, breach, computed.rows, description, None
            )


def without_told_twice(findings: Sequence[Finding]) -> list[Finding]:
    """Findings of a version without those that a broken rule tells better."""
    broken = {
        (name, finding.evidence["rule"])
        for finding in findings
        if finding.code == "described_otherwise"
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

    def told(finding: Finding) -> bool:
        if finding.code == "described_otherwise":
            return any((name, finding.evidence["rule"]) in broken for name in finding.columns)
        names = finding.evidence["columns"]
        return isinstance(names, tuple) and {*names} <= moved

    return [finding for finding in own if finding.code in CODES and not told(finding)]


def _columns_there(
    view: View, columns: Sequence[ColumnSummary], description: Description
) -> Iterator[Finding | None]:
    there = {column.name for column in columns}
    absent = [stated for stated in description.columns if stated.name not in there]
    if absent:
        names = tuple(stated.name for stated in absent)
        yield view.finding(
            "described_absent",
            (),
            len(absent) / len(description.columns),
            {"columns": names},
            at_least=Severity.ACT if any(stated.required for stated in absent) else None,
            n=len(absent),
            count=whole(len(absent)),
            list=_listed(names),
            source=description.source,
        )
    new = tuple(c.name for c in columns if description.column(c.name) is None)
    if new and description.whole:
        yield view.finding(
            "not_described",
            new,
            len(new) / len(columns),
            {"columns": new},
            n=len(new),
            count=whole(len(new)),
            list=_listed(new),
            source=description.source,
        )


def _breach(
    column: ColumnSummary, stated: ColumnDescription, rule: Rule, computed: Computed
) -> Violation | None:
    if rule is Rule.REQUIRED:
        return Violation(column.missing, ()) if stated.required and column.missing else None
    if rule is Rule.UNIQUE:
        extra = column.present - column.distinct
        # Where different values are estimated, a few more or less say nothing.
        doubt = column.accuracy.distinct * column.present if column.accuracy else 0
        told = computed.repeats.repeated_rows >= extra  # whole rows repeat, which is told as such
        return Violation(extra, ()) if stated.unique and extra > doubt and not told else None
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
    promise, listed = _promise(rule, stated), _listed(map(quoted, breach.examples))
    examples = phrase("findings.described_otherwise.such_as", list=listed) if listed else ""
    return view.finding(
        "described_otherwise",
        names,
        share,
        {"rule": str(rule), "rows": breach.rows, "share": share, "examples": breach.examples},
        promise=promise,
        source=description.source,
        n=breach.rows,
        rows=whole(breach.rows),
        share=percent(share),
        examples=examples,
    )


def promises_in(stated: ColumnDescription) -> list[str]:
    """All that a description asks of a column, each in a few words."""
    types = catalogue()["findings"]["described_otherwise"]["promise"]["type"]
    asked = {
        Rule.TYPE: stated.type in types,
        Rule.REQUIRED: stated.required,
        Rule.UNIQUE: stated.unique,
        Rule.MINIMUM: stated.minimum is not None,
        Rule.MAXIMUM: stated.maximum is not None,
        Rule.LENGTH: stated.shortest is not None or stated.longest is not None,
        Rule.PATTERN: stated.pattern is not None,
        Rule.LEVELS: bool(stated.levels),
    }
    return [_promise(rule, stated) for rule, is_asked in asked.items() if is_asked]


def _promise(rule: Rule, stated: ColumnDescription | None) -> str:
    """What a description asks, in a few words."""
    path = f"findings.described_otherwise.promise.{rule}"
    if stated is None:
        return phrase(f"{path}_together")
    if rule is Rule.TYPE:
        return phrase(f"{path}.{stated.type}")
    without = {
        Rule.MINIMUM: "_without" * stated.above,
        Rule.MAXIMUM: "_without" * stated.below,
        Rule.LENGTH: "_from" * (stated.longest is None),
    }
    return phrase(
        path + without.get(rule, ""),
        bound=_bound(stated.minimum if rule is Rule.MINIMUM else stated.maximum),
        shortest=whole(stated.shortest or 0),
        longest=whole(stated.longest or 0),
        list=_listed(map(quoted, stated.levels)),
        pattern=stated.pattern or "",
    )


def _bound(bound: Bound | None) -> str:
    return bound if isinstance(bound, str) else rounded(float(bound or 0), 6)


def _listed(names: Iterator[str] | Sequence[str]) -> str:
    told = list(names)
    return ", ".join(told[:_MOST_LEVELS]) + ("…" if len(told) > _MOST_LEVELS else "")
