"""Findings as lines that a CI server shows beside the run, in the commands of two of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Literal

from nachsicht.i18n import no_group_below, printable
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.findings import Finding, Severity

Dialect = Literal["github", "azure"]
#: What a severity is called in each.
_LEVELS = {
    "github": {Severity.ACT: "error", Severity.CHECK: "warning", Severity.NOTE: "notice"},
    "azure": {Severity.ACT: "error", Severity.CHECK: "warning"},
}


def annotation_lines(document: ComparisonDocument, dialect: Dialect) -> Iterator[str]:
    """A line for each open finding of the newest version, the most urgent first.

    Azure Pipelines knows errors and warnings alone: notes are left out there.
    """
    with no_group_below(document.smallest_group):
        for finding in document.current_findings:
            level = _LEVELS[dialect].get(finding.severity)
            if finding.accepted is None and level:
                yield _github(finding, level) if dialect == "github" else _azure(finding, level)


def _about(finding: Finding) -> str:
    columns = ", ".join(finding.columns)
    return f"{finding.title} — {columns}" if columns else finding.title


def _github(finding: Finding, level: str) -> str:
    title = _escaped(_about(finding), {"%": "%25", ":": "%3A", ",": "%2C"})
    return f"::{level} title={title}::{_escaped(_said(finding), {'%': '%25'})}"


def _azure(finding: Finding, level: str) -> str:
    text = _escaped(f"{_about(finding)}. {_said(finding)}", {"%": "%AZP25"})
    return f"##vso[task.logissue type={level}]{text}"


def _said(finding: Finding) -> str:
    return " ".join(filter(None, (finding.sentence, finding.next_step))) or finding.title


def _escaped(text: str, signs: Mapping[str, str]) -> str:
    """One line in which nothing is taken for a command or a part of one."""
    return printable(" ".join(text.split())).translate(
        {ord(sign): code for sign, code in signs.items()}
    )
