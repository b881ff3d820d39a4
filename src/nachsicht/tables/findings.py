"""Findings as a tuple that is also a part."""

from __future__ import annotations

from nachsicht.i18n import printable
from nachsicht.model.findings import Finding
from nachsicht.tables.base import Columns, Part


class Findings(tuple[Finding, ...], Part):
    """All findings, the most urgent first; a tuple, and a table."""

    title = "Findings"
    __slots__ = ()

    def columns(self) -> Columns:
        """Severity, code, columns, title, sentence, next step, size, versions, and why accepted."""
        return {
            "severity": [str(f.severity) for f in self],
            "code": [f.code for f in self],
            "columns": [", ".join(f.columns) for f in self],
            "title": [f.title for f in self],
            "sentence": [f.sentence for f in self],
            "next_step": [f.next_step for f in self],
            "size": [f.size for f in self],
            "versions": [", ".join(f.version_names) for f in self],
            "accepted": [f.accepted for f in self],
        }

    def __repr__(self) -> str:
        lines = [f"{f.severity:6} {f.title}  {', '.join(f.columns)}".rstrip() for f in self]
        return "\n".join(map(printable, lines)) or "No findings."
