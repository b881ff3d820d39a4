"""How strongly any two columns go together, for each pair of kinds.

Quantities, moments and durations among each other: Spearman's rank correlation, with Pearson's
and Kendall's beside it. Categories and flags among each other: Cramér's V. A category and a
quantity: the correlation ratio eta of the ranks. All are 0 for columns that have nothing to
do with each other and 1 for columns of which one follows from the other; rank correlations
have a sign. Rows where either is missing are left out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.compute.relations.comoments import DECIMALS, comoments_of
from nachsicht.compute.relations.concordance import dense_ranks, kendall_error, kendall_of_ranks
from nachsicht.compute.relations.explanations import MOST_BINS, explanations
from nachsicht.compute.relations.groups import grouped
from nachsicht.compute.relations.level_associations import cramers_vs, etas
from nachsicht.compute.relations.rank_correlations import Correlations, rank_correlations
from nachsicht.compute.relations.sides import (
    Floats,
    Levels,
    Quantity,
    Side,
    Spread,
    sides_of,
)
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import Relation, Relations

#: Fewer common rows tell nothing.
FEWEST_ROWS = 20
#: A profile keeps the strongest pairs, all while they are no more than these.
MOST_PAIRS = 5_000
#: Kendall's tau is computed for so many pairs of quantities, the strongest.
MOST_KENDALL = 300
#: Bins times explained columns times rows, at most; beyond, fewer rows explain.
_EXPLAINING = 20_000_000_000
_FEWEST_EXPLAINING = 1_000

#: Pearson's correlation by the names of two columns.
Pearson = Mapping[tuple[str, str], float]


@dataclass(frozen=True)
class AllPairs:
    """Strength, standard error and rows of every pair of columns; NaN where there is none.

    ``numbers`` tells of each column whether it is taken as numbers, not as levels.
    """

    names: tuple[str, ...]
    numbers: tuple[bool, ...]
    strengths: Correlations

    @cached_property
    def places(self) -> dict[str, int]:
        """Where a column stands."""
        return {name: i for i, name in enumerate(self.names)}

    def measure(self, i: int, j: int) -> str:
        """What the strength of a pair is called."""
        return ("cramers_v", "eta", "spearman")[self.numbers[i] + self.numbers[j]]


@dataclass(frozen=True)
class Found:
    """The relations that a profile keeps, those of all pairs, and the columns in drawn rows."""

    relations: Relations
    pairs: AllPairs
    drawn: tuple[Side, ...]


def relations_of(
    columns: Sequence[ColumnSummary],
    rows: Any,
    drawn: NDArray[np.int64],
    in_all: int,
    pearson: Pearson | None = None,
    spread: Spread = map,
) -> Found:
    """The strength of every pair of columns that can have one.

    Parameters
    ----------
    columns : sequence of ColumnSummary
        All columns.
    rows : Arrow table
        All rows, or evenly drawn ones where not all are at hand.
    drawn : array of int
        Places of evenly drawn rows among them, for what takes long.
    in_all : int
        Rows of the data.
    pearson : mapping, optional
        Pearson's correlations of all rows, where ``rows`` are not all.
    spread : callable
        As `map`, on as many threads as it likes.
    """
    sides, left_out = sides_of(columns, rows, spread)
    strengths = _strengths(sides, drawn, spread)
    names = tuple(side.name for side in sides)
    pairs = AllPairs(names, tuple(isinstance(side, Quantity) for side in sides), strengths)
    if pearson is None:
        pearson = _pearson(sides)
    known = _known_pairs(strengths)
    kept = known[:MOST_PAIRS]
    few = [side.at(np.sort(drawn)) for side in sides]
    explaining = np.sort(drawn[: _explaining_rows(few)])
    explained = explanations([side.at(explaining) for side in sides])
    concordant = _concordant(pairs, few, kept, spread)
    off = {
        (i, j): kendall_error(tau, _common(few[i], few[j])) if len(drawn) < in_all else 0.0
        for (i, j), tau in concordant.items()
    }
    relations = [
        Relation(
            **_strength(pairs, i, j),
            explains=_or_none(explained[i, j]),
            explained=_or_none(explained[j, i]),
            pearson=pearson.get((names[i], names[j])),
            kendall=concordant.get((i, j)),
            kendall_error=off.get((i, j), 0.0),
        )
        for i, j in sorted(kept)
    ]
    sizes = np.abs([strengths.values[i, j] for i, j in known])
    order, groups, alone = grouped(names, strengths.values)
    told = Relations(
        pairs=tuple(relations),
        rows=in_all,
        drawn=len(drawn),
        explaining=len(explaining),
        pairs_in_all=len(known),
        median=float(np.median(sizes)) if len(sizes) else None,
        weakest=float(sizes[len(kept) - 1]) if len(kept) < len(known) else 0.0,
        order=order,
        groups=groups,
        alone=alone,
        left_out=left_out,
        lumped={s.name: s.lumped for s in sides if isinstance(s, Levels) and s.lumped},
    )
    return Found(told, pairs, tuple(few))


def _strength(pairs: AllPairs, i: int, j: int) -> dict[str, Any]:
    """The part of a relation that all pairs have."""
    return {
        "one": pairs.names[i],
        "other": pairs.names[j],
        "measure": pairs.measure(i, j),
        "strength": _rounded(pairs.strengths.values[i, j]),
        "error": _rounded(pairs.strengths.errors[i, j]),
        "rows": int(pairs.strengths.rows[i, j]),
    }


def _strengths(sides: Sequence[Side], drawn: NDArray[np.int64], spread: Spread) -> Correlations:
    """All measures in one matrix; pairs of too few common rows have none."""
    k = len(sides)
    found = Correlations(np.full((k, k), np.nan), np.full((k, k), np.nan), np.zeros((k, k)))
    numbers = [i for i, side in enumerate(sides) if isinstance(side, Quantity)]
    levels = [i for i, side in enumerate(sides) if isinstance(side, Levels)]
    quantities = [side for side in sides if isinstance(side, Quantity)]
    categories = [side for side in sides if isinstance(side, Levels)]
    _fill(found, numbers, numbers, rank_correlations(quantities, drawn, spread))
    _fill(found, levels, levels, cramers_vs(categories))
    mixed = etas(categories, quantities, spread)
    _fill(found, levels, numbers, mixed)
    turned = Correlations(mixed.values.T, mixed.errors.T, mixed.rows.T)
    _fill(found, numbers, levels, turned)
    few = found.rows < FEWEST_ROWS
    np.fill_diagonal(few, True)
    found.values[few] = np.nan
    return found


def _fill(
    into: Correlations, down: Sequence[int], along: Sequence[int], part: Correlations
) -> None:
    if down and along:
        places = np.ix_(down, along)
        into.values[places] = part.values
        into.errors[places] = part.errors
        into.rows[places] = part.rows


def _pearson(sides: Sequence[Side]) -> dict[tuple[str, str], float]:
    quantities = [side for side in sides if isinstance(side, Quantity)]
    found = comoments_of([(side.values, side.present) for side in quantities]).correlations()
    return by_names([side.name for side in quantities], found)


def by_names(names: Sequence[str], figures: Floats) -> dict[tuple[str, str], float]:
    """A matrix as figures by two names, in either order, without what is not known."""
    return {
        (names[i], names[j]): float(figures[i, j])
        for i, j in zip(*np.nonzero(~np.isnan(figures)), strict=True)
    }


def _known_pairs(strengths: Correlations) -> list[tuple[int, int]]:
    """Places of the pairs that have a strength, the strongest first."""
    one, other = np.nonzero(np.triu(~np.isnan(strengths.values), 1))
    sizes = np.abs(strengths.values[one, other])
    order = np.lexsort((other, one, -np.round(sizes, 12)))
    return list(zip(one[order].tolist(), other[order].tolist(), strict=True))


def _explaining_rows(sides: Sequence[Side]) -> int:
    """So many drawn rows explain: all, unless there are very many columns."""
    if not sides:
        return 0
    bins = sum(len(s.names) if isinstance(s, Levels) else MOST_BINS for s in sides)
    explained = sum(len(s.names) if isinstance(s, Levels) else 1 for s in sides)
    most = max(_FEWEST_EXPLAINING, _EXPLAINING // (bins * explained))
    return min(len(sides[0].present), most)


def _concordant(
    pairs: AllPairs, sides: Sequence[Side], kept: Sequence[tuple[int, int]], spread: Spread
) -> dict[tuple[int, int], float]:
    """Kendall's tau-b of the strongest pairs of quantities, in the drawn rows."""
    wanted = [pair for pair in kept if pairs.measure(*pair) == "spearman"][:MOST_KENDALL]

    used = sorted({i for pair in wanted for i in pair})
    ranked = dict(zip(used, spread(lambda i: dense_ranks(_values(sides[i])), used), strict=True))

    def tau(pair: tuple[int, int]) -> float | None:
        both = sides[pair[0]].present & sides[pair[1]].present
        return kendall_of_ranks(ranked[pair[0]][both], ranked[pair[1]][both])

    found = zip(wanted, spread(tau, wanted), strict=True)
    return {pair: value for pair, value in found if value is not None}


def _values(side: Side) -> NDArray[Any]:
    assert isinstance(side, Quantity)
    return side.values


def _common(one: Side, other: Side) -> int:
    return int((one.present & other.present).sum())


def _rounded(value: float) -> float:
    """Without the last digits, which depend on the order of summing."""
    return round(float(value), DECIMALS)


def _or_none(value: float) -> float | None:
    return None if np.isnan(value) else _rounded(value)
