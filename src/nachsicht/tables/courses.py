"""What happened along a history, as a table."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import isfinite
from statistics import fmean

from nachsicht.comparison.courses import Courses, Happening
from nachsicht.i18n import phrase
from nachsicht.stats.change_point import FEWEST
from nachsicht.tables.base import Columns, Part

#: From the lowest to the highest number, and how many of them at most.
_BLOCKS, _STRIP = "▁▂▃▄▅▆▇█", 20
#: Numbers that are shown in per cent.
_SHARES = ("missing_share", "share")


class CoursesPart(Part):
    """What happened to the columns along the versions: jumps, spikes, drifts and seasons."""

    _name = "courses"

    def __init__(self, found: Courses) -> None:
        self.found = found

    def __len__(self) -> int:
        return len(self.found.happened)

    @property
    def enough(self) -> bool:
        """Whether there are versions enough to say anything."""
        return self.found.versions >= FEWEST

    @property
    def sentences(self) -> tuple[str, ...]:
        """Each in a sentence, in the current language."""
        return tuple(map(sentence_of, self.found.happened))

    @property
    def strips(self) -> tuple[str, ...]:
        """Each as a strip of blocks, the newest version last."""
        return tuple(strip_of(each.values) for each in self.found.happened)

    def columns(self) -> Columns:
        """A row for each: column, statistic, level, form, versions, before and after, chance."""
        return {
            name: [getattr(each, name) for each in self.found.happened]
            for name in Happening.__struct_fields__
            if name != "values"
        }


def strip_of(values: Sequence[float]) -> str:
    """Numbers as blocks from their lowest to their highest; neighbours together where many."""
    parts = min(len(values), _STRIP)
    bounds = [len(values) * i // parts for i in range(parts + 1)]
    means = [
        fmean(known) if (known := [v for v in values[low:high] if isfinite(v)]) else None
        for low, high in pairwise(bounds)
    ]
    known = [mean for mean in means if mean is not None]
    low, height = min(known, default=0.0), max(known, default=0.0) - min(known, default=0.0)
    step = (len(_BLOCKS) - 1) / height if height else 0.0
    return "".join(" " if m is None else _BLOCKS[round((m - low) * step)] for m in means)


def sentence_of(happening: Happening) -> str:
    """What happened, in words of the current language."""
    unit = "shares" if happening.statistic in _SHARES else "numbers"
    before, after = (
        phrase(f"courses.{unit}", value=value) for value in (happening.before, happening.after)
    )
    what = phrase(f"courses.of_{happening.statistic}", level=happening.level)
    if happening.column:
        what = phrase("courses.of_column", column=happening.column, what=what)
    form = happening.form
    if form == "spike" and happening.versions > 1:
        form = "spikes"
    if form == "jump" and happening.versions == 1:
        form = "newest"  # nobody knows whether it stays
    return phrase(
        f"courses.{form}",
        what=what,
        before=before,
        after=after,
        first=happening.first,
        last=happening.last,
        n=happening.versions,
        period=happening.period,
    )
