"""What the page is given: the part of a comparison that it shows, with numbers for people.

The page draws what stands here and computes nothing but sums of neighbouring bins.
"""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.comparison.findings.cells import rewrite_code, rewrite_facts
from nachsicht.i18n import (
    count,
    count_share,
    format_name,
    no_group_below,
    number,
    percent,
    phrase,
    size,
    whole,
)
from nachsicht.model.column import (
    ColumnSummary,
)
from nachsicht.model.comparison import (
    ColumnComparison,
    ComparisonDocument,
    Rewrite,
    RowChanges,
    Verdict,
    summaries_of,
)
from nachsicht.model.dataset_schema import promises_in
from nachsicht.model.findings import Finding
from nachsicht.model.profile import ProfileDocument
from nachsicht.output.html.payload.analyst_notes import notes_payload
from nachsicht.output.html.payload.associations import (
    changes_payload,
    no_relations,
    relations_by_column,
    relations_payload,
)
from nachsicht.output.html.payload.curves import shape_of
from nachsicht.output.html.payload.duplicates import duplicates_payload
from nachsicht.output.html.payload.evidence import evidence_rows
from nachsicht.output.html.payload.explore import explore_payload
from nachsicht.output.html.payload.kinds import distinct_text, kind_payload, level_payload
from nachsicht.output.html.payload.missing import missing_payload
from nachsicht.output.html.payload.outcome import outcome_payload
from nachsicht.output.html.payload.overview import kinds_of, overview_payload
from nachsicht.output.html.payload.pair_plots import components_payload, pairs_payload, time_payload
from nachsicht.output.html.payload.stats_table import differences_of, statistics_of
from nachsicht.output.html.recipes import recipes_payload
from nachsicht.output.markdown import (
    rows_sentence,
    rows_sentences,
)
from nachsicht.remedies.build import remedy_of


def payload_of(document: ComparisonDocument) -> dict[str, Any]:
    """The page's data, as plain values."""
    with no_group_below(document.smallest_group):
        return _payload(document)


def _payload(document: ComparisonDocument) -> dict[str, Any]:
    relations = relations_by_column(document.versions[-1])
    return {
        "title": document.title,
        "smallest_group": document.smallest_group,
        "sharing": document.sharing,
        "compared": len(document.versions) > 1,
        "verdict": _verdict(document.verdict),
        "findings": [_finding(finding, document) for finding in document.findings],
        "notes": notes_payload(document),
        "overview": overview_payload(document),
        "versions": [_version(version) for version in document.versions],
        "columns": [_column(column, document, relations) for column in document.columns],
        "rows_sentences": [] if document.rows else rows_sentences(document),
        "rows": [_rows(rows, document) for rows in document.rows if rows.key or rows.unchanged],
        "duplicates": duplicates_payload(document),
        "outcome": outcome_payload(document),
        "pairs": pairs_payload(document),
        "components": components_payload(document),
        "time": time_payload(document),
        "missing": missing_payload(document),
        "explore": explore_payload(document),
        "excerpts": [msgspec.to_builtins(version.excerpt) for version in document.versions],
        "matrix": relations_payload(document),
        "no_relations": no_relations(document),
        "relations": [
            changes_payload(change, _step_labels(change.before, change.after, document))
            for change in document.relations
        ],
        "stale_baseline": [stale.sentence for stale in document.stale_baseline],
        "grouped_by": document.grouped_by,
        "recipes": recipes_payload(document),
        "logo": document.theme.logo if document.theme else None,
        "theme_notes": [str(note) for note in document.theme.notes] if document.theme else [],
    }


