"""All versions, in order, put together into one comparison."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from nachsicht._util.parallel import ParallelMap
from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.context import Version, VersionPair
from nachsicht.comparison.pair import Compared, compare_two
from nachsicht.comparison.pair_plots import components_across, with_pairs
from nachsicht.comparison.shared_axes import shared_distribution, shared_log_distribution
from nachsicht.comparison.trajectory import way_of
from nachsicht.comparison.verdict import Grouping, verdict_on
from nachsicht.config.settings import Settings
from nachsicht.findings.baseline import accept
from nachsicht.findings.rules.schema import still_to_tell
from nachsicht.model.codec import FORMAT_VERSION
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import ColumnComparison, ComparisonDocument, Overall, Transition
from nachsicht.model.findings import Accepted, Finding, Severity, by_urgency
from nachsicht.model.profile import ProfileDocument


class _Thread(NamedTuple):
    """One column through the versions: its summary in each, and its steps between them."""

    columns: tuple[ColumnSummary | None, ...]
    steps: tuple[Transition, ...]


def compare_profiles(
    profiles: Sequence[ProfileDocument],
    title: str,
    settings: Settings,
    accepted: Sequence[Accepted] = (),
) -> ComparisonDocument:
    """Compare profiles alone, each with the one before it.

    One profile alone is taken too: then the findings are its own, and nothing changed.
    """
    return compare_versions([Version(p) for p in profiles], title, settings, accepted)


def compare_versions(
    versions: Sequence[Version],
    title: str,
    settings: Settings,
    accepted: Sequence[Accepted] = (),
    pmap: ParallelMap = map,
    by: str | None = None,
    *,
    sliced_by: str | None = None,
) -> ComparisonDocument:
    """Compare each version with the one before it, and the last with the first.

    ``by`` names the column whose groups they are, if they are no versions in time;
    ``sliced_by`` the moment column by which they are parts of one dataset, in order.
    """
    in_time = by is None
    compared = [
        compare_two(
            VersionPair(versions[i], versions[i + 1], settings, in_time, sliced_by is not None),
            (i, i + 1),
            pmap,
        )
        for i in range(len(versions) - 1)
    ]
    profiles = [version.profile for version in versions]
    threads = _follow(profiles, compared)
    findings = [finding for step in compared for finding in step.findings]
    ways, crept = way_of(versions, [t.columns for t in threads], findings, settings)
    findings += crept
    if len(profiles) == 1:
        findings = list(profiles[0].findings)
    elif in_time:
        findings += still_to_tell(profiles[-1].findings, findings)
    made = Grouping(by, sliced_by)
    return _document(versions, compared, threads, ways, findings, title, settings, accepted, made)


def compare_with_rest(
    groups: Sequence[Version],
    rests: Sequence[Version],
    by: str,
    title: str,
    settings: Settings,
    accepted: Sequence[Accepted] = (),
    pmap: ParallelMap = map,
) -> ComparisonDocument:
    """Compare each group with all rows outside of it; ``rests`` go with ``groups``."""
    compared = [
        compare_two(VersionPair(rest, group, settings, in_time=False), (None, i), pmap)
        for i, (group, rest) in enumerate(zip(groups, rests, strict=True))
    ]
    profiles = [version.profile for version in groups]
    threads = _beside_each_other(profiles, compared)
    findings = [finding for step in compared for finding in step.findings]
    ways = [None] * len(threads)
    made = Grouping(by, None)
    return _document(groups, compared, threads, ways, findings, title, settings, accepted, made)


def _document(
    versions: Sequence[Version],
    compared: Sequence[Compared],
    threads: Sequence[_Thread],
    ways: Sequence[Overall | None],
    findings: list[Finding],
    title: str,
    settings: Settings,
    accepted: Sequence[Accepted],
    grouping: Grouping,
) -> ComparisonDocument:
    marked, stale = accept(findings, accepted)
    ordered = by_urgency(marked)
    severities = _severity_by_column(ordered)
    columns = tuple(
        _across(thread, way, severities, settings)
        for thread, way in zip(threads, ways, strict=True)
    )
    labels = [version.profile.label for version in versions]
    components, planes = components_across(versions, columns)
    changes = tuple(change for step in compared for change in step.relations)
    return ComparisonDocument(
        format_version=FORMAT_VERSION,
        title=title,
        versions=tuple(with_pairs(versions, columns, changes)),
        columns=columns,
        rows=tuple(step.rows for step in compared if step.rows),
        row_estimates=tuple(step.estimate for step in compared if step.estimate),
        relations=changes,
        components=components,
        pca_scores=planes,
        findings=ordered,
        stale_baseline=stale,
        grouped_by=grouping.grouped_by,
        sliced_by=grouping.sliced_by,
        theme=None,
        verdict=verdict_on(labels, ordered, columns, grouping),
        notes={**versions[-1].profile.notes, **settings.notes},
        smallest_group=versions[-1].profile.smallest_group,
    )


def _follow(profiles: Sequence[ProfileDocument], compared: Sequence[Compared]) -> list[_Thread]:
    """Columns through all versions, in the order of the newest, those that are gone last."""
    where = {column.position: i for i, column in enumerate(profiles[0].columns)}
    columns: list[list[ColumnSummary | None]] = [[column] for column in profiles[0].columns]
    steps: list[list[Transition]] = [[] for _ in columns]
    order = list(range(len(columns)))
    for after, step in enumerate(compared, start=1):
        now: dict[int, int] = {}
        fresh_order: list[int] = []
        for pair in step.pairs:
            index = _thread_of(pair, where, columns, steps, after)
            columns[index].append(pair.new)
            if pair.position in step.steps:
                steps[index].append(step.steps[pair.position])
            fresh_order.append(index)
            if pair.new is not None:
                now[pair.new.position] = index
        for known in columns:
            if len(known) == after:  # gone before the last step
                known.append(None)
        order = fresh_order + [index for index in order if index not in fresh_order]
        where = now
    return [_Thread(tuple(columns[i]), tuple(steps[i])) for i in order]


def _thread_of(
    pair: Pair,
    where: dict[int, int],
    columns: list[list[ColumnSummary | None]],
    steps: list[list[Transition]],
    after: int,
) -> int:
    if pair.old is not None:
        return where[pair.old.position]
    columns.append([None] * after)
    steps.append([])
    return len(columns) - 1


def _beside_each_other(
    profiles: Sequence[ProfileDocument], compared: Sequence[Compared]
) -> list[_Thread]:
    """Columns of groups, which all have the same ones at the same places."""
    return [
        _Thread(
            tuple(profile.columns[i] for profile in profiles),
            tuple(
                step.steps[pair.position]
                for step in compared
                for pair in step.pairs
                if pair.new and pair.new.position == i and pair.position in step.steps
            ),
        )
        for i in range(len(profiles[0].columns))
    ]


def without_steps(columns: Sequence[ColumnSummary], settings: Settings) -> ColumnComparison:
    """A column that all versions have, without how it moved and without its findings."""
    return _across(_Thread(tuple(columns), ()), None, {}, settings)


def _severity_by_column(findings: Sequence[Finding]) -> dict[str, Severity]:
    """By the name of a column the gravest weight of its findings that are not accepted."""
    found: dict[str, Severity] = {}
    for finding in findings:
        for name in finding.columns if finding.accepted is None else ():
            found[name] = min(found.get(name, finding.severity), finding.severity, key=_rank)
    return found


def _rank(severity: Severity) -> int:
    return severity.rank


def _across(
    thread: _Thread, way: Overall | None, severities: Mapping[str, Severity], settings: Settings
) -> ColumnComparison:
    newest = next(column for column in reversed(thread.columns) if column is not None)
    names = {column.name for column in thread.columns if column is not None}
    own = [severities[name] for name in names if name in severities]
    return ColumnComparison(
        name=newest.name,
        kind=newest.kind,
        names=tuple(column.name if column else None for column in thread.columns),
        positions=tuple(column.position if column else None for column in thread.columns),
        distribution=shared_distribution(thread.columns, settings),
        log_distribution=shared_log_distribution(thread.columns, settings),
        transitions=thread.steps,
        overall=way,
        severity=min(own, key=_rank, default=None),
    )
