"""The way of a column through more than two versions: steady, a jump, a trend, there and back."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.context import ColumnChange, Version, VersionPair
from nachsicht.comparison.pair import measure_pairs, step_of
from nachsicht.config.settings import Settings
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import Overall, Trajectory
from nachsicht.model.findings import Finding, Severity

#: Distances below this are no movement worth a name.
_SMALLEST = 0.03

_Columns = tuple[ColumnSummary | None, ...]


def way_of(
    versions: Sequence[Version],
    threads: Sequence[_Columns],
    findings: Sequence[Finding],
    settings: Settings,
) -> tuple[list[Overall | None], list[Finding]]:
    """For every column its way from the first version to the last, and what crept in unseen.

    A column creeps where no single step had a finding of severity act or check, but the whole
    way is long enough for one.
    """
    last = len(versions) - 1
    ways: list[Overall | None] = [None] * len(threads)
    if last < 2:
        return ways, []
    from_first = [_changes_to(versions, threads, 0, i, settings) for i in range(1, last + 1)]
    steps = [_changes_to(versions, threads, i, i + 1, settings) for i in range(last)]
    reported = {
        (name, finding.versions[-1])
        for finding in findings
        if finding.severity is not Severity.NOTE
        for name in finding.columns
    }
    crept: list[Finding] = []
    for i in range(len(threads)):
        whole = from_first[-1].get(i)
        if whole is None:
            continue
        course, since = _course([s.get(i) for s in steps], [f.get(i) for f in from_first])
        ways[i] = Overall(
            transition=step_of(whole, (0, last)), trajectory=course, since_version=since
        )
        silent = not any((whole.name, version.profile.label) in reported for version in versions)
        if silent and not whole.not_significant and whole.distance:
            finding = _crept(whole, versions[since].profile.label)
            crept += [finding] if finding else []
    return ways, crept


def _changes_to(
    versions: Sequence[Version],
    threads: Sequence[_Columns],
    before: int,
    after: int,
    settings: Settings,
) -> dict[int, ColumnChange]:
    """Every column that both versions have, measured, by its place among the threads."""
    between = VersionPair(versions[before], versions[after], settings)
    places, pairs = [], []
    for i, columns in enumerate(threads):
        if columns[before] is not None and columns[after] is not None:
            places.append(i)
            pairs.append(Pair(columns[before], columns[after]))
    changes = measure_pairs(between, pairs)
    return dict(zip(places, changes, strict=True))


def _course(
    steps: Sequence[ColumnChange | None], from_first: Sequence[ColumnChange | None]
) -> tuple[Trajectory, int]:
    """How it went, and at which version the present state began."""
    moved = [i for i, change in enumerate(steps, start=1) if _moved(change)]
    whole = _moved(from_first[-1])
    if not moved:
        return (Trajectory.TREND, 1) if whole else (Trajectory.STEADY, 0)
    if not whole:
        return Trajectory.REVERTED, moved[-1]
    distances = [change.distance if change else 0.0 for change in from_first]
    rising = all(b > a for a, b in pairwise(distances))
    largest = max(_length(change) for change in steps)
    if len(moved) > 1 and rising and largest < 0.75 * distances[-1]:
        return Trajectory.TREND, moved[0]
    if len(moved) == 1:
        return Trajectory.JUMP, moved[0]
    return Trajectory.UNSTEADY, moved[-1]


def _length(change: ColumnChange | None) -> float:
    return change.distance if change else 0.0


def _moved(change: ColumnChange | None) -> bool:
    return change is not None and change.distance >= _SMALLEST


def _crept(change: ColumnChange, since: str) -> Finding | None:
    return change.finding(
        "gradual_drift",
        change.distance,
        {"distance": change.distance, "since": since},
    )