def _finding(finding: Finding, document: ComparisonDocument) -> dict[str, Any]:
    remedy = remedy_of(finding, document)
    return {
        "code": finding.code,
        "severity": finding.severity,
        "columns": finding.columns,
        "versions": finding.version_names,
        "size": finding.size,
        "title": finding.title,
        "sentence": finding.sentence,
        "next_step": finding.next_step,
        "evidence": list(evidence_rows(finding)),
        "accepted": finding.accepted,
        "remedy": [remedy.pandas, remedy.usual] if remedy else None,
        "example_rows": [
            {**msgspec.to_builtins(rows), "version": rows.version or phrase("verdict.rest")}
            for rows in finding.example_rows
        ],
    }


def _verdict(verdict: Verdict) -> dict[str, Any]:
    counts = {name: getattr(verdict, name) for name in ("act", "check", "note", "steady")}
    return {"headline": verdict.headline, "detail": verdict.detail, **counts}


def _step_labels(before: int | None, after: int, document: ComparisonDocument) -> tuple[str, str]:
    """Labels of the two versions of a step; of groups the first are all others."""
    old = phrase("verdict.rest") if before is None else document.versions[before].label
    return old, document.versions[after].label


def _rows(rows: RowChanges, document: ComparisonDocument) -> dict[str, Any]:
    return {
        "labels": _step_labels(rows.before, rows.after, document),
        "sentence": rows_sentence(rows, document),
        "key": rows.key,
        "key_detected": rows.key_detected,
        "cells": [
            (
                cell.column,
                count(cell.rows),
                count_share(cell.rows, rows.changed + rows.unchanged),
                _rewrite(cell.rewrite),
            )
            for cell in rows.changed_cells
        ],
        "examples": [
            (", ".join(example.key), example.column, example.old, example.new)
            for example in rows.examples
        ],
        "added": [", ".join(key) for key in rows.added_keys],
        "removed": [", ".join(key) for key in rows.removed_keys],
        "duplicate_keys": [count(n) for n in rows.duplicate_keys],
        "not_compared": rows.not_compared,
    }


def _rewrite(rewrite: Rewrite | None) -> str:
    """What was done to the cells, with the share of them where it is not all; may be empty."""
    if rewrite is None:
        return ""
    facts = {"rewrite": rewrite_code(rewrite), "share": rewrite.share, **rewrite_facts(rewrite)}
    return phrase("page.rewrite" if rewrite.share == 1 else "page.rewrite_of_share", **facts)


def _change(across: ColumnComparison, document: ComparisonDocument) -> float | None:
    """The distance of the newest step; of groups the largest of all."""
    steps = across.transitions if document.grouped_by else across.transitions[-1:]
    return max((s.distance for s in steps if s.distance is not None), default=None)


def _steps(across: ColumnComparison, document: ComparisonDocument) -> list[dict[str, Any]]:
    """How the column moved at each step, and on the whole way where there are more than one."""
    steps = [*across.transitions, *([across.overall.transition] if across.overall else [])]
    return [
        {
            "labels": _step_labels(step.before, step.after, document),
            "measures": [
                (
                    measure.name,
                    number(measure.value, 3),
                    f"± {number(measure.error_bound, 2)}" if measure.error_bound >= 0.0005 else "",
                )
                for measure in step.measures
            ],
            "not_significant": step.not_significant,
        }
        for step in steps
    ]


def _version(version: ProfileDocument) -> dict[str, Any]:
    cells = version.cells
    repeated = version.duplicates.duplicate_rows
    about = "≈ " if version.duplicates.uncertainty else ""
    origin = version.origin
    return {
        "label": version.label,
        "rows": version.rows,
        "columns": len(version.columns),
        "facts": {
            "rows": count(version.rows),
            "columns_n": whole(len(version.columns)),
            "kinds": kinds_of(version),
            "missing_cells": _counted_share(version.missing_cells, cells),
            "duplicate_rows": about + _counted_share(repeated, version.rows),
            "memory": size(version.memory_bytes),
        },
        "settings": origin.settings,
        "origin": {
            "fingerprint": version.fingerprint,
            "source": origin.source,
            "format": format_name(origin.format),
            "file_size": size(origin.source_bytes) if origin.source_bytes is not None else "–",
            "created_at": origin.created_at,
            "seconds": number(origin.seconds),
            "made_with": f"Nachsicht {origin.nachsicht_version}, Python {origin.python_version}",
            "notes": "; ".join(map(str, origin.notes)) or "–",
            **_description(version),
        },
    }


