"""Which column of one version is which column of the next."""

from __future__ import annotations

from typing import NamedTuple

from nachsicht.compute.changes.distances import distance_between
from nachsicht.model.column import ColumnSummary
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument

#: From this confidence on two columns of different names are taken for one.
CONFIDENT = 0.7


class Pair(NamedTuple):
    """A column before and after; one of them None where it was added or removed."""

    old: ColumnSummary | None
    new: ColumnSummary | None
    confidence: float = 1.0

    @property
    def renamed(self) -> bool:
        """Whether the same column goes by another name."""
        return bool(self.old and self.new and self.old.name != self.new.name)


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


def likeness(old: ColumnSummary, new: ColumnSummary) -> float:
    """How surely two columns of different names are one: 0 to 1.

    The kind must be the same. Then the content counts (1 less the distance), lifted by
    names that share most of their letters.
    """
    if old.kind is not new.kind or old.kind is Kind.EMPTY:
        return 0.0
    measured = distance_between(old, new)
    # Of moments the content is bound to differ; then the name has to be nearly the same.
    content = 0.3 if measured is None or measured.distance is None else 1 - measured.distance
    return content * (0.5 + 0.5 * _name_likeness(old.name, new.name))


def _name_likeness(old: str, new: str) -> float:
    from rapidfuzz import fuzz

    return max(fuzz.ratio(old, new), 0.95 * fuzz.token_set_ratio(_words(old), _words(new))) / 100


def _words(name: str) -> str:
    return name.casefold().replace("_", " ").replace("-", " ")


def _match_by_likeness(
    lost: list[ColumnSummary], added: list[ColumnSummary]
) -> dict[int, tuple[ColumnSummary, float]]:
    """For positions of added columns, the lost column that each was, surest pairs first."""
    scored = sorted(
        ((likeness(old, new), old.position, new.position) for old in lost for new in added),
        key=lambda entry: (-entry[0], entry[1], entry[2]),
    )
    by_position = {column.position: column for column in lost}
    found: dict[int, tuple[ColumnSummary, float]] = {}
    taken: set[int] = set()
    for score, old_position, new_position in scored:
        if score >= CONFIDENT and old_position not in taken and new_position not in found:
            found[new_position] = (by_position[old_position], score)
            taken.add(old_position)
    return found
