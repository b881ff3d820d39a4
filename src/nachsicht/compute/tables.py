"""The whole table: which measures a profile needs, and how they become one document."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.compute.findings.in_profile import findings_in
from nachsicht.model.column import ColumnSummary
from nachsicht.model.documents import FORMAT_VERSION
from nachsicht.model.profile import GapsByLevel, Origin, ProfileDocument, Repeats
from nachsicht.settings import Settings


def put_together(
    label: str,
    title: str,
    columns: tuple[ColumnSummary, ...],
    rows: int,
    repeats: Repeats,
    gaps: Sequence[GapsByLevel],
    origin: Origin,
    settings: Settings,
) -> ProfileDocument:
    """The profile document, with its findings."""
    tables = tuple(gaps)
    return ProfileDocument(
        format_version=FORMAT_VERSION,
        label=label,
        title=title,
        rows=rows,
        memory_bytes=sum(column.memory_bytes for column in columns),
        columns=columns,
        repeats=repeats,
        gaps_by_level=tables,
        findings=findings_in(label, columns, repeats, tables, origin.unread_lines, settings),
        origin=origin,
    )
