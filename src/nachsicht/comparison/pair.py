"""All that is reported between two versions: columns, rows, relations."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht._util.parallel import ParallelMap
from nachsicht.comparison.align_columns import Pair, match_columns
from nachsicht.comparison.causes.swaps import Swap, swaps_in
from nachsicht.comparison.context import ColumnChange, VersionPair
from nachsicht.comparison.distances import Measured, distance_between
from nachsicht.comparison.findings.associations import (
    outcome_findings,
    relation_changes,
    relation_findings,
)
from nachsicht.comparison.findings.cells import with_rewritten_cells
from nachsicht.comparison.findings.columns import column_findings, presence_finding
from nachsicht.comparison.findings.named_columns import named_column_findings
from nachsicht.comparison.findings.places import with_places
from nachsicht.comparison.findings.rows import (
    emptied,
    key_findings,
    period_missing,
    ragged_lines,
    repeat_findings,
    rows_lost,
)
from nachsicht.comparison.localise import Place, Stretch, empty_stretch
from nachsicht.comparison.localise_scan import PlaceScan
from nachsicht.comparison.row_changes import row_changes
from nachsicht.comparison.suppress import follows_from_loss, rows_left, rows_outside
from nachsicht.findings.example_rows import ExampleRowFinder, with_rows_of_both
from nachsicht.model.comparison import Measure, RelationChange, RowChanges, RowEstimate, Transition
from nachsicht.model.findings import Finding, FindingCode, Severity
from nachsicht.stats.hypothesis_tests import bound_over_all

#: Causes by which dates are elsewhere.
_REWRITTEN_DATES: set[FindingCode] = {
    *("day_month_swapped", "dates_shifted", "timezone_shifted", "sentinel_value_new"),
    *("value_spike", "time_of_day_lost"),
}


#: What no loss of rows makes of a column.
_NOT_BY_LOSS: set[FindingCode] = {
    *("numbers_as_text", "dates_as_text", "format_changed", "dtype_changed", "retyped"),
    *("renamed", "respelled", "garbled_text_new", "text_truncated", "infinite_values_new"),
}
#: Versions that have less than this share of their rows in common have other rows.
_HARDLY_ANY = 0.01


class Compared(msgspec.Struct, frozen=True):
    """The outcome for two versions: columns in pairs, steps, findings, rows and relations."""

    pairs: tuple[Pair, ...]
    steps: dict[tuple[int, int], Transition]
    findings: tuple[Finding, ...]
    rows: RowChanges | None
    relations: tuple[RelationChange, ...]
    estimate: RowEstimate | None = None


def compare_two(
    between: VersionPair, step: tuple[int | None, int], pmap: ParallelMap = map
) -> Compared:
    """Compare two versions whose positions are ``step``."""
    pairs = match_columns(between.old.profile, between.new.profile)
    changes = measure_pairs(between, pairs, pmap)
    same_rows = between.in_time and not between.slices
    if not all(between.rows):
        return _with_an_empty_one(between, pairs, changes, step)
    rows, estimate = row_changes(between, changes, step, pmap) if same_rows else (None, None)
    if rows and rows.unchanged + rows.changed < _HARDLY_ANY * min(between.rows):
        between = msgspec.structs.replace(between, other_rows=True)
        changes = [msgspec.structs.replace(change, between=between) for change in changes]
    findings = _findings_of_rows(between, rows) if same_rows else []
    # Groups and slices have the same columns; a small one may only look as if of another kind.
    lacking = named_column_findings(between, pairs) if same_rows else ()
    lost = [finding for finding in lacking if finding]
    reported = {name for finding in lost for name in finding.columns}
    findings += lost
    findings += [presence_finding(pair, between) for pair in pairs if pair.name not in reported]
    findings.append(_reordered(between, pairs))
    findings += _findings_of_columns(between, changes, rows)
    findings += outcome_findings(between)
    relations = relation_changes(between, pairs, step)
    if "rows_lost" not in {f.code for f in findings if f}:
        # Relations of the rows that are left may differ from those of all.
        named = {name for f in findings if f and _moves_relations(f) for name in f.columns}
        named |= {change.new.name for change in changes if change.distance}
        findings += relation_findings(between, relations, named)
    found = with_rewritten_cells(between, rows, [finding for finding in findings if finding])
    steps = {change.pair.position: step_of(change, step) for change in changes}
    found = list(_with_rows(between, pairs, found, rows))
    return Compared(tuple(pairs), steps, tuple(found), rows, relations, estimate)


def _with_an_empty_one(
    between: VersionPair,
    pairs: Sequence[Pair],
    changes: Sequence[ColumnChange],
    step: tuple[int | None, int],
) -> Compared:
    """Of a version without rows its columns can be compared, and nothing in them."""
    found = [presence_finding(pair, between) for pair in pairs]
    found += [emptied(between), _reordered(between, pairs)]
    steps = {change.pair.position: step_of(change, step) for change in changes}
    return Compared(tuple(pairs), steps, tuple(f for f in found if f), None, ())


def _with_rows(
    between: VersionPair,
    pairs: Sequence[Pair],
    findings: Sequence[Finding],
    rows: RowChanges | None,
) -> tuple[Finding, ...]:
    """The findings with rows that show them, of the versions that are there as data."""
    old, new = (
        ExampleRowFinder(version.profile.label, version.data.table, version.profile.columns)
        if version.data
        else None
        for version in (between.old, between.new)
    )
    renamed = {pair.new.name: pair.old.name for pair in pairs if pair.old and pair.new}
    changed = {cell.column: cell.row_numbers for cell in rows.changed_cells} if rows else {}
    return tuple(with_rows_of_both(finding, old, new, renamed, changed) for finding in findings)


def _moves_relations(finding: Finding) -> bool:
    """Whether what was found of a column may change how strongly it goes with others."""
    return finding.severity is not Severity.NOTE and finding.code != "out_of_range"


def _findings_of_rows(between: VersionPair, rows: RowChanges | None) -> list[Finding | None]:
    return [ragged_lines(between), *repeat_findings(between), *key_findings(between, rows)]


def _findings_of_columns(
    between: VersionPair, changes: Sequence[ColumnChange], rows: RowChanges | None
) -> list[Finding | None]:
    """Lost rows and swapped columns first; what follows from them stays silent."""
    findings: list[Finding | None] = []
    place, stretch, swapped = None, None, set()
    if between.in_time:
        lost, place = (None, None) if between.slices else rows_lost(between, rows)
        swaps = swaps_in(changes)
        stretch = _lost_stretch(between, changes)
        findings += [lost, stretch and period_missing(between, stretch)]
        findings += [*(_swapped(between, swap) for swap in swaps)]
        swapped = {c.new.position for swap in swaps for c in (swap.first, swap.second)}
    scan = PlaceScan(between, changes)
    rewritten = {cell.column for cell in rows.changed_cells} if rows else set()
    kept = rows_left(between, place) if place else None
    if stretch and not place:
        place, kept = Place(stretch.column, None, 1.0, 0.0), rows_outside(between, stretch)
    for change in changes:
        if change.new.position in swapped:
            continue
        own = [finding for finding in column_findings(change) if finding]
        if between.in_time and own and change.name not in rewritten:
            own = with_places(scan, change, own)
        if place and own and follows_from_loss(change, place, kept):
            own = [finding for finding in own if finding.code in _NOT_BY_LOSS]
        findings += own
    return findings


def _lost_stretch(between: VersionPair, changes: Sequence[ColumnChange]) -> Stretch | None:
    """A stretch of time without rows, unless its dates were rewritten, which moves rows about."""
    stretch = empty_stretch(between)
    change = next((c for c in changes if stretch and c.old.name == stretch.column), None)
    own = {finding.code for finding in column_findings(change) if finding} if change else set()
    return None if own & _REWRITTEN_DATES else stretch


def measure_pairs(
    between: VersionPair, pairs: Sequence[Pair], pmap: ParallelMap = map
) -> list[ColumnChange]:
    """Measure every column that both versions have, and judge by all of them what is chance."""
    both = [pair for pair in pairs if pair.old and pair.new]
    measured = list(pmap(lambda pair: _measure(between, pair), both))
    p_values = [m.p_value for m in measured if m is not None and m.p_value is not None]
    bound = bound_over_all(p_values, between.settings.alpha)
    return [
        ColumnChange(
            pair, between, m, m is not None and m.p_value is not None and m.p_value > bound
        )
        for pair, m in zip(both, measured, strict=True)
    ]


def _measure(between: VersionPair, pair: Pair) -> Measured | None:
    assert pair.old is not None
    assert pair.new is not None
    curves = between.old.curve(pair.old), between.new.curve(pair.new)
    return distance_between(pair.old, pair.new, curves)


def step_of(change: ColumnChange, step: tuple[int | None, int]) -> Transition:
    """What is kept of a column between two versions."""
    old, new, measured = change.old, change.new, change.measured
    measures: tuple[Measure, ...] = measured.measures if measured else ()
    return Transition(
        before=step[0],
        after=step[1],
        measures=measures,
        p_value=measured.p_value if measured else None,
        not_significant=change.not_significant,
        missing_delta=new.missing_share - old.missing_share,
        distinct_delta=new.distinct / max(new.present, 1) - old.distinct / max(old.present, 1),
        kind_changed=old.kind is not new.kind,
    )


def _reordered(between: VersionPair, pairs: Sequence[Pair]) -> Finding | None:
    """Columns that stand in another order, where something may read them by their place."""
    both = [pair for pair in pairs if pair.old and pair.new]
    places = [pair.old.position for pair in both if pair.old]
    if places == sorted(places):
        return None
    ranked = sorted(places)
    moved = tuple(
        pair.new.name
        for pair, place, rank in zip(both, places, ranked, strict=True)
        if pair.new and place != rank
    )
    return between.finding(
        "reordered",
        (),
        len(moved) / len(both),
        {"columns": moved},
    )


def _swapped(between: VersionPair, swap: Swap) -> Finding | None:
    names = (swap.first.name, swap.second.name)
    return between.finding(
        "swapped",
        names,
        swap.distance,
        {
            "columns": names,
            "distance": swap.distance,
            "residual": swap.left_over,
            **({"share": swap.share} if swap.share < 1 else {}),
        },
        form="part" if swap.share < 1 else "",
    )
