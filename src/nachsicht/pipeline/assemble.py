"""What an engine computed becomes one document, with its findings."""

from __future__ import annotations

from nachsicht.config.settings import Settings
from nachsicht.findings.rules.table import findings_in
from nachsicht.model.codec import FORMAT_VERSION
from nachsicht.model.dataset_schema import Description
from nachsicht.model.profile import Origin, ProfileDocument
from nachsicht.table.missing import concentrated
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
    found = findings_in(label, computed, origin.unread_lines, settings, description)
    return ProfileDocument(
        format_version=FORMAT_VERSION,
        label=label,
        title=title,
        rows=computed.rows,
        fingerprint=computed.fingerprint,
        memory_bytes=sum(column.memory_bytes for column in computed.columns),
        columns=computed.columns,
        repeats=computed.repeats,
        further_repeats=computed.further_repeats,
        gaps=computed.gaps,
        gaps_by_level=computed.gaps_by_level,
        gaps_among=concentrated(computed.gaps_by_level),
        gap_bounds=(settings.gaps_lot, settings.gaps_mostly),
        spread_by_level=computed.spread_by_level,
        relations=computed.relations,
        pairs=computed.pairs,
        components=computed.components,
        over_time=computed.over_time,
        outcome=computed.outcome,
        excerpt=computed.excerpt,
        findings=found,
        origin=origin,
        description=description,
    )
