"""A profile as it may be shared, built anew from what may be told."""

from __future__ import annotations

from nachsicht.model.missing import MissingGroup, MissingPair, MissingPattern, MissingPatterns
from nachsicht.model.outcome import Outcome, OutcomeBin, OutcomeView
from nachsicht.model.profile import (
    Duplicates,
    Excerpt,
    Origin,
    ProfileDocument,
    Relation,
    Relations,
)
from nachsicht.sharing.column import shared_column
from nachsicht.sharing.findings import shared_findings
from nachsicht.sharing.groups import Groups

_NO_ROWS = Excerpt(columns=(), first=(), sampled=(), last=(), outlier_rows=((), (), ()))


def shared_profile(profile: ProfileDocument, groups: Groups) -> ProfileDocument:
    """A version without its rows, its values, and groups that are too small."""
    columns = tuple(shared_column(column, groups) for column in profile.columns)
    return ProfileDocument(
        format_version=profile.format_version,
        label=profile.label,
        title=profile.title,
        rows=groups.told(profile.rows),
        fingerprint="",
        memory_bytes=0,
        columns=columns,
        duplicates=_duplicates(profile.duplicates, groups),
        duplicates_by_subset=tuple(_duplicates(d, groups) for d in profile.duplicates_by_subset),
        missing_patterns=_missing(profile.missing_patterns, groups),
        missing_by_level=(),
        missing_hotspots=(),
        missing_thresholds=profile.missing_thresholds,
        group_stats=(),
        relations=_relations(profile.relations, groups),
        pairs=(),
        components=None,
        over_time=None,
        outcome=_outcome(profile, groups),
        excerpt=_NO_ROWS,
        findings=shared_findings(profile.findings, profile.rows, groups),
        origin=_origin(profile.origin, groups),
        notes=profile.notes,
        smallest_group=groups.smallest,
    )


def _duplicates(duplicates: Duplicates, groups: Groups) -> Duplicates:
    return Duplicates(
        duplicate_rows=groups.told(duplicates.duplicate_rows),
        distinct_rows=groups.told(duplicates.distinct_rows),
        runs=(),
        uncertainty=duplicates.uncertainty,
        columns=duplicates.columns,
    )


def _missing(gaps: MissingPatterns, groups: Groups) -> MissingPatterns:
    told = [pattern for pattern in gaps.patterns if groups.is_told(pattern.rows)]
    rest = sum(pattern.rows for pattern in gaps.patterns) - sum(pattern.rows for pattern in told)
    rest += gaps.other_rows
    return MissingPatterns(
        rows=groups.told(gaps.rows),
        complete_rows=groups.told(gaps.complete_rows),
        patterns=tuple(MissingPattern(p.columns, groups.drawn(p.rows)) for p in told),
        other_patterns=1 if rest else 0,
        other_rows=groups.told(rest),
        sole_missing={name: groups.told(rows) for name, rows in gaps.sole_missing.items()},
        pairs=tuple(
            MissingPair(p.x, p.y, groups.drawn(p.rows), groups.share(p.jaccard, p.rows))
            for p in gaps.pairs
            if groups.is_told(p.rows)
        ),
        groups=tuple(
            MissingGroup(group.columns, groups.drawn(group.rows))
            for group in gaps.groups
            if groups.is_told(group.rows)
        ),
        counts_by_block=(),
    )


def _relations(found: Relations, groups: Groups) -> Relations:
    def rounded(value: float | None, rows: int) -> float | None:
        return None if value is None else groups.share(value, rows)

    pairs = tuple(
        Relation(
            x=pair.x,
            y=pair.y,
            measure=pair.measure,
            value=groups.share(pair.value, pair.rows),
            std_error=round(pair.std_error, 3),
            rows=groups.drawn(pair.rows),
            x_predicts_y=rounded(pair.x_predicts_y, pair.rows),
            y_predicts_x=rounded(pair.y_predicts_x, pair.rows),
            pearson=rounded(pair.pearson, pair.rows),
            kendall=rounded(pair.kendall, pair.rows),
            kendall_error_bound=round(pair.kendall_error_bound, 3),
        )
        for pair in found.pairs
        if groups.is_told(pair.rows)
    )
    return Relations(
        pairs=pairs,
        rows=groups.told(found.rows),
        sampled_rows=groups.told(found.sampled_rows),
        cv_rows=groups.told(found.cv_rows),
        total_pairs=found.total_pairs - (len(found.pairs) - len(pairs)),
        median=rounded(found.median, found.rows),
        weakest=groups.share(found.weakest, found.rows),
        order=found.order,
        groups=found.groups,
        unrelated=found.unrelated,
        excluded=found.excluded,
        merged_levels={},
    )


def _outcome(profile: ProfileDocument, groups: Groups) -> Outcome | None:
    """Shares of an outcome by levels that are told; means would follow a single value."""
    outcome = profile.outcome
    if outcome is None or outcome.level is None or not groups.is_told(outcome.rows):
        return None
    if not _enough(outcome.overall, outcome.rows, groups):
        return None
    views = (_outcome_view(view, groups) for view in outcome.views)
    return Outcome(
        column=outcome.column,
        level=outcome.level,
        rows=groups.drawn(outcome.rows),
        overall=groups.share(outcome.overall, outcome.rows),
        views=tuple(views),
        excluded=outcome.excluded,
    )


def _outcome_view(view: OutcomeView, groups: Groups) -> OutcomeView:
    rows = sum(entry.rows for entry in view.bins)
    return OutcomeView(
        column=view.column,
        explained_share=groups.share(view.explained_share, rows),
        bins=tuple(
            OutcomeBin(
                type=entry.type,
                rows=groups.drawn(entry.rows),
                value=groups.share(entry.value, entry.rows),
                low=groups.share(entry.low, entry.rows),
                high=groups.share(entry.high, entry.rows),
                level=entry.level,
            )
            for entry in view.bins
            if entry.type != "range" and _enough(entry.value, entry.rows, groups)
        ),
    )


def _enough(share: float, rows: int, groups: Groups) -> bool:
    """Whether both the rows that have the outcome's level and those that do not are enough."""
    return groups.is_told(round(share * rows)) and groups.is_told(round((1 - share) * rows))


def _origin(origin: Origin, groups: Groups) -> Origin:
    """Where it came from, without what may quote values: settings, and notes on unread lines."""
    return Origin(
        source=origin.source,
        format=origin.format,
        source_bytes=None,
        notes=(),
        malformed_lines=groups.told(origin.malformed_lines),
        padded_lines=groups.told(origin.padded_lines),
        settings="",
        created_at=origin.created_at,
        moment=origin.moment,
        seconds=origin.seconds,
        nachsicht_version=origin.nachsicht_version,
        python_version=origin.python_version,
    )
