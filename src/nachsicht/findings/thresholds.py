"""The severity thresholds: the registry's, and the user's own laid over them by code."""

from __future__ import annotations

from nachsicht.config.settings import Settings
from nachsicht.findings.registry import FINDINGS
from nachsicht.model.findings import FindingCode, Severity


def severity_of(code: FindingCode, size: float, settings: Settings) -> Severity | None:
    """The severity of a finding of this size; None below the lowest threshold."""
    limits = thresholds_of(code, settings)
    reached = (severity for severity in Severity if size >= limits.get(severity, size + 1))
    return next(reached, None)


def smallest_size(code: FindingCode, settings: Settings) -> float:
    """The lowest threshold: smaller findings are not reported."""
    return min(thresholds_of(code, settings).values(), default=1.0)


def thresholds_of(code: str, settings: Settings) -> dict[Severity, float]:
    """The size from which on findings of a code have each severity; one that is absent never."""
    entry, own = FINDINGS[code], settings.findings.get(code)
    limits = {}
    for severity in Severity:
        limit = getattr(own, severity) if own else None
        limit = getattr(entry, severity) if limit is None else limit
        if limit is not None:
            limits[severity] = limit
    return limits
