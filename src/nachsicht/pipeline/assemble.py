"""What an engine computed becomes one document, with its findings."""

from __future__ import annotations

import msgspec

from nachsicht.config.settings import Settings
from nachsicht.findings.rules.table import findings_in
from nachsicht.model.codec import FORMAT_VERSION
from nachsicht.model.dataset_schema import Description
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import Origin, ProfileDocument
from nachsicht.table.missing.by_level import concentrated
from nachsicht.table.missing.ranges import ranges_of_missing
from nachsicht.table.result import Computed


def put_together(
    label: str,
    title: str,
    computed: Computed,
    origin: Origin,
    settings: Settings,
    description: Description | None = None,
) -> ProfileDocument:
    """The profile document, with its findings."""
    names = {column.name for column in computed.columns}  # omitted ones are nowhere to be read
    decimals = {name: n for name, n in origin.decimals_written.items() if name in names}
    origin = msgspec.structs.replace(origin, decimals_written=decimals)
    moments = {c.name for c in computed.columns if c.kind is Kind.DATETIME}
    found = findings_in(label, computed, origin, settings, description)
    return ProfileDocument(
        format_version=FORMAT_VERSION,
        label=label,
        title=title,
        rows=computed.rows,
        fingerprint=computed.fingerprint,
        memory_bytes=sum(column.memory_bytes for column in computed.columns),
        columns=computed.columns,
        duplicates=computed.duplicates,
        duplicates_by_subset=computed.duplicates_by_subset,
        missing_patterns=computed.missing_patterns,
        missing_by_level=computed.missing_by_level,
        missing_hotspots=concentrated(computed.missing_by_level),
        missing_thresholds=(settings.high_missing_share, settings.mostly_missing_share),
        group_stats=computed.group_stats,
        relations=computed.relations,
        pairs=computed.pairs,
        components=computed.components,
        over_time=computed.over_time,
        outcome=computed.outcome,
        excerpt=computed.excerpt,
        sampled_rows=computed.sampled_rows,
        missing_matrix=computed.missing_matrix,
        missing_ranges=ranges_of_missing(
            computed.missing_patterns, computed.missing_by_level, moments
        ),
        findings=found,
        origin=origin,
        description=description,
        notes=settings.notes,
    )
