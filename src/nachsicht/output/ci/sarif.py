"""Findings in the Static Analysis Results Interchange Format (SARIF 2.1.0, an OASIS standard)."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht._version import VERSION
from nachsicht.findings.registry import FINDINGS
from nachsicht.i18n import catalogue, current_language, no_group_below, printable
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.findings import Finding, Severity
from nachsicht.output.ci.told import told_of
from nachsicht.output.findings_reference import rule_texts

_SCHEMA = (
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
)
_LEVELS = {Severity.ACT: "error", Severity.CHECK: "warning", Severity.NOTE: "note"}


def sarif_json(document: ComparisonDocument) -> bytes:
    """The findings of the newest version as results, as JSON in UTF-8; accepted ones suppressed."""
    with no_group_below(document.smallest_group):
        found = document.current_findings
        codes = [code for code in FINDINGS if any(f.code == code for f in found)]
        run = {
            "tool": {
                "driver": {
                    "name": "Nachsicht",
                    "version": VERSION,
                    "language": current_language(),
                    "rules": [_rule(code) for code in codes],
                }
            },
            "columnKind": "unicodeCodePoints",
            "results": [_result(finding, codes, document) for finding in found],
        }
    log = {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}
    return msgspec.json.format(msgspec.json.encode(log), indent=2)


def _rule(code: str) -> dict[str, Any]:
    title, sentence, next_step = rule_texts(code)
    return {
        "id": code,
        "shortDescription": {"text": title},
        "fullDescription": {"text": sentence},
        "help": {"text": f"{next_step} ({catalogue()['examples'][code]})"},
    }


def _result(finding: Finding, codes: list[str], document: ComparisonDocument) -> dict[str, Any]:
    own: dict[str, Any] = {
        "ruleId": finding.code,
        "level": _LEVELS[finding.severity],
        "message": {"text": told_of(finding)},
        "locations": [_location(finding, document)],
        # The same finding in a later run, whatever its numbers.
        "partialFingerprints": {"finding/v1": " ".join((finding.code, *finding.columns))},
    }
    if finding.code in codes:
        own["ruleIndex"] = codes.index(finding.code)
    if finding.accepted is not None:
        reason = printable(finding.accepted)
        own["suppressions"] = [{"kind": "external", "justification": reason}]
    return own


def _location(finding: Finding, document: ComparisonDocument) -> dict[str, Any]:
    """The newest version as the artifact, and in it the columns."""
    from urllib.parse import quote

    source = document.versions[-1].origin.source
    found: dict[str, Any] = {
        "physicalLocation": {"artifactLocation": {"uri": quote(source)}},
    }
    if finding.columns:
        found["logicalLocations"] = [
            {"name": printable(column), "kind": "column"} for column in finding.columns
        ]
    return found
