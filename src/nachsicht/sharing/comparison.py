"""A comparison as it may be shared, built anew from what may be told."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht.comparison.shared_axes import shared_distribution
from nachsicht.config.settings import Settings
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import (
    BinnedDistribution,
    CellChange,
    ColumnComparison,
    ComparisonDocument,
    Distribution,
    LevelsDistribution,
    Measure,
    Overall,
    RelationChange,
    RowChanges,
    Transition,
    summaries_of,
)
from nachsicht.sharing.findings import shared_findings
from nachsicht.sharing.groups import Groups
from nachsicht.sharing.profile import shared_profile

#: Measures that have no unit of the data's, and so tell no value.
_MEASURES = {"ks", "total_variation", "jensen_shannon", "psi", "overlap", "coverage"}
_MEASURES |= {"ks_moments", "characters", "patterns", "level_steps", "superiority"}


def share_safe(document: ComparisonDocument, smallest_group: int) -> ComparisonDocument:
    """The document as it may be shared with those who must not see the rows.

    Parameters
    ----------
    document : ComparisonDocument
        As it was computed.
    smallest_group : int
        How many rows a group must have to be told of.
    """
    groups = Groups(smallest_group)
    versions = tuple(shared_profile(version, groups) for version in document.versions)
    fewest = min(version.rows for version in document.versions)
    return ComparisonDocument(
        format_version=document.format_version,
        title=document.title,
        versions=versions,
        columns=tuple(_column(c, document, versions, groups) for c in document.columns),
        rows=tuple(_rows(rows, groups) for rows in document.rows),
        relations=tuple(_relation(change, fewest, groups) for change in document.relations),
        components=None,
        pca_scores=(),
        findings=shared_findings(document.findings, fewest, groups),
        stale_baseline=document.stale_baseline,
        grouped_by=document.grouped_by,
        sliced_by=document.sliced_by,
        theme=document.theme,
        verdict=document.verdict,
        notes=document.notes,
        smallest_group=smallest_group,
    )


def _column(
    across: ColumnComparison,
    document: ComparisonDocument,
    versions: Sequence[object],
    groups: Groups,
) -> ColumnComparison:
    """A column through all versions, drawn from what is told of each."""
    summaries = summaries_of(across, versions)  # type: ignore[arg-type]
    rows = min(version.rows for version in document.versions)
    return ColumnComparison(
        name=across.name,
        kind=across.kind,
        names=across.names,
        positions=across.positions,
        distribution=_drawn(shared_distribution(summaries, Settings()), groups),
        log_distribution=None,
        transitions=tuple(_step(step, summaries, rows, groups) for step in across.transitions),
        overall=Overall(
            transition=_step(across.overall.transition, summaries, rows, groups),
            trajectory=across.overall.trajectory,
            since_version=across.overall.since_version,
        )
        if across.overall
        else None,
        severity=across.severity,
    )


def _drawn(found: Distribution | None, groups: Groups) -> Distribution | None:
    """On a common axis rows of a bin may have been parted anew."""
    if found is None:
        return None
    counts = tuple(groups.all_drawn(counts) for counts in found.counts)
    found = msgspec.structs.replace(found, counts=counts)
    if isinstance(found, LevelsDistribution):
        others = tuple(map(groups.told, found.other_counts))
        return msgspec.structs.replace(found, other_counts=others)
    if isinstance(found, BinnedDistribution):
        below, above = (tuple(map(groups.told, n)) for n in (found.underflow, found.overflow))
        return msgspec.structs.replace(found, underflow=below, overflow=above)
    return found


def _step(
    step: Transition, summaries: Sequence[ColumnSummary | None], rows: int, groups: Groups
) -> Transition:
    new = summaries[step.after]
    old = None if step.before is None else summaries[step.before]
    delta = new.missing_share - old.missing_share if new and old else 0.0
    return Transition(
        before=step.before,
        after=step.after,
        measures=tuple(
            Measure(measure.name, groups.measure(measure.value, rows))
            for measure in step.measures
            if measure.name in _MEASURES
        ),
        p_value=None,
        not_significant=step.not_significant,
        missing_delta=groups.share(delta, rows),
        distinct_delta=0.0,
        kind_changed=step.kind_changed,
    )


def _rows(rows: RowChanges, groups: Groups) -> RowChanges:
    old, new = rows.duplicate_keys
    return RowChanges(
        before=rows.before,
        after=rows.after,
        key=rows.key,
        key_detected=rows.key_detected,
        added=groups.told(rows.added),
        removed=groups.told(rows.removed),
        changed=groups.told(rows.changed),
        unchanged=groups.told(rows.unchanged),
        duplicate_keys=(groups.told(old), groups.told(new)),
        changed_cells=tuple(
            CellChange(cell.column, groups.told(cell.rows)) for cell in rows.changed_cells
        ),
        examples=(),
        added_keys=(),
        removed_keys=(),
        not_compared=rows.not_compared,
    )


def _relation(change: RelationChange, rows: int, groups: Groups) -> RelationChange:
    return RelationChange(
        change.before,
        change.after,
        change.x,
        change.y,
        change.measure,
        groups.share(change.old_value, rows),
        groups.share(change.new_value, rows),
        round(change.p_value, 3),
    )
