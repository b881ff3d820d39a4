"""Findings about the spread of a column between two versions: the cause first, else the symptom."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.compute.changes.causes import Rescaled, merged_spellings, rescaled, respelled
from nachsicht.compute.changes.change import Change
from nachsicht.compute.findings.stand_ins import StandIn, stand_in
from nachsicht.model.column import CategorySummary, ColumnSummary, QuantitySummary, TextSummary
from nachsicht.model.findings import Finding, Weight
from nachsicht.model.statistics import Statistic, known
from nachsicht.words import catalogue, counted, percent, phrase, quoted, whole
from nachsicht.words import number as rounded


def spread_findings(change: Change, old: ColumnSummary, new: ColumnSummary) -> Iterator[Finding]:
    """What happened to the values of a column whose kind stayed the same."""
    if new.distinct == 1 and old.distinct > 1 and new.present > 1:
        value = new.frequent[0].value
        yield change.finding(
            "became_constant",
            Weight.ACT,
            1.0,
            {"value": value, "old_distinct": old.distinct},
            value=quoted(value),
            distinct=whole(old.distinct),
        )
        return
    a, b = old.detail, new.detail
    if isinstance(a, QuantitySummary) and isinstance(b, QuantitySummary):
        yield from _quantity_moved(change, new, a, b)
    elif isinstance(a, CategorySummary) and isinstance(b, CategorySummary):
        yield from _levels_moved(change, a, b)
    elif isinstance(a, TextSummary) and isinstance(b, TextSummary):
        yield from _lengths_moved(change, a.characters, b.characters)


def _quantity_moved(
    change: Change, new: ColumnSummary, a: QuantitySummary, b: QuantitySummary
) -> Iterator[Finding]:
    fresh = stand_in(new, change.bounds)
    if fresh and not any(end.value == fresh.value for end in (*a.lowest, *a.highest)):
        yield _stand_in_new(change, fresh, new.rows)
    weight = change.weight()
    if weight is None:
        return
    cause = rescaled(a, b, change.distance)
    yield _rescaled(change, cause) if cause else _spread_moved(change, weight, a, b)


def _stand_in_new(change: Change, fresh: StandIn, rows: int) -> Finding:
    return change.finding(
        "stand_in_new",
        Weight.ACT,
        fresh.rows / rows,
        {"value": fresh.value, "rows": fresh.rows},
        value=rounded(fresh.value),
        rows=whole(fresh.rows),
        share=percent(fresh.rows / rows),
        low=rounded(fresh.low),
        high=rounded(fresh.high),
    )


def _rescaled(change: Change, cause: Rescaled) -> Finding:
    units = catalogue()["findings"]["rescaled"]["units"]
    unit = units[cause.known_factor] if cause.known_factor else ""
    return change.finding(
        "rescaled",
        Weight.ACT,
        change.distance,
        {"factor": cause.factor, "distance": change.distance, "left_over": cause.left_over},
        factor=rounded(cause.factor, 5),
        unit=phrase("findings.rescaled.unit", units=unit) if unit else "",
    )


def _spread_moved(
    change: Change, weight: Weight, a: QuantitySummary, b: QuantitySummary
) -> Finding:
    old_median, new_median = _number(a.median), _number(b.median)
    old_high, new_high = _high(a), _high(b)
    direction = "rose" if new_median > old_median else "fell" if new_median < old_median else "same"
    return change.finding(
        "spread_moved",
        weight,
        change.distance,
        {
            "distance": change.distance,
            "old_median": old_median,
            "new_median": new_median,
            "old_high": old_high,
            "new_high": new_high,
        },
        title=f"title_{direction}",
        distance=percent(change.distance),
        old_median=rounded(old_median),
        new_median=rounded(new_median),
        old_high=rounded(old_high),
        new_high=rounded(new_high),
    )


def _high(summary: QuantitySummary) -> float:
    return next(point.value for point in summary.quantiles if point.share == 0.95)


def _number(value: Statistic) -> float:
    return float(value) if known(value) else 0.0


def _levels_moved(change: Change, a: CategorySummary, b: CategorySummary) -> Iterator[Finding]:
    renamed = [found for found in respelled(a, b) if found.within <= 0.03]
    for found in renamed:
        yield change.finding(
            "respelled",
            Weight.ACT,
            found.new_share,
            {
                "old_spelling": found.old_spelling,
                "new_spellings": found.new_spellings,
                "share": found.new_share,
                "within": found.within,
            },
            spellings=counted(1 + len(found.new_spellings)),
            new_spelling=", ".join(map(quoted, found.new_spellings)),
            old_spelling=quoted(found.old_spelling),
            share=percent(found.new_share),
            together=percent(found.together),
            old_share=percent(found.old_share),
        )
    explained = {name for found in renamed for name in found.new_spellings}
    fresh = _only_in(b, a) - explained
    gone = _only_in(a, b) - {found.old_spelling for found in renamed}
    for code, names, holder in (("levels_new", fresh, b), ("levels_gone", gone, a)):
        yield from _levels_finding(change, code, names, holder)
    left = merged_spellings(a, b) if renamed else change.distance
    weight = change.weight()
    if weight and left >= change.bounds.distance_note and not (fresh or gone):
        yield _shares_moved(change, weight, a, b)


def _only_in(holder: CategorySummary, other: CategorySummary) -> set[str]:
    if other.further_levels:
        return set()  # the other's levels are not all known
    return {level.value for level in holder.levels} - {level.value for level in other.levels}


def _levels_finding(
    change: Change, code: str, names: set[str], holder: CategorySummary
) -> Iterator[Finding]:
    """New or gone levels, if they hold more rows than rare levels come and go with."""
    total = sum(level.count for level in holder.levels) + holder.further_rows
    listed = [level for level in holder.levels if level.value in names]
    share = sum(level.count for level in listed) / max(total, 1)
    if not listed or share < change.bounds.distance_note / 2:
        return
    shown = ", ".join(quoted(level.value) for level in listed[:3])
    yield change.finding(
        code,
        Weight.CHECK if share >= change.bounds.distance_note else Weight.NOTE,
        share,
        {"levels": tuple(level.value for level in listed), "share": share},
        n=len(listed),
        list=shown + ("…" if len(listed) > 3 else ""),
        share=percent(share),
    )


def _shares_moved(
    change: Change, weight: Weight, a: CategorySummary, b: CategorySummary
) -> Finding:
    """Names the level whose share moved most."""
    before = {level.value: level.count for level in a.levels}
    after = {level.value: level.count for level in b.levels}
    n, m = max(sum(before.values()), 1), max(sum(after.values()), 1)
    names = sorted({*before, *after})
    level = max(names, key=lambda name: abs(after.get(name, 0) / m - before.get(name, 0) / n))
    old_share, new_share = before.get(level, 0) / n, after.get(level, 0) / m
    return change.finding(
        "shares_moved",
        weight,
        change.distance,
        {
            "distance": change.distance,
            "level": level,
            "old_share": old_share,
            "new_share": new_share,
        },
        level=quoted(level),
        old_share=percent(old_share),
        new_share=percent(new_share),
        distance=percent(change.distance),
    )


def _lengths_moved(change: Change, a: QuantitySummary, b: QuantitySummary) -> Iterator[Finding]:
    weight = change.weight()
    if weight is None:
        return
    old_median, new_median = _number(a.median), _number(b.median)
    direction = "longer" if new_median >= old_median else "shorter"
    yield change.finding(
        "lengths_moved",
        min(weight, Weight.CHECK, key=lambda w: -w.rank),
        change.distance,
        {"distance": change.distance, "old_median": old_median, "new_median": new_median},
        direction=phrase(f"findings.lengths_moved.{direction}"),
        old_median=rounded(old_median),
        new_median=rounded(new_median),
    )
