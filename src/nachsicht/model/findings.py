"""Findings: what is worth a reader's time."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Weight(StrEnum):
    """How urgent a finding is."""

    ACT = "act"
    CHECK = "check"
    NOTE = "note"

    @property
    def rank(self) -> int:
        """0 for the most urgent weight."""
        return list(Weight).index(self)


Fact = int | float | str | tuple[str, ...]


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """Something worth a reader's time.

    Attributes
    ----------
    code : str
        Which entry of the catalogue it is.
    weight : Weight
        How urgent it is.
    columns : tuple of str
        The columns it speaks of, as the newest version names them; empty for the rows.
    versions : tuple of str
        Labels: one for a finding in a version, two (before, after) for a change.
    size : float
        How large the effect is, 0 to 1; orders findings of one weight.
    evidence : dict
        The facts and numbers that it rests on.
    title, sentence, next_step : str
        What a person reads.
    accepted : str, optional
        Why it is known and no longer counts.
    """

    code: str
    weight: Weight
    columns: tuple[str, ...]
    versions: tuple[str, ...]
    size: float
    evidence: dict[str, Fact]
    title: str
    sentence: str
    next_step: str
    accepted: str | None = None


def by_urgency(findings: list[Finding]) -> tuple[Finding, ...]:
    """Order findings by weight, then by size, then by name, so the order is always the same."""
    return tuple(sorted(findings, key=lambda f: (f.weight.rank, -f.size, f.columns, f.code)))
