"""How strongly any two columns go together, for each pair of kinds.

Quantities, datetimes and durations among each other: Spearman's rank correlation, with Pearson's
and Kendall's beside it. Categories and flags among each other: Cramér's V. A category and a
quantity: the correlation ratio eta of the ranks. All are 0 for columns that have nothing to
do with each other and 1 for columns of which one follows from the other; rank correlations
have a sign. Rows where either is missing are left out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht._util.parallel import ParallelMap, map_in_parts
from nachsicht.associations.categorical import cramers_vs, etas
from nachsicht.associations.clustering import grouped
from nachsicht.associations.encode import (
    CodedVector,
    Floats,
    NumericVector,
    Side,
    sides_of,
)
from nachsicht.associations.explained_share import MOST_BINS, explanations
from nachsicht.associations.kendall import (
    dense_ranks,
    kendall_of_ranks,
    kendall_of_steps,
    steps_of,
)
from nachsicht.associations.pearson import DECIMALS, comoments_of
from nachsicht.associations.spearman import Correlations, rank_correlations
from nachsicht.model.column import ColumnSummary
from nachsicht.model.profile import Relation, Relations, TooFewRows
from nachsicht.stats.quantiles import quantile

#: Fewer common rows tell nothing.
FEWEST_ROWS = 20
#: A profile keeps the strongest pairs, all while they are no more than these.
MOST_PAIRS = 5_000
#: Of those of too few rows, so many are named.
_NAMED = 10
#: Kendall's tau is computed for so many pairs of quantities, the strongest.
MOST_KENDALL = 300
#: Bins times explained columns times rows, at most; beyond, fewer rows explain.
_EXPLAINING = 20_000_000_000
_FEWEST_EXPLAINING = 1_000

#: Pearson's correlation by the names of two columns.
Pearson = Mapping[tuple[str, str], float]
#: Kendall's tau and its error by the places of two columns.
_Taus = dict[tuple[int, int], tuple[float, float]]


class AllPairs(msgspec.Struct, frozen=True, dict=True):
    """Strength, standard error and rows of every pair of columns; NaN where there is none.

    ``numbers`` tells of each column whether it is taken as numbers, not as levels.
    """

    names: tuple[str, ...]
    numbers: tuple[bool, ...]
    strengths: Correlations

    @kept
    def places(self) -> dict[str, int]:
        """Where a column stands."""
        return {name: i for i, name in enumerate(self.names)}

    def measure(self, i: int, j: int) -> str:
        """What the strength of a pair is called."""
        return ("cramers_v", "eta", "spearman")[self.numbers[i] + self.numbers[j]]


class Found(msgspec.Struct, frozen=True):
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
    pmap: ParallelMap = map,
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
    pmap : callable
        As `map`, on as many threads as it likes.
    """
    sides, left_out = sides_of(columns, rows, pmap)
    in_order = np.sort(drawn)
    few = [*pmap(lambda side: side.at(in_order), sides)]
    explaining = drawn[: _explaining_rows(few)]
    for _ in pmap(lambda side: isinstance(side, NumericVector) and side.ranked, sides):
        pass  # ranks are kept with the columns; what follows waits for them
    # On other threads, while this one goes on; they spread nothing themselves.
    beside = pmap(
        lambda work: work(),
        (
            lambda: cramers_vs([side for side in sides if isinstance(side, CodedVector)]),
            lambda: _pearson(sides) if pearson is None else pearson,
            lambda: explanations(_among(few, in_order, np.sort(explaining))),
        ),
    )
    strengths = _strengths(sides, drawn, pmap)
    between_levels, pearson, explained = beside
    _fill(strengths, *_places(sides, CodedVector, CodedVector), between_levels)
    names = tuple(side.name for side in sides)
    few_rows = _without_few(strengths)
    pairs = AllPairs(names, tuple(isinstance(side, NumericVector) for side in sides), strengths)
    known = _known_pairs(strengths)
    kept = known[:MOST_PAIRS]
    ranked = [pair for pair in kept if pairs.measure(*pair) == "spearman"][:MOST_KENDALL]
    if len(drawn) < in_all:
        concordant = _drawn_taus(_among(few, in_order, drawn), ranked, pmap)
    else:
        concordant = _taus(few, ranked, pmap)
    relations = [_relation(pairs, pair, explained, pearson, concordant) for pair in sorted(kept)]
    sizes = np.abs([strengths.values[i, j] for i, j in known])
    order, groups, alone = grouped(names, strengths.values)
    told = Relations(
        pairs=tuple(relations),
        rows=in_all,
        sampled_rows=len(drawn),
        cv_rows=len(explaining),
        total_pairs=len(known),
        median=quantile(np.sort(sizes), 0.5) if len(sizes) else None,
        weakest=float(sizes[len(kept) - 1]) if len(kept) < len(known) else 0.0,
        order=order,
        groups=groups,
        unrelated=alone,
        excluded=left_out,
        merged_levels={s.name: s.lumped for s in sides if isinstance(s, CodedVector) and s.lumped},
        too_few=tuple(
            TooFewRows(x=names[i], y=names[j], rows=int(strengths.rows[i, j]))
            for i, j in few_rows[:_NAMED]
        ),
        total_too_few=len(few_rows),
    )
    return Found(told, pairs, tuple(few))


def _among(
    few: Sequence[Side], in_order: NDArray[np.int64], places: NDArray[np.int64]
) -> list[Side]:
    """The columns at places, all of them among those in order where ``few`` has them already."""
    among = np.searchsorted(in_order, places)
    return [side.at(among) for side in few]


