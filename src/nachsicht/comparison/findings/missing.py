"""Findings about missing values that rose or fell between two versions, and where."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.localise import where_missing_rose
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.stats.hypothesis_tests import shares_p_value

#: An older version of fewer rows does not show that a column is complete.
_ENOUGH = 100
#: Most values are filled in where this part of the missing ones is left.
_FILLED = 0.5
#: Then a rise that chance gives less often than this is reported.
_HARDLY = 0.001


def missing_rise(change: ColumnChange) -> float:
    """By how much the missing share rose, 0 where chance explains that."""
    old, new = change.old, change.new
    p_value = shares_p_value(old.missing, old.rows, new.missing, new.rows)
    # A gap in a column that was complete is a fact; a handful may be of the rows that came.
    fact = _was_complete(change) and p_value < _HARDLY
    rise = new.missing_share - old.missing_share
    return rise if fact or change.between.unlikely(p_value) else 0.0


def _was_complete(change: ColumnChange) -> bool:
    return not change.old.missing and change.old.rows >= _ENOUGH


def missing_findings(change: ColumnChange, rise: float) -> Iterator[Finding | None]:
    """Shares of missing values that rose or fell by more than chance explains."""
    old, new = change.old, change.new
    evidence: dict[str, Fact] = {
        "missing": new.missing,
        "rows": new.rows,
        "share": new.missing_share,
        "old_share": old.missing_share,
    }
    if rise < 0:
        # That most values were found at last is seldom true.
        filled = None if new.missing_share > _FILLED * old.missing_share else Severity.CHECK
        yield change.finding("missing_decreased", -rise, evidence, at_least=filled)
    if rise <= 0:
        return
    held = where_missing_rose(change)
    if held:
        evidence |= {"by": held.by, "level": held.level, "share_of_new_missing": held.part}
    # A column that was complete is relied on to be.
    complete = Severity.CHECK if _was_complete(change) else None
    yield change.finding("missing_increased", rise, evidence, at_least=complete)
