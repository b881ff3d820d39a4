"""All versions, in order, put together into one comparison."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from nachsicht.compute.changes.change import Change
from nachsicht.compute.changes.column_changes import column_findings
from nachsicht.compute.changes.distances import Measured, distance_between
from nachsicht.compute.changes.matching import Pair, match_columns
from nachsicht.compute.changes.row_changes import row_findings
from nachsicht.compute.changes.spreads import shared_spread
from nachsicht.compute.changes.verdict import verdict_on
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import ColumnAcross, ComparisonDocument, Step
from nachsicht.model.documents import FORMAT_VERSION
from nachsicht.model.findings import Finding, by_urgency
from nachsicht.model.profile import ProfileDocument
from nachsicht.settings import Settings


class _Thread(NamedTuple):
    """One column through the versions: its summary in each, and the pairs between them."""

    columns: tuple[ColumnSummary | None, ...]
    pairs: tuple[Pair | None, ...]


def compare_profiles(
    profiles: Sequence[ProfileDocument], title: str, settings: Settings
) -> ComparisonDocument:
    """Compare each version with the one before it.

    One profile alone is taken too: then the findings are its own, and nothing changed.
    """
    threads = _follow(profiles)
    findings: list[Finding] = []
    steps: dict[int, list[Step]] = {i: [] for i in range(len(threads))}
    for after in range(1, len(profiles)):
        measured = _measure(threads, after)
        alone = _chance_bound(measured, settings)
        findings.extend(row_findings(profiles[after - 1], profiles[after], settings.bounds))
        for i, (pair, distance) in measured.items():
            by_chance = (
                distance is not None and distance.chance is not None and distance.chance > alone
            )
            change = Change(
                pair, profiles[after - 1], profiles[after], distance, by_chance, settings.bounds
            )
            findings.extend(column_findings(change))
            steps[i].append(_step(pair, distance, after))
    ordered = by_urgency(findings) if len(profiles) > 1 else profiles[0].findings
    columns = tuple(
        _across(thread, tuple(steps[i]), ordered, settings) for i, thread in enumerate(threads)
    )
    return ComparisonDocument(
        format_version=FORMAT_VERSION,
        title=title,
        versions=tuple(profiles),
        columns=columns,
        findings=ordered,
        verdict=verdict_on([profile.label for profile in profiles], ordered, columns),
    )


def _follow(profiles: Sequence[ProfileDocument]) -> list[_Thread]:
    """Columns through all versions, in the order of the newest, those that are gone last."""
    where = {column.position: i for i, column in enumerate(profiles[0].columns)}
    grown: list[tuple[list[ColumnSummary | None], list[Pair | None]]] = [
        ([column], []) for column in profiles[0].columns
    ]
    order = list(range(len(grown)))
    for after in range(1, len(profiles)):
        pairs = match_columns(profiles[after - 1], profiles[after])
        now: dict[int, int] = {}
        fresh_order: list[int] = []
        for pair in pairs:
            if pair.old is not None:
                index = where[pair.old.position]
            else:
                grown.append(([None] * after, [None] * (after - 1)))
                index = len(grown) - 1
            grown[index][0].append(pair.new)
            grown[index][1].append(pair)
            fresh_order.append(index)
            if pair.new is not None:
                now[pair.new.position] = index
        for columns, known_pairs in grown:
            if len(columns) == after:  # gone before the last step
                columns.append(None)
                known_pairs.append(None)
        order = fresh_order + [index for index in order if index not in fresh_order]
        where = now
    return [_Thread(tuple(grown[i][0]), tuple(grown[i][1])) for i in order]


def _measure(threads: list[_Thread], after: int) -> dict[int, tuple[Pair, Measured | None]]:
    found: dict[int, tuple[Pair, Measured | None]] = {}
    for i, thread in enumerate(threads):
        pair = thread.pairs[after - 1]
        if pair is None:
            continue
        both = pair.old is not None and pair.new is not None
        found[i] = (pair, distance_between(pair.old, pair.new) if both else None)  # type: ignore[arg-type]
    return found


def _chance_bound(measured: dict[int, tuple[Pair, Measured | None]], settings: Settings) -> float:
    """The largest p-value that still counts, over all columns (Benjamini and Hochberg 1995)."""
    values = sorted(
        distance.chance
        for _, distance in measured.values()
        if distance is not None and distance.chance is not None
    )
    bound = 0.0
    for rank, value in enumerate(values, start=1):
        if value <= settings.bounds.chance * rank / len(values):
            bound = value
    return bound


def _step(pair: Pair, measured: Measured | None, after: int) -> Step:
    old, new = pair.old, pair.new
    return Step(
        before=after - 1,
        after=after,
        measure=measured.measure if measured else "",
        distance=measured.distance if measured else None,
        uncertainty=measured.uncertainty if measured else 0.0,
        chance=measured.chance if measured else None,
        missing_rise=new.missing_share - old.missing_share if old and new else 0.0,
        retyped=bool(old and new and old.kind is not new.kind),
    )


def _across(
    thread: _Thread, steps: tuple[Step, ...], findings: tuple[Finding, ...], settings: Settings
) -> ColumnAcross:
    newest = next(column for column in reversed(thread.columns) if column is not None)
    names = {column.name for column in thread.columns if column is not None}
    weights = [finding.weight for finding in findings if names.intersection(finding.columns)]
    return ColumnAcross(
        name=newest.name,
        kind=newest.kind,
        names=tuple(column.name if column else None for column in thread.columns),
        positions=tuple(column.position if column else None for column in thread.columns),
        spread=shared_spread(thread.columns, settings),
        steps=steps,
        weight=min(weights, key=lambda weight: weight.rank, default=None),
    )
