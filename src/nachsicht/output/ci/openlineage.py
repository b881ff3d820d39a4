"""What was found as facets of OpenLineage (an open standard), for those who collect lineage."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht._version import VERSION
from nachsicht.i18n import no_group_below
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.findings import Finding, Severity
from nachsicht.model.statistics import known
from nachsicht.output.ci.told import told_of

_SPEC = "https://openlineage.io/spec/facets"
_METRICS = "1-0-3", "DataQualityMetricsInputDatasetFacet"
_ASSERTIONS = "1-1-0", "DataQualityAssertionsDatasetFacet"
#: Finding by severity: only what has to be acted on should stop anything.
_SEVERITIES = {Severity.ACT: "error", Severity.CHECK: "warn"}
_SHARES = (0.25, 0.5, 0.75)


def openlineage_json(document: ComparisonDocument) -> bytes:
    """Facets of the newest version, as JSON in UTF-8: metrics of columns, findings as assertions.

    A finding to act on, or to check, is an assertion that failed; a note, or what was accepted, one
    that held.
    """
    newest = document.versions[-1]
    with no_group_below(document.smallest_group):
        facets = {
            "dataQualityMetrics": {
                **_head(_METRICS),
                "rowCount": newest.rows,
                **({"bytes": newest.origin.source_bytes} if newest.origin.source_bytes else {}),
                "columnMetrics": {column.name: _metrics(column) for column in newest.columns},
            },
            "dataQualityAssertions": {
                **_head(_ASSERTIONS),
                "assertions": [_assertion(finding) for finding in document.current_findings],
            },
        }
    return msgspec.json.format(msgspec.json.encode(facets), indent=2) + b"\n"


def _head(schema: tuple[str, str]) -> dict[str, str]:
    version, name = schema
    url = f"{_SPEC}/{version}/{name}.json#/$defs/{name}"
    return {"_producer": f"urn:nachsicht:{VERSION}", "_schemaURL": url}


def _metrics(column: ColumnSummary) -> dict[str, Any]:
    found: dict[str, Any] = {
        "nullCount": column.missing,
        "distinctCount": column.distinct,
        "count": column.present,
    }
    if isinstance(column.stats, QuantitySummary):
        ends = {"sum": column.stats.sum, "min": column.stats.minimum, "max": column.stats.maximum}
        found |= {name: float(value) for name, value in ends.items() if known(value)}
        quartiles = [q for q in column.stats.quantiles if q.share in _SHARES and q.up_to is None]
        found["quantiles"] = {f"{q.share:g}": q.value for q in quartiles}
    return found


def _assertion(finding: Finding) -> dict[str, Any]:
    severity = _SEVERITIES.get(finding.severity)
    found: dict[str, Any] = {
        "assertion": finding.code,
        "success": severity is None or finding.accepted is not None,
        "description": told_of(finding),
    }
    if severity:
        found["severity"] = severity
    if finding.columns:
        found["column"] = finding.columns[0]
    return found
