"""What is odd within one version: its rows, its columns, and what they have in common."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from nachsicht.config.settings import Settings
from nachsicht.findings.build import View
from nachsicht.findings.rules.column import RULES
from nachsicht.findings.rules.schema import promised, without_repeats
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import Description
from nachsicht.model.findings import Fact, Finding, Severity, by_urgency
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import DuplicateRun, Duplicates, Origin, Relation
from nachsicht.table.duplicates import expected_duplicates, import_in
from nachsicht.table.result import Computed

#: Relations from here on make columns move together, or give the outcome away.
TOGETHER = 0.9
GIVES_AWAY = 0.97
#: Of rows that are equal, so many groups are named.
_NAMED_GROUPS = 3


def findings_in(
    label: str,
    computed: Computed,
    origin: Origin,
    settings: Settings,
    description: Description | None = None,
) -> tuple[Finding, ...]:
    """All findings of a profile, the most urgent first."""
    view = View(label, computed.missing_by_level, settings)
    found = [*_repeated(view, computed.columns, computed.duplicates)]
    found.extend(_names_renewed(view, computed))
    found.append(_ragged_lines(view, origin, computed.rows))
    for column in computed.columns:
        for rule in RULES:
            found.extend(rule(view, column))
    found.extend(_missing_together(view, computed))
    found.extend(_together(view, computed.relations.pairs))
    found.extend(_gives_away(view, computed.relations.pairs))
    found.extend(promised(view, computed, description))
    return by_urgency(without_repeats([finding for finding in found if finding]))


def _repeated(
    view: View, columns: tuple[ColumnSummary, ...], duplicates: Duplicates
) -> Iterator[Finding | None]:
    rows = duplicates.duplicate_rows + duplicates.distinct_rows
    share = duplicates.duplicate_rows / rows if rows else 0.0
    if not duplicates_matter(columns, duplicates):
        return
    evidence: dict[str, Fact] = {"rows": duplicates.duplicate_rows, "share": share}
    named = any(column.kind is Kind.IDENTIFIER for column in columns)
    yield view.finding(
        "duplicate_rows",
        (),
        share,
        evidence | block_evidence(duplicates),
        # Scattered rows that name no thing may well be equal without any mistake.
        at_most=None if import_in(duplicates) or named else Severity.NOTE,
    )


def _names_renewed(view: View, computed: Computed) -> Iterator[Finding | None]:
    """Neighbouring rows that equal others in all but identifiers: an import under new names."""
    for duplicates in computed.duplicates_by_subset:
        left_out = [c.name for c in computed.columns if c.name not in duplicates.columns]
        block = import_in(duplicates)
        kinds = {c.kind for c in computed.columns if c.name not in duplicates.columns}
        if kinds != {Kind.IDENTIFIER} or block is None:
            continue
        length = block.last_row - block.first_row + 1
        others = tuple(c for c in computed.columns if c.name in duplicates.columns)
        if duplicates.duplicate_rows <= computed.duplicates.duplicate_rows + length / 2:
            continue  # the same rows are repeated in all columns
        if not duplicates_matter(others, duplicates):
            continue
        evidence: dict[str, Fact] = {"rows": length, "columns": tuple(left_out)}
        yield view.finding(
            "reimported_rows",
            tuple(left_out),
            length / max(computed.rows, 1),
            evidence | block_evidence(duplicates),
        )


def _ragged_lines(view: View, origin: Origin, rows: int) -> Finding | None:
    """Lines that could not be read, or that ended before the last field."""
    evidence, form, size = ragged_evidence(origin, rows)
    return view.finding("malformed_lines", (), size, evidence, form=form) if evidence else None


def ragged_evidence(origin: Origin, rows: int) -> tuple[dict[str, Fact], str, float]:
    """What is known of lines with another number of fields, the form, and their share."""
    lines, padded = origin.malformed_lines, origin.padded_lines
    evidence: dict[str, Fact] = {"lines": lines} if lines else {}
    evidence |= {"padded": padded} if padded else {}
    form = "" if lines else "padded"
    return evidence, form, (lines + padded) / max(rows + lines, 1)


def duplicates_matter(columns: tuple[ColumnSummary, ...], duplicates: Duplicates) -> bool:
    """Whether there are at least twice as many repeated rows as chance would give."""
    rows = duplicates.duplicate_rows + duplicates.distinct_rows
    return duplicates.duplicate_rows > 2 * expected_duplicates(columns, rows)


def block_evidence(duplicates: Duplicates) -> dict[str, Fact]:
    """The block that holds most of the repeated rows, if one does; else some equal rows."""
    block = import_in(duplicates)
    if block:
        return block_facts(block)
    groups = tuple(group.row_numbers for group in duplicates.groups)
    some: dict[str, Fact] = {"equal_rows": groups[:_NAMED_GROUPS]} if groups else {}
    return some | ({"groups_of_rows": len(groups)} if len(groups) > _NAMED_GROUPS else {})


def block_facts(block: DuplicateRun) -> dict[str, Fact]:
    """The rows of a block that repeats others, and those that it repeats."""
    return {
        "first_row": block.first_row,
        "last_row": block.last_row,
        "first_original_row": block.first_original_row,
        "last_original_row": block.first_original_row + block.last_row - block.first_row,
    }


def _together(view: View, pairs: tuple[Relation, ...]) -> Iterator[Finding | None]:
    """Groups of quantities that rise and fall together, each with all others: one finding each."""
    strong = {
        frozenset((pair.x, pair.y)): abs(pair.value)
        for pair in sorted(pairs, key=lambda pair: (-abs(pair.value), pair.x, pair.y))
        if pair.measure == "spearman" and abs(pair.value) >= TOGETHER
    }
    groups: dict[str, set[str]] = {name: {name} for pair in strong for name in pair}
    for one, other in strong:  # the strongest first
        first, second = groups[one], groups[other]
        if first is not second and all(frozenset((a, b)) in strong for a in first for b in second):
            first |= second
            groups |= dict.fromkeys(second, first)
    for group in {id(group): group for group in groups.values() if len(group) > 1}.values():
        names = tuple(sorted(group))
        weakest = min(strong[frozenset(pair)] for pair in combinations(names, 2))
        yield view.finding("collinear", names, weakest, {"columns": names, "weakest": weakest})


def _missing_together(view: View, computed: Computed) -> Iterator[Finding | None]:
    """Columns that lack a value in the same rows: one finding a group."""
    for group in computed.missing_patterns.groups:
        names, rows = group.columns, group.rows
        yield view.finding(
            "missing_together",
            names,
            rows / max(computed.rows, 1),
            {"columns": names, "rows": rows},
        )


def _gives_away(view: View, pairs: tuple[Relation, ...]) -> Iterator[Finding | None]:
    """Columns that all but say what the outcome is."""
    outcome = view.settings.outcome
    for pair in pairs:
        if outcome in (pair.x, pair.y) and abs(pair.value) >= GIVES_AWAY:
            name = pair.y if pair.x == outcome else pair.x
            yield view.finding(
                "leakage",
                (name,),
                abs(pair.value),
                {"outcome": outcome, "measure": pair.measure, "strength": pair.value},
            )
