"""Why levels changed: respelled, relabelled, cut, read in the wrong encoding."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np

from nachsicht.columns.categorical import plain
from nachsicht.columns.text_format import repaired
from nachsicht.comparison.distances import level_counts, total_variation
from nachsicht.i18n import number
from nachsicht.model.column import CategorySummary, Detail, QuantitySummary
from nachsicht.stats.hypothesis_tests import levels_p_value

Counts = Mapping[str, int]
#: Levels that together hold less are no relabelling that matters.
_SMALLEST_SHARE = 0.005
#: How far the shares may differ though chance may not explain it.
_SHARES_APART = 0.05
#: Less than this total variation is no exchange of levels.
_EXCHANGED, _EXCHANGED_OF_MANY = 0.15, 0.3
#: Levels that are gone for good have so many rows each, and that many are expected of all of them.
_FEWEST_EACH, _EXPECTED = 3, 10
#: A shorter level is no misspelling of another; and the two together hold this part of its rows.
_FEWEST_LETTERS, _STAYS = 5, 0.5
#: Levels were cut if this part of the rows of those that are gone is found again.
_NEARLY_ALL = 0.9
#: Shares that differ by chance less often than this are no work of chance.
_CHANCE = 1e-4


def levels_of(detail: Detail | None) -> dict[str, int] | None:
    """Counts by level of a category, or of a quantity with a handful of values."""
    if isinstance(detail, CategorySummary):
        return level_counts(detail)
    if isinstance(detail, QuantitySummary) and detail.discrete:
        knots = detail.ecdf
        counts = np.asarray(knots.le) - np.asarray(knots.lt)
        return {number(v, 15): int(c) for v, c in zip(knots.values, counts, strict=True)}
    return None


class Renaming(msgspec.Struct, frozen=True):
    """Old levels and the new ones they became, and the share of rows that these hold."""

    pairs: tuple[tuple[str, str], ...]
    share: float
    left_over: float

    @property
    def old(self) -> tuple[str, ...]:
        """The old levels."""
        return tuple(old for old, _ in self.pairs)

    @property
    def new(self) -> tuple[str, ...]:
        """The new levels."""
        return tuple(new for _, new in self.pairs)


def mapped_levels(old: Counts, new: Counts, pairs: list[tuple[str, str]]) -> Renaming | None:
    """The pairs as one cause, with the distance that is left once they are undone."""
    if not pairs:
        return None
    back = {after: before for before, after in pairs}
    undone: dict[str, int] = {}
    for level, count in new.items():
        name = back.get(level, level)
        undone[name] = undone.get(name, 0) + count
    share = sum(new[after] for after in {after for _, after in pairs}) / max(sum(new.values()), 1)
    ordered = tuple(sorted(pairs, key=lambda pair: (-new[pair[1]], pair)))
    return Renaming(ordered, share, total_variation(old, undone))


def respelled(old: Counts, new: Counts) -> list[tuple[str, str]]:
    """New levels that differ from an old one only in case, accents, spaces or joints."""
    known: dict[str, str] = {}
    for level in sorted(old, key=lambda name: (-old[name], name)):
        known.setdefault(plain(level), level)
    return [
        (known[plain(level)], level)
        for level in new
        if level not in old and plain(level) in known and plain(level)
    ]


def misspelt(old: Counts, new: Counts) -> list[tuple[str, str]]:
    """New levels that differ from one old level by one letter, or two exchanged.

    Short names, and those with digits, are codes, of which neighbours are other codes.
    """
    from rapidfuzz.distance import OSA

    pairs = []
    # Of a long tail, names that are new anyway may be like others by chance.
    once = sum(count == 1 for count in old.values())
    expected = once / max(sum(old.values()), 1) * sum(new.values())
    for level in new:
        if level in old or len(level) < _FEWEST_LETTERS or any(c.isdigit() for c in level):
            continue
        if new[level] <= 3 * expected:
            continue
        near = [name for name in old if OSA.distance(name, level, score_cutoff=1) == 1]
        # A level that stays as it was, and is not rarer than its misspelling.
        if len(near) == 1 and new.get(near[0], 0) + new[level] >= old[near[0]] * _STAYS * (
            sum(new.values()) / max(sum(old.values()), 1)
        ):
            pairs.append((near[0], level))
    return pairs


def damaged(old: Counts, new: Counts) -> list[tuple[str, str]]:
    """New levels that are an old one read in the wrong encoding, or with lost letters."""
    pairs = []
    for level in new:
        if level in old:
            continue
        whole = repaired(level)
        if whole in old:
            pairs.append((str(whole), level))
        elif "�" in level or "?" in level:
            near = [name for name in old if _lost_letters(name, level)]
            if len(near) == 1:
                pairs.append((near[0], level))
    return pairs


def _lost_letters(whole: str, broken: str) -> bool:
    """Whether a text is another with every foreign letter replaced by a mark."""
    if len(whole) != len(broken) or whole.isascii():
        return False
    return all(
        a == b or (b in "?�" and not a.isascii()) for a, b in zip(whole, broken, strict=True)
    )


def cut(old: Counts, new: Counts) -> list[tuple[str, str]]:
    """New levels that are the beginnings of gone ones, all of the longest length there is."""
    longest = max(map(len, new), default=0)
    gone = [level for level in old if level not in new and len(level) > longest]
    if not gone or any(len(level) > longest for level in new):
        return []
    pairs = []
    for level in gone:
        start = level[:longest].rstrip()
        match = next((name for name in (level[:longest], start) if name in new), None)
        if match is not None:
            pairs.append((level, match))
    # A rare level may be gone by itself, which says nothing against it.
    matched = sum(old[level] for level, _ in pairs)
    return pairs if matched >= _NEARLY_ALL * sum(old[level] for level in gone) else []


def relabelled(old: Counts, new: Counts) -> Renaming | None:
    """Gone levels that go by another name now: one to one by their shares of the rows.

    As many levels are new as are gone, and paired in the order of their shares these agree
    as well as chance lets them. Among pairs that fit, those of like names are preferred.
    """
    if "\0further" in old or "\0further" in new:
        return None  # what seems to be gone may be among the levels beyond those that are kept
    gone = [level for level in old if level not in new]
    fresh = [level for level in new if level not in old]
    n, m = sum(old.values()), sum(new.values())
    if not gone or len(gone) != len(fresh):
        return None
    if sum(old[level] for level in gone) < _SMALLEST_SHARE * n:
        return None
    if not (_gone_for_good(gone, old, m / n) and _gone_for_good(fresh, new, n / m)):
        return None
    by_share = (
        sorted(gone, key=lambda name: (-old[name], name)),
        sorted(fresh, key=lambda name: (-new[name], name)),
    )
    paired = list(zip(*by_share, strict=True))
    counts = {a: old[a] for a, _ in paired}, {a: new[b] for a, b in paired}
    rest = n - sum(counts[0].values()), m - sum(counts[1].values())
    p_value = levels_p_value({**counts[0], "\0rest": rest[0]}, {**counts[1], "\0rest": rest[1]})
    found = mapped_levels(old, new, _by_name(paired, old, new, n, m))
    if p_value is None or found is None:
        return None
    return found if p_value > 1e-4 or found.left_over < _SHARES_APART / 2 else None


def _gone_for_good(levels: list[str], counts: Counts, other: float) -> bool:
    """Whether it is no chance that the other version has none of these levels.

    Levels of very few rows may be names of single things, of which other rows have others. What
    is expected of a level beyond is reckoned without one of its rows, as it is known by that one
    (after Good, *Biometrika* 40, 1953). ``other`` is how many times as many rows the other has.
    """
    rows = sum(counts[level] for level in levels)
    expected = (rows - len(levels)) * other
    return rows >= _FEWEST_EACH * len(levels) and expected >= _EXPECTED


def exchanged(old: Counts, new: Counts) -> Renaming | None:
    """Two levels that changed their meaning: yes is no, and no is yes.

    The shares fit only if they change places, and then as well as chance lets them.
    """
    least = _EXCHANGED if len(old) == 2 else _EXCHANGED_OF_MANY
    if set(old) != set(new) or total_variation(old, new) < least:
        return None
    unlike = levels_p_value(old, new)
    if unlike is None or unlike > _CHANCE:
        return None
    # Those two whose shares moved most, one down as far as the other up.
    n, m = sum(old.values()), sum(new.values())
    moved = {name: new[name] / m - old[name] / n for name in old}
    one, other = (
        min(moved, key=lambda name: (moved[name], name)),
        max(moved, key=lambda name: (moved[name], name)),
    )
    undone = {**new, one: new[other], other: new[one]}
    p_value, left = levels_p_value(old, undone), total_variation(old, undone)
    if p_value is None or p_value < 1e-3 or left > _SHARES_APART:
        return None
    pairs = ((one, other), (other, one))
    return Renaming(pairs, (new[one] + new[other]) / m, left)


def _by_name(
    paired: list[tuple[str, str]], old: Counts, new: Counts, n: int, m: int
) -> list[tuple[str, str]]:
    """Pairs that fit by share, exchanged where like names fit as well."""
    from rapidfuzz import fuzz
    from scipy.optimize import linear_sum_assignment

    befores, afters = [a for a, _ in paired], [b for _, b in paired]
    cost = np.zeros((len(paired), len(paired)))
    for i, before in enumerate(befores):
        for j, after in enumerate(afters):
            p, q = old[before] / n, new[after] / m
            error = max((p * (1 - p) / n + q * (1 - q) / m) ** 0.5, 1e-9)
            alike = fuzz.ratio(before.casefold(), after.casefold()) / 100
            starts = after.casefold().startswith(before.casefold()[:1])
            cost[i, j] = min(((p - q) / error) ** 2, 1e6) - 4 * alike - 2 * starts
    rows, columns = linear_sum_assignment(cost)
    return [(befores[i], afters[j]) for i, j in zip(rows, columns, strict=True)]
