"""What happened along a history, as a table."""

from __future__ import annotations

from nachsicht.comparison.courses import Courses, Happening
from nachsicht.i18n import phrase
from nachsicht.stats.change_point import FEWEST
from nachsicht.tables.base import Columns, Part

#: Numbers that are told in per cent.
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

    def columns(self) -> Columns:
        """A row for each: column, statistic, level, form, versions, before and after, chance."""
        return {
            name: [getattr(each, name) for each in self.found.happened]
            for name in Happening.__struct_fields__
        }


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
