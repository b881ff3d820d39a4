"""The one place where a finding is put together with its words."""

from __future__ import annotations

from nachsicht.model.findings import Fact, Finding, Weight
from nachsicht.words import phrase


def make_finding(
    code: str,
    weight: Weight,
    columns: tuple[str, ...],
    versions: tuple[str, ...],
    *,
    size: float,
    evidence: dict[str, Fact],
    words: dict[str, object],
    title: str = "title",
) -> Finding:
    """A finding with its title, sentence and next step filled in from the catalogue.

    ``evidence`` are the exact facts, ``words`` the same facts as a person reads them.
    """
    path = f"findings.{code}"
    return Finding(
        code=code,
        weight=weight,
        columns=columns,
        versions=versions,
        size=size,
        evidence=evidence,
        title=phrase(f"{path}.{title}", **words),
        sentence=phrase(f"{path}.sentence", **words),
        next_step=phrase(f"{path}.next_step", **words),
    )
