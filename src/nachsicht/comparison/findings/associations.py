"""Relations between two columns that broke, turned or are new, though both stayed as they were."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

import numpy as np

from nachsicht.associations.all_pairs import AllPairs
from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.context import VersionPair
from nachsicht.findings.rules.table import GIVES_AWAY
from nachsicht.model.comparison import RelationChange
from nachsicht.model.findings import Finding, FindingCode
from nachsicht.stats.hypothesis_tests import bound_over_all, relations_p_value, relations_p_values

#: How many changed relations are kept in a comparison.
MOST_KEPT = 200
#: A relation that reversed is at least this part as strong as before; else it is lost.
_TURNED = 0.3
#: Smaller differences of strength tell nothing to anybody.
_SMALLEST = 0.1


def relation_changes(
    between: VersionPair, pairs: Sequence[Pair], step: tuple[int | None, int]
) -> tuple[RelationChange, ...]:
    """Relations whose strength changed beyond chance, the largest change first.

    Of all pairs where both versions have rows, if only drawn ones; else of those that both profiles
    keep.
    """
    # By the newer names, so that a renamed column keeps its relations.
    newest = {pair.old.name: pair.new.name for pair in pairs if pair.old and pair.new}
    old, new = between.old.pairs, between.new.pairs
    alpha = between.settings.alpha
    if old is not None and new is not None:
        kept = _changed_at_hand(old, new, newest, step, alpha)
    else:
        found = _changed_as_kept(between, newest, step)
        bound = bound_over_all([change.p_value for change in found], alpha)
        kept = [
            change
            for change in found
            if change.p_value <= bound and abs(change.new_value - change.old_value) >= _SMALLEST
        ]
    kept.sort(key=lambda change: (-abs(change.new_value - change.old_value), change.x, change.y))
    return tuple(kept[:MOST_KEPT])


def _changed_as_kept(
    between: VersionPair, newest: Mapping[str, str], step: tuple[int | None, int]
) -> list[RelationChange]:
    before = {
        frozenset((newest[r.x], newest[r.y])): r
        for r in between.old.profile.relations.pairs
        if r.x in newest and r.y in newest
    }
    found = []
    for new in between.new.profile.relations.pairs:
        old = before.get(frozenset((new.x, new.y)))
        if old is not None and old.measure == new.measure:
            p_value = relations_p_value(old.value, old.std_error, new.value, new.std_error)
            strengths = (old.value, new.value)
            found.append(RelationChange(*step, new.x, new.y, new.measure, *strengths, p_value))
    return found


def _changed_at_hand(
    old: AllPairs,
    new: AllPairs,
    newest: Mapping[str, str],
    step: tuple[int | None, int],
    alpha: float,
) -> list[RelationChange]:
    """Pairs that changed by enough to be reported, and beyond chance among all pairs."""
    names = [
        (before, after)
        for before, after in newest.items()
        if before in old.places
        and after in new.places
        # Of the same measures, so that like is compared with like.
        and old.numbers[old.places[before]] == new.numbers[new.places[after]]
    ]
    mine = np.array([old.places[before] for before, _ in names], np.int64)
    theirs = np.array([new.places[after] for _, after in names], np.int64)
    first, first_error, second, second_error = (
        figure[np.ix_(places, places)]
        for pairs, places in ((old, mine), (new, theirs))
        for figure in (pairs.strengths.values, pairs.strengths.errors)
    )
    there = np.triu(~np.isnan(first) & ~np.isnan(second), 1)
    p_values = np.ones(there.shape)
    p_values[there] = relations_p_values(
        first[there], first_error[there], second[there], second_error[there]
    )
    bound = bound_over_all(p_values[there], alpha)
    large = there & (p_values <= bound) & (np.abs(second - first) >= _SMALLEST)
    return [
        RelationChange(
            *step,
            names[i][1],
            names[j][1],
            new.measure(int(theirs[i]), int(theirs[j])),
            float(first[i, j]),
            float(second[i, j]),
            float(p_values[i, j]),
        )
        for i, j in np.argwhere(large).tolist()
    ]


def outcome_findings(between: VersionPair) -> Iterator[Finding | None]:
    """Columns that all but say what the outcome is now, and did not before."""
    outcome = between.settings.outcome
    names = between.old.profile.names
    before = {frozenset((r.x, r.y)): abs(r.value) for r in between.old.profile.relations.pairs}
    for relation in between.new.profile.relations.pairs:
        both = frozenset((relation.x, relation.y))
        old, new = before.get(both, 0.0), abs(relation.value)
        if outcome not in both or new < GIVES_AWAY or old >= GIVES_AWAY:
            continue
        (name,) = both - {outcome}
        yield between.finding(
            "leakage_new",
            (name,),
            new,
            {
                "outcome": str(outcome),
                "measure": relation.measure,
                "old_strength": old,
                "new_strength": new,
            },
            form="" if name in names else "added",
        )


def relation_findings(
    between: VersionPair, changes: Sequence[RelationChange], named: Collection[str]
) -> Iterator[Finding | None]:
    """One finding for each column whose relations changed, with its partners.

    Columns that have findings of their own are left out: a changed relation follows from them.
    Where several relations changed, the column that most of them share is named.
    """
    waiting = [c for c in changes if c.x not in named and c.y not in named]
    while waiting:
        weights: dict[str, float] = {}
        for change in waiting:
            for name in (change.x, change.y):
                weights[name] = weights.get(name, 0.0) + abs(change.new_value - change.old_value)
        column = max(weights, key=lambda name: (weights[name], name))
        own = [change for change in waiting if column in (change.x, change.y)]
        waiting = [change for change in waiting if change not in own]
        yield _finding(between, column, own)


def _finding(
    between: VersionPair, column: str, changes: Sequence[RelationChange]
) -> Finding | None:
    largest = changes[0]
    partners = tuple(c.y if c.x == column else c.x for c in changes)
    old, new = largest.old_value, largest.new_value
    code: FindingCode
    if old * new < 0 and min(abs(old), abs(new)) >= max(_SMALLEST, _TURNED * abs(old)):
        code, size = "association_reversed", abs(new - old) / 2
    elif abs(new) < abs(old):
        code, size = "association_lost", abs(old) - abs(new)
    else:
        code, size = "association_new", abs(new) - abs(old)
    return between.finding(
        code,
        (column, partners[0]),
        size,
        {
            "partners": partners,
            "measure": largest.measure,
            "old_strength": old,
            "new_strength": new,
            "p_value": largest.p_value,
        },
    )
