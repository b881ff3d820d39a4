"""Categories and flags: levels, evenness, spellings that look alike."""

from __future__ import annotations

import math
import re
import unicodedata

from nachsicht.compute.tallies import Tally
from nachsicht.model.column import CategorySummary, Level
from nachsicht.model.statistics import Absent, Reason, Statistic
from nachsicht.settings import Settings

_JOINTS = re.compile(r"[\s_\-./]+")


def summarise_category(tally: Tally, settings: Settings) -> CategorySummary:
    """Levels up to the cap, and what the rest adds up to."""
    levels = tuple(Level(value, count) for value, count in tally.top(settings.level_cap))
    total = int(tally.counts.sum())
    return CategorySummary(
        levels=levels,
        further_levels=tally.distinct - len(levels),
        further_rows=total - sum(level.count for level in levels),
        evenness=evenness(tally),
        look_alikes=look_alikes(levels),
    )


def evenness(tally: Tally) -> Statistic:
    """Shannon entropy over its maximum: 0 for one level, 1 where all are equally frequent."""
    if tally.distinct == 0:
        return Absent(Reason.NO_VALUES)
    if tally.distinct == 1:
        return Absent(Reason.NEVER_VARIES)
    shares = tally.counts / tally.counts.sum()
    return float(-(shares * [math.log(share) for share in shares]).sum() / math.log(len(shares)))


def look_alikes(levels: tuple[Level, ...]) -> tuple[tuple[Level, ...], ...]:
    """Groups of levels that differ in case, spaces, joints or accents only, the largest first."""
    groups: dict[str, list[Level]] = {}
    for level in levels:
        groups.setdefault(plain(level.value), []).append(level)
    return tuple(tuple(group) for group in groups.values() if len(group) > 1)


def plain(text: str) -> str:
    """A text without case, accents, outer spaces, and with one joint for any run of them."""
    letters = unicodedata.normalize("NFKD", text.casefold())
    bare = "".join(letter for letter in letters if not unicodedata.combining(letter))
    return _JOINTS.sub(" ", bare).strip()
