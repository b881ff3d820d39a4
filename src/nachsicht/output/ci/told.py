"""What a finding says, where pipelines read it."""

from __future__ import annotations

from nachsicht.i18n import printable
from nachsicht.model.findings import Finding


def told_of(finding: Finding) -> str:
    """What a finding says and what to do, without signs that no text may hold."""
    return printable(
        " ".join(filter(None, (finding.title + ".", finding.sentence, finding.next_step)))
    )
