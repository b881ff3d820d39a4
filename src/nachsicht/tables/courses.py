"""What happened along a history, in sentences and as a table."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import isfinite
from statistics import fmean

from nachsicht.comparison.courses.course import Courses, reason_of
from nachsicht.comparison.courses.happenings import Happening
from nachsicht.comparison.courses.series import ABSENT
from nachsicht.i18n import phrase
from nachsicht.model.comparison import FEWEST_VERSIONS
from nachsicht.model.findings import Severity
from nachsicht.tables.base import Columns, Part

#: From the lowest to the highest number, and how many of them at most.
_BLOCKS, _STRIP = "▁▂▃▄▅▆▇█", 20
#: Numbers that are shown in per cent.
_TAILS = ("below", "above")
_SHARES = ("missing_share", "share", "zeros_share", "negatives_share", "duplicates_share", *_TAILS)
#: Numbers that are counts.
_COUNTS = ("rows", "distinct", "decimals")


class CoursesPart(Part):
    """What happened to the columns along the versions: jumps, spikes, drifts and seasons."""

    _name = "courses"

    def __init__(self, found: Courses) -> None:
        self.found = found

    def __len__(self) -> int:
        return len(self.found.together)

    @property
    def enough(self) -> bool:
        """Whether there are versions enough to say anything."""
        return len(self.found.labels) >= FEWEST_VERSIONS

    @property
    def verdict(self) -> str:
        """What is to be said of the newest version, then of those before, in one paragraph."""
        return " ".join(filter(None, (self.headline, self.detail)))

    @property
    def headline(self) -> str:
        """What is to be said of the newest version."""
        new = self.found.labels[-1]
        for severity in (Severity.ACT, Severity.CHECK):
            n = self.found.open(severity, newest=True)
            if n:
                return phrase(f"courses.verdict_{severity}", n=n, new=new)
        return phrase("courses.verdict_calm", new=new)

    @property
    def detail(self) -> str:
        """What is to be said of the versions before, and of the columns that were steady."""
        severities = (Severity.ACT, Severity.CHECK)
        numbers = [(each, self.found.open(each, newest=False)) for each in severities]
        sentences = [phrase(f"courses.earlier_{each}", n=n) for each, n in numbers if n]
        steady, columns = self.found.steady, len(self.found.columns)
        what = "all_steady" if steady == columns > 1 else "steady"
        return " ".join([*sentences, phrase(f"verdict.{what}", n=steady)])

    @property
    def sentences(self) -> tuple[str, ...]:
        """Each in a sentence, in the current language."""
        return tuple(
            sentence_of(group)
            + (f" {phrase('terminal.accepted', reason=reason)}" if reason is not None else "")
            for group in self.found.together
            for reason in [reason_of(group)]
        )

    @property
    def strips(self) -> tuple[str, ...]:
        """Each as a strip of blocks, the newest version last."""
        return tuple(strip_of(group[0].values) for group in self.found.together)

    def columns(self) -> Columns:
        """A row for each: column, statistic, level, form, versions, before and after, chance."""
        return {
            name: [getattr(each, name) for each in self.found.happened]
            for name in Happening.__struct_fields__
            if name not in ("values", "cause")
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


def sentence_of(group: Sequence[Happening]) -> str:
    """What happened, to one column or to many at once, in words of the current language."""
    if len(group) > 1:
        return title_of(group)
    return _said(group[0], "courses") + _settled(group[0], "courses")


def title_of(group: Sequence[Happening]) -> str:
    """As `sentence_of`, short, without the column's name."""
    said = _of_many(group) if len(group) > 1 else detail_of(group[0])
    return said + _settled(group[0], "courses.titles")


def _settled(happening: Happening, where: str) -> str:
    """That what happened is the new normal, where it is."""
    return phrase(f"{where}.settled", n=happening.versions) if happening.settled else ""


def detail_of(happening: Happening) -> str:
    """What happened to a column, as `title_of` says it, also where more happened at once."""
    return _said(happening, "courses.titles")


def most_urgent(happened: Sequence[Happening]) -> Happening | None:
    """Of what happened to a column the most urgent, and of these the surest."""
    return min(happened, key=lambda each: each.severity.rank, default=None)


def state_of(happened: Sequence[Happening]) -> str:
    """In a few words what happened to a column: the most urgent of it."""
    most = most_urgent(happened)
    if most is None:
        return phrase("courses.states.steady")
    form = "settled" if most.settled else _form(most)
    return phrase(f"courses.states.{form}", first=most.first, last=most.last)


def _of_many(group: Sequence[Happening]) -> str:
    names = tuple(dict.fromkeys(each.column for each in group))
    facts = {"n": len(names), "columns": names, "first": group[0].first, "last": group[0].last}
    return phrase(f"courses.together.{_form(group[0])}", **facts)


def _form(happening: Happening) -> str:
    if happening.newest:
        return "newest"
    several = happening.form == "spike" and happening.versions > 1
    return "spikes" if several else happening.form


def _said(happening: Happening, where: str) -> str:
    level: str | float | None = happening.level
    if happening.statistic in _TAILS:
        level = float(happening.level or "nan")
    what = phrase(f"courses.of_{happening.statistic}", level=level)
    form = _form(happening)
    if ABSENT in (happening.before, happening.after):
        what = phrase("courses.of_presence")
        form = f"{'gone' if happening.after == ABSENT else 'there'}_{form}"
    if happening.column and where == "courses":
        what = phrase("courses.of_column", column=happening.column, what=what)
    if happening.cause:
        form = f"{happening.cause.rule}_{form}"
        if happening.cause.rule == "shifted":
            form = f"{'up' if (happening.cause.amount or 0) > 0 else 'down'}_{form}"
        what = phrase("courses.of_column", column=happening.column, what="").rstrip()
    return phrase(
        f"{where}.{form}",
        what=what,
        amount=happening.cause and happening.cause.amount,
        old_level=happening.cause and happening.cause.old_level,
        new_level=happening.cause and happening.cause.new_level,
        before=_value(happening, happening.before),
        after=_value(happening, happening.after),
        first=happening.first,
        last=happening.last,
        n=happening.versions,
        period=happening.period,
    )


def _value(happening: Happening, value: float | str) -> str:
    if isinstance(value, str):
        gone = ABSENT in (happening.before, happening.after)  # then the sentence names no kind
        if gone or happening.statistic != "kind":
            return "" if gone else value
        return phrase(f"kinds.{value}")
    unit = "shares" if happening.statistic in _SHARES else "numbers"
    if happening.statistic in _COUNTS:
        value = round(value)
    return phrase(f"courses.{unit}", value=value)
