"""Which column of one version is which column of the next."""

from __future__ import annotations

import math
from functools import singledispatch
from typing import Any, NamedTuple

import numpy as np

from nachsicht.comparison.distances import Measured, distance_between
from nachsicht.model.column import ColumnSummary, DatetimeSummary, TextSummary
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument

#: From this confidence on two columns of different names are taken for one.
CONFIDENT = 0.7
#: How alike names count of which one holds the other, or of columns in the same place; and how
#: alike contents must be where the name alone makes it likely.
_HINT, _ENOUGH_BY_NAME = 0.95, 0.3
#: What likeness tells, by kind: most datetimes of a dataset lie in one period.
_TELLING = {Kind.DATETIME: 0.6}


class Pair(NamedTuple):
    """A column before and after; one of them None where it was added or removed."""

    old: ColumnSummary | None
    new: ColumnSummary | None
    confidence: float = 1.0

    @property
    def name(self) -> str:
        """The newest name of the column."""
        return (self.new or self.old).name  # type: ignore[union-attr]

    @property
    def renamed(self) -> bool:
        """Whether the same column goes by another name."""
        return bool(self.old and self.new and self.old.name != self.new.name)

    @property
    def position(self) -> tuple[int, int]:
        """Tells pairs apart: the places in both versions, -1 for none."""
        return (
            self.old.position if self.old else -1,
            self.new.position if self.new else -1,
        )


def match_columns(old: ProfileDocument, new: ProfileDocument) -> list[Pair]:
    """Pairs in the order of the newer version, removed columns last.

    Columns match by name (the first with the first where names repeat), then by likeness.
    """
    waiting: dict[str, list[ColumnSummary]] = {}
    for column in old.columns:
        waiting.setdefault(column.name, []).append(column)
    named = [
        (column, waiting[column.name].pop(0) if waiting.get(column.name) else None)
        for column in new.columns
    ]
    lost = [column for columns in waiting.values() for column in columns]
    added = [column for column, before in named if before is None]
    renamed = _match_by_likeness(lost, added)
    pairs = []
    for column, before in named:
        if before is not None:
            pairs.append(Pair(before, column))
        elif column.position in renamed:
            pairs.append(Pair(renamed[column.position][0], column, renamed[column.position][1]))
        else:
            pairs.append(Pair(None, column))
    taken = {before.position for before, _ in renamed.values()}
    return pairs + [Pair(column, None) for column in lost if column.position not in taken]


def likeness(old: ColumnSummary, new: ColumnSummary, *, only: bool = False) -> float:
    """How surely two columns of different names are one: 0 to 1.

    The kind must be the same. That the content is alike says the more, the more different
    values there are that could have differed; that names share their letters, or that the
    column stands where the other stood, says something of its own. Both count as independent
    evidence, and all of it the less, the farther the contents are apart. That one name holds all
    words of the other ("weight", "weight_new"), or that ``only`` these two columns came and went,
    in the same place and stored alike, says so much that the contents may be farther apart.
    """
    if old.kind is not new.kind or old.kind is Kind.EMPTY:
        return 0.0
    content = _content_likeness(old, new) * (1 - abs(old.missing_share - new.missing_share))
    telling = 0.85 * min(1.0, math.log2(1 + min(old.distinct, new.distinct)) / 6)
    telling *= _TELLING.get(old.kind, 1.0)
    name = _name_likeness(old.name, new.name)
    if old.position == new.position:
        name = max(name, 0.5 + 0.5 * name)
    words = set(_words(old.name).split()), set(_words(new.name).split())
    within = all(words) and (words[0] <= words[1] or words[1] <= words[0])
    in_place = only and old.position == new.position and old.dtype == new.dtype
    if not within and not in_place:
        return content**2 * (1 - (1 - telling) * (1 - 0.8 * name))
    found = content * (1 - (1 - telling) * (1 - 0.8 * max(name, _HINT)))
    return max(found, CONFIDENT) if within and content >= _ENOUGH_BY_NAME else found


def _content_likeness(old: ColumnSummary, new: ColumnSummary) -> float:
    measured = distance_between(old, new)
    return 0.3 if measured is None else likeness_of(old.stats, new.stats, measured)


@singledispatch
def likeness_of(_old: Any, _new: Any, measured: Measured) -> float:
    """How alike two summaries of one type are, 0 to 1; a kind registers its own."""
    return 0.3 if measured.distance is None else 1 - measured.distance


@likeness_of.register
def _(_: DatetimeSummary, __: DatetimeSummary, measured: Measured) -> float:
    # A later delivery holds later datetimes; that they overlap at all is a sign.
    return 0.75 + 0.25 * measured.measures[0].value


@likeness_of.register
def _(old: TextSummary, new: TextSummary, measured: Measured) -> float:
    words = [{level.value for level in detail.frequent_words} for detail in (old, new)]
    shared = len(words[0] & words[1]) / max(len(words[0] | words[1]), 1)
    return (1 - (measured.distance or 0.0)) * (0.5 + 0.5 * shared)


def _name_likeness(old: str, new: str) -> float:
    from rapidfuzz import fuzz

    return max(fuzz.ratio(old, new), 0.95 * fuzz.token_set_ratio(_words(old), _words(new))) / 100


def _words(name: str) -> str:
    return name.casefold().replace("_", " ").replace("-", " ")


def _match_by_likeness(
    lost: list[ColumnSummary], added: list[ColumnSummary]
) -> dict[int, tuple[ColumnSummary, float]]:
    """For positions of added columns, the lost column that each was.

    The assignment with the largest sum of confidence, of those pairs that are confident.
    """
    if not lost or not added:
        return {}
    only = len(lost) == len(added) == 1
    scores = np.array([[likeness(old, new, only=only) for new in added] for old in lost])
    scores[scores < CONFIDENT] = 0.0
    if not scores.any():
        return {}
    from scipy.optimize import linear_sum_assignment

    return {
        added[j].position: (lost[i], float(scores[i, j]))
        for i, j in zip(*linear_sum_assignment(-scores), strict=True)
        if scores[i, j]
    }