def _description(version: ProfileDocument) -> dict[str, str]:
    """What describes the data, in its own words; nothing where nothing does."""
    described = version.description
    if described is None:
        return {}
    own = filter(None, (described.title, described.text))
    return {"description": ": ".join((described.source, *own))}


def _counted_share(rows: int, of: int) -> str:
    return f"{count(rows)} ({count_share(rows, of)})" if of else count(rows)


def _column(
    across: ColumnComparison, document: ComparisonDocument, relations: dict[str, list[Any]]
) -> dict[str, Any]:
    summaries = summaries_of(across, document.versions)
    newest = next(summary for summary in reversed(summaries) if summary)
    last = across.transitions[-1] if across.transitions else None
    return {
        "name": across.name,
        "names": across.names,
        "kind": across.kind,
        "reason": newest.kind_reason,
        "severity": across.severity,
        "distribution": msgspec.to_builtins(across.distribution),
        "log_distribution": msgspec.to_builtins(across.log_distribution),
        "shapes": [shape_of(summary) for summary in summaries],
        "differences": _differences(summaries),
        "relations": relations.get(newest.name, []),
        "change": _change(across, document),
        "measure": last.measures[0].name if last and last.measures else "",
        "transitions": _steps(across, document),
        "trajectory": across.overall.trajectory if across.overall else "",
        "since_version": document.versions[across.overall.since_version].label
        if across.overall
        else "",
        "versions": [_summary(summary) if summary else None for summary in summaries],
        "described": _described(newest, document),
    }


def _described(column: ColumnSummary, document: ComparisonDocument) -> list[str]:
    """What the newest description says of a column: in its own words, and what it asks."""
    description = document.versions[-1].description
    stated = description.column(column.name) if description else None
    if stated is None or description is None:
        return []
    own = ": ".join(filter(None, (stated.title, stated.text)))
    asked = [phrase(f"promises.{code}", **facts) for code, facts in promises_in(stated)]
    asked += [phrase("page.described_unit", unit=stated.unit)] if stated.unit else []
    text = phrase("page.described", source=description.source, promises=", ".join(asked))
    return [*([own] if own else []), *([text] if asked else [])]


def _differences(summaries: list[ColumnSummary | None]) -> dict[str, str]:
    """From the version before to the newest, where both have the column."""
    newer, older = summaries[-1], summaries[-2] if len(summaries) > 1 else None
    return differences_of(newer, older) if newer and older else {}


def _summary(column: ColumnSummary) -> dict[str, Any]:
    return {
        "name": column.name,
        "dtype": column.dtype,
        "rows": column.rows,
        "present": column.present,
        "missing": column.missing,
        "missing_share": column.missing_share,
        "missing_text": count_share(column.missing, column.rows),
        "distinct": column.distinct,
        "distinct_text": distinct_text(column),
        "unique_once": column.unique_once,
        "memory": size(column.memory_bytes),
        "first_value": _short(column.first_value or "–", 40),
        "last_value": _short(column.last_value or "–", 40),
        "top_values": [level_payload(level) for level in column.top_values],
        "statistics": statistics_of(column),
        "error_bounds": _accuracy(column),
        **kind_payload(column),
    }


def _short(text: str, most: int = 18) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _accuracy(column: ColumnSummary) -> str:
    """How far off figures may be, in words; empty where all are exact."""
    if column.error_bounds is None:
        return ""
    return phrase(
        "page.approximate",
        ranks=percent(column.error_bounds.rank),
        distinct=percent(column.error_bounds.distinct_rel),
        frequent=whole(column.error_bounds.count),
    )