def _relation(
    pairs: AllPairs, pair: tuple[int, int], explained: Floats, pearson: Pearson, taus: _Taus
) -> Relation:
    """Everything that is told of a pair."""
    i, j = pair
    tau, error = taus.get(pair, (None, 0.0))
    return Relation(
        **_strength(pairs, i, j),
        x_predicts_y=_or_none(explained[i, j]),
        y_predicts_x=_or_none(explained[j, i]),
        pearson=pearson.get((pairs.names[i], pairs.names[j])),
        kendall=tau,
        kendall_error_bound=error,
    )


def _strength(pairs: AllPairs, i: int, j: int) -> dict[str, Any]:
    """The part of a relation that all pairs have."""
    return {
        "x": pairs.names[i],
        "y": pairs.names[j],
        "measure": pairs.measure(i, j),
        "value": _rounded(pairs.strengths.values[i, j]),
        "std_error": _rounded(pairs.strengths.errors[i, j]),
        "rows": int(pairs.strengths.rows[i, j]),
    }


def _strengths(sides: Sequence[Side], drawn: NDArray[np.int64], pmap: ParallelMap) -> Correlations:
    """The measures that take ranks, in one matrix of all columns."""
    k = len(sides)
    found = Correlations(np.full((k, k), np.nan), np.full((k, k), np.nan), np.zeros((k, k)))
    quantities = [side for side in sides if isinstance(side, NumericVector)]
    categories = [side for side in sides if isinstance(side, CodedVector)]
    between = rank_correlations(quantities, drawn, pmap)
    _fill(found, *_places(sides, NumericVector, NumericVector), between)
    mixed = etas(categories, quantities, drawn, pmap)
    _fill(found, *_places(sides, CodedVector, NumericVector), mixed)
    turned = Correlations(mixed.values.T, mixed.errors.T, mixed.rows.T)
    _fill(found, *_places(sides, NumericVector, CodedVector), turned)
    return found


def _places(
    sides: Sequence[Side], down: type[Side], along: type[Side]
) -> tuple[list[int], list[int]]:
    """Where the columns of one sort stand, and those of another."""
    return (
        [i for i, side in enumerate(sides) if isinstance(side, down)],
        [i for i, side in enumerate(sides) if isinstance(side, along)],
    )


def _without_few(strengths: Correlations) -> list[tuple[int, int]]:
    """Take away the strength of pairs of too few common rows, and of a column with itself.

    Those pairs are returned, the one with the most rows first.
    """
    few = strengths.rows < FEWEST_ROWS
    np.fill_diagonal(few, True)
    strengths.values[few] = np.nan
    np.fill_diagonal(few, False)
    one, other = np.nonzero(np.triu(few))
    order = np.lexsort((other, one, -strengths.rows[one, other]))
    return list(zip(one[order].tolist(), other[order].tolist(), strict=True))


def _fill(
    into: Correlations, down: Sequence[int], along: Sequence[int], part: Correlations
) -> None:
    if down and along:
        places = np.ix_(down, along)
        into.values[places] = part.values
        into.errors[places] = part.errors
        into.rows[places] = part.rows


def _pearson(sides: Sequence[Side]) -> dict[tuple[str, str], float]:
    quantities = [side for side in sides if isinstance(side, NumericVector)]
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
    bins = sum(len(s.names) if isinstance(s, CodedVector) else MOST_BINS for s in sides)
    explained = sum(len(s.names) if isinstance(s, CodedVector) else 1 for s in sides)
    most = max(_FEWEST_EXPLAINING, _EXPLAINING // (bins * explained))
    return min(len(sides[0].present), most)


def _taus(sides: Sequence[Side], wanted: Sequence[tuple[int, int]], pmap: ParallelMap) -> _Taus:
    """Kendall's tau-b of pairs of quantities, over all rows given."""
    used = sorted({i for pair in wanted for i in pair})
    ranked = dict(zip(used, pmap(lambda i: dense_ranks(_values(sides[i])), used), strict=True))

    def tau(pair: tuple[int, int]) -> float | None:
        both = sides[pair[0]].present & sides[pair[1]].present
        return kendall_of_ranks(ranked[pair[0]][both], ranked[pair[1]][both])

    found = zip(wanted, map_in_parts(pmap, tau, wanted), strict=True)
    return {pair: (value, 0.0) for pair, value in found if value is not None}


def _drawn_taus(
    sides: Sequence[Side], wanted: Sequence[tuple[int, int]], pmap: ParallelMap
) -> _Taus:
    """Kendall's tau-b of pairs of quantities, from drawn rows in the order of their drawing."""
    used = sorted({i for pair in wanted for i in pair})
    steps = pmap(lambda i: steps_of(_values(sides[i]), sides[i].present), used)
    of = dict(zip(used, steps, strict=True))
    found = map_in_parts(pmap, lambda pair: kendall_of_steps(of[pair[0]], of[pair[1]]), wanted)
    return {pair: tau for pair, tau in zip(wanted, found, strict=True) if tau is not None}


def _values(side: Side) -> NDArray[Any]:
    assert isinstance(side, NumericVector)
    return side.values


def _rounded(value: float) -> float:
    """Without the last digits, which depend on the order of summing."""
    return round(float(value), DECIMALS)


def _or_none(value: float) -> float | None:
    return None if np.isnan(value) else _rounded(value)
