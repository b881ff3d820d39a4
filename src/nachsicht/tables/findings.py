"""Findings as a tuple that is also a part."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Self

from nachsicht.i18n import DEFAULT, phrase, printable, use_language
from nachsicht.model.findings import Finding
from nachsicht.tables.base import Columns, Part


class Findings(tuple[Finding, ...], Part):
    """All findings, the most urgent first; a tuple, and a table."""

    _name = "findings"

    def __new__(cls, findings: Iterable[Finding], language: str = DEFAULT) -> Self:
        """Findings whose table speaks a language."""
        found = super().__new__(cls, findings)
        found._language = language
        return found

    _language: str

    def columns(self) -> Columns:
        """Severity, code, columns, title, sentence, next step, size, versions, and why accepted."""
        with use_language(self._language):
            return self._columns()

    def _columns(self) -> Columns:
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
        with use_language(self._language):
            return self._lines()

    def _lines(self) -> str:
        lines = [f"{f.severity:6} {f.title}  {', '.join(f.columns)}".rstrip() for f in self]
        return "\n".join(map(printable, lines)) or phrase("page.no_findings")
