"""Categories and flags: levels, evenness, rare levels, spellings that look alike."""

from __future__ import annotations

import math
import re
import unicodedata
from collections import Counter
from collections.abc import Iterator

import numpy as np

from nachsicht.config.settings import Settings
from nachsicht.model.column import CategorySummary, Level
from nachsicht.model.statistics import Absent, Reason, Statistic
from nachsicht.stats.value_counts import ValueCounts

_JOINTS = re.compile(r"[\s_\-./]+")
_DIGITS = re.compile(r"\d")
_FIGURE = re.compile(r"\s*[+-]?\d[\d.,]*\s*")
#: The share of rows that ``levels_for_most`` counts levels up to.
MOST_ROWS = 0.8
RARE = 0.01
#: Spellings are compared letter by letter among at most so many levels.
_COMPARED = 400
#: A word is a misspelling of another only if it is so many times rarer, and long enough.
_RARER = 20
_LONG_WORD = 5


def summarise_category(tally: ValueCounts, settings: Settings) -> CategorySummary:
    """Levels up to the cap, and what the rest adds up to."""
    levels = tuple(Level(value, count) for value, count in tally.top(settings.max_levels))
    counts = np.sort(tally.counts)[::-1]
    total = int(counts.sum())
    rare = counts[counts < RARE * total]
    lengths = tally.measured.characters
    return CategorySummary(
        levels=levels,
        other_levels=tally.distinct - len(levels),
        other_rows=total - sum(level.count for level in levels),
        evenness=evenness(tally),
        levels_for_80pct=int(np.searchsorted(np.cumsum(counts), MOST_ROWS * total) + 1)
        if total
        else 0,
        rare_levels=len(rare),
        rare_rows=int(rare.sum()),
        similar_levels=look_alikes(levels),
        min_length=int(lengths.min()) if len(lengths) else 0,
        max_length=int(lengths.max(initial=0)),
    )


def evenness(tally: ValueCounts) -> Statistic:
    """Shannon entropy over its maximum: 0 for one level, 1 where all are equally frequent."""
    if tally.distinct == 0:
        return Absent(Reason.NO_VALUES)
    if tally.distinct == 1:
        return Absent(Reason.NEVER_VARIES)
    shares = np.sort(tally.counts) / tally.counts.sum()
    return float(-(shares * np.log(shares)).sum() / math.log(len(shares)))


def look_alikes(levels: tuple[Level, ...]) -> tuple[tuple[Level, ...], ...]:
    """Groups of levels that are likely spellings of one: the most frequent group first.

    They differ in case, spaces, joints or accents only, or in a letter or two of a long word
    while one is far rarer than the other. Digits are never taken for a misspelling.
    """
    names = [
        # A sign or a point makes another number: 0.1 and -0.1 are not one.
        level.value if _FIGURE.fullmatch(level.value) else plain(level.value)
        for level in levels
    ]
    counts: dict[str, int] = {}
    for name, level in zip(names, levels, strict=True):
        counts[name] = counts.get(name, 0) + level.count
    leader: dict[str, str] = {}
    for rare, frequent in _misspelt(counts):
        leader[rare] = leader.get(frequent, frequent)
    names = [leader.get(name, name) for name in names]
    sizes = Counter(names)
    together: dict[str, list[Level]] = {}
    for name, level in zip(names, levels, strict=True):
        if sizes[name] > 1:
            together.setdefault(name, []).append(level)
    found = [sorted(g, key=lambda level: (-level.count, level.value)) for g in together.values()]
    return tuple(map(tuple, found))


def plain(text: str) -> str:
    """A text without case, accents, outer spaces, and with one joint for any run of them."""
    letters = text.casefold()
    if not letters.isascii():
        letters = unicodedata.normalize("NFKD", letters)
        letters = "".join(letter for letter in letters if not unicodedata.combining(letter))
    return _JOINTS.sub(" ", letters).strip()


def _misspelt(counts: dict[str, int]) -> Iterator[tuple[str, str]]:
    """Pairs (rare, frequent) of plain levels that differ by a typing error, and have no digit."""
    words = [name for name in counts if not _DIGITS.search(name)]
    names = sorted(words, key=lambda name: (-counts[name], name))[:_COMPARED]
    frequent = [name for name in names if counts[name] >= _RARER]
    if not frequent or len(names) < 2:
        return
    from rapidfuzz import process
    from rapidfuzz.distance import DamerauLevenshtein

    distances = process.cdist(names, frequent, scorer=DamerauLevenshtein.distance, score_cutoff=2)
    for row, rare in enumerate(names):
        for column in np.flatnonzero((distances[row] > 0) & (distances[row] <= 2)):
            other = frequent[int(column)]
            if counts[rare] * _RARER <= counts[other] and _one_word_differs(rare, other):
                yield rare, other
                break


def _one_word_differs(rare: str, frequent: str) -> bool:
    """Whether one long word differs, by one letter (two in very long ones)."""
    from rapidfuzz.distance import DamerauLevenshtein

    a, b = rare.split(), frequent.split()
    if len(a) != len(b):
        return False
    pairs = [(x, y) for x, y in zip(a, b, strict=True) if x != y]
    if len(pairs) != 1:
        return False
    shorter = min(map(len, pairs[0]))
    allowed = 1 if shorter < 2 * _LONG_WORD else 2
    return shorter >= _LONG_WORD and DamerauLevenshtein.distance(*pairs[0]) <= allowed
