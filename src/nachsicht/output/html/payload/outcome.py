"""What the page is given of the outcome."""

from __future__ import annotations

from typing import Any

from nachsicht.i18n import count, number, percent, phrase, whole
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.outcome import Outcome, OutcomeBin, OutcomeView, bin_label
from nachsicht.model.profile import ProfileDocument
from nachsicht.output.html.payload.stats_table import neighbours

#: Columns that are listed.
_LISTED = 40
#: From such an autocorrelation of the outcome on, intervals are too narrow to go unsaid.
_ALIKE = 0.2


def outcome_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """The outcome of the newest version by column, with what each explained in every version."""
    outcomes = [version.outcome for version in document.versions]
    newest = outcomes[-1]
    if newest is None:
        return None
    explained = [{v.column: v.explained_share for v in o.views} if o else {} for o in outcomes]
    # A renamed column is the same one.
    names = {across.names[-1]: across.names for across in document.columns}
    by_bin = "page.share_by_bin" if newest.level is not None else "page.mean_by_bin"
    return {
        "sentence": _sentence(newest, document.versions[-1]),
        "measure": newest.column if newest.level is None else f"{newest.column} = {newest.level}",
        "is_share": newest.level is not None,
        "by_bin": phrase(by_bin, column=newest.column, level=newest.level),
        "range": _range(newest),
        "views": [
            {
                "column": view.column,
                "explained": [
                    _share(side.get(name or ""))
                    for side, name in zip(explained, names[view.column], strict=True)
                ],
                "bins": [_bin(entry, newest, newest.rows) for entry in view.bins],
                "older": _older(view, outcomes, names[view.column]),
            }
            for view in newest.views[:_LISTED]
            if view.column in names
        ],
    }


def _sentence(outcome: Outcome, version: ProfileDocument) -> str:
    relations = version.relations
    drawn = relations.sampled_rows < relations.rows
    overall = number(outcome.overall) if outcome.level is None else percent(outcome.overall)
    path = "page.outcome_mean" if outcome.level is None else "page.outcome_share"
    found = phrase(
        path,
        column=outcome.column,
        level=outcome.level,
        overall=overall,
        rows=count(outcome.rows),
        among=phrase("page.among_drawn", rows=whole(relations.sampled_rows)) if drawn else "",
    )
    alike = neighbours(version).get(outcome.column, 0.0)
    if outcome.level is None and alike >= _ALIKE:
        found += phrase("page.outcome_alike", r=number(alike, 2))
    return found


def _share(explained: float | None) -> str | None:
    return None if explained is None else percent(max(explained, 0.0))


def _range(outcome: Outcome) -> tuple[float, float]:
    """Shares and means that are not negative begin at zero."""
    bins = [entry for view in outcome.views for entry in view.bins if entry.rows >= 5]
    low = min((entry.value for entry in bins), default=0.0)
    high = max((entry.high for entry in bins), default=1.0)
    return (min(low, 0.0), high)


def _older(
    view: OutcomeView, outcomes: list[Outcome | None], names: tuple[str | None, ...]
) -> list[float | None] | None:
    """The version before by the same bins; None where it has others, or is not there."""
    if len(outcomes) < 2 or outcomes[-2] is None:
        return None
    before = next((v for v in outcomes[-2].views if v.column == names[-2]), None)
    if before is None:
        return None
    values = {bin_label(entry): entry.value for entry in before.bins}
    if not any(bin_label(entry) in values for entry in view.bins):
        return None
    return [values.get(bin_label(entry)) for entry in view.bins]


def _bin(entry: OutcomeBin, outcome: Outcome, rows: int) -> dict[str, Any]:
    say = number if outcome.level is None else percent
    return {
        "label": bin_label(entry),
        "rows": count(entry.rows),
        "part": round(entry.rows / max(rows, 1), 4),
        "value": entry.value,
        "low": entry.low,
        "high": entry.high,
        "text": f"{say(entry.value)} ({say(entry.low)} … {say(entry.high)})",
    }
