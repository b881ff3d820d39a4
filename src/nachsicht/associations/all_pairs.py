"""How strongly any two columns go together, for each pair of kinds.

Quantities, datetimes and durations among each other: Spearman's rank correlation, with Pearson's
and Kendall's beside it. Categories and flags among each other: Cramér's V. A category and a
quantity: the correlation ratio eta of the ranks. All are 0 for columns that have nothing to
do with each other and 1 for columns of which one follows from the other; rank correlations
have a sign. Rows where either is missing are left out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht._util.parallel import ParallelMap, map_in_parts, start
from nachsicht.associations.categorical import cramers_vs, etas
from nachsicht.associations.clustering import grouped
from nachsicht.associations.encode import (
    CodedVector,
    EncodedColumn,
    Floats,
    NumericVector,
    encode_columns,
)
from nachsicht.associations.explained_share import MOST_BINS, explanations
from nachsicht.associations.from_counts import CountedPairs
from nachsicht.associations.kendall import (
    dense_ranks,
    kendall_of_ranks,
    kendall_of_steps,
    steps_of,
)
from nachsicht.associations.pearson import DECIMALS, comoments_of
from nachsicht.associations.spearman import Correlations, rank_correlations
from nachsicht.kernels.ranks import order_of
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

T = TypeVar("T")
#: Kendall's tau and its error by the places of two columns.
_Taus = dict[tuple[int, int], tuple[float, float]]


class Pearson(msgspec.Struct, frozen=True, dict=True):
    """Pearson's correlations: ``figures`` of shape (columns, columns), NaN where there is none."""

    names: Sequence[str]
    figures: Floats

    @kept
    def places(self) -> dict[str, int]:
        """Where a column stands."""
        return {name: i for i, name in enumerate(self.names)}

    def of(self, one: str, other: str) -> float | None:
        """That of two columns; None where it is not known."""
        i, j = self.places.get(one), self.places.get(other)
        if i is None or j is None or np.isnan(self.figures[i, j]):
            return None
        return float(self.figures[i, j])


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
    drawn: tuple[EncodedColumn, ...]


class _Sample(msgspec.Struct, frozen=True):
    """Evenly drawn rows: ``columns`` hold them in the order of the data.

    ``places`` are those of the rows among them, in the order of their drawing.
    """

    columns: tuple[EncodedColumn, ...]
    places: NDArray[np.int64]

    @staticmethod
    def of(
        encoded: Sequence[EncodedColumn], drawn: NDArray[np.int64], pmap: ParallelMap
    ) -> _Sample:
        in_order = np.sort(drawn)
        columns = tuple(pmap(lambda column: column.at(in_order), encoded))
        return _Sample(columns, np.searchsorted(in_order, drawn))

    def in_drawing_order(self) -> list[EncodedColumn]:
        return [column.at(self.places) for column in self.columns]

    def first(self, rows: int) -> list[EncodedColumn]:
        """The rows that were drawn first, in the order of the data."""
        places = np.sort(self.places[:rows])
        return [column.at(places) for column in self.columns]


def relations_of(
    columns: Sequence[ColumnSummary],
    rows: Any,
    drawn: NDArray[np.int64],
    in_all: int,
    pearson: Pearson | None = None,
    counted: CountedPairs | None = None,
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
    pearson : Pearson, optional
        Pearson's correlations of all rows, where ``rows`` are not all.
    counted : CountedPairs, optional
        Strengths of all rows, where ``rows`` are not all.
    pmap : callable
        As `map`, on as many threads as it likes.
    """
    encoded, excluded = encode_columns(columns, rows, pmap)
    sample = _Sample.of(encoded, drawn, pmap)
    cv_rows = _explaining_rows(sample.columns)
    _rank(encoded, pmap)
    # These go on beside, on other threads, while this one computes the rank correlations.
    levels = start(pmap, lambda: cramers_vs(_of_type(encoded, CodedVector)))
    products = start(pmap, lambda: _pearson(encoded) if pearson is None else pearson)
    strengths = _rank_strengths(encoded, drawn, pmap)
    shares = explanations(sample.first(cv_rows), pmap)
    _fill(strengths, *_places(encoded, CodedVector, CodedVector), levels())
    names = tuple(column.name for column in encoded)
    bounds = _fill_counted(strengths, names, counted) if counted else {}
    too_few = _without_few(strengths)
    pairs = AllPairs(
        names,
        tuple(isinstance(column, NumericVector) for column in encoded),
        strengths,
    )
    known = _known_pairs(strengths)
    sizes = np.abs(strengths.values[known])
    kept = _as_pairs(known[0][:MOST_PAIRS], known[1][:MOST_PAIRS])
    taus = _taus_of(pairs, kept, sample, complete=len(drawn) == in_all, pmap=pmap)
    explained, moments = shares(), products()
    order, groups, unrelated = grouped(pairs.names, strengths.values)
    relations = Relations(
        pairs=tuple(
            _relation(pairs, pair, explained, moments, taus, bounds) for pair in sorted(kept)
        ),
        rows=in_all,
        sampled_rows=len(drawn),
        cv_rows=cv_rows,
        total_pairs=len(sizes),
        median=quantile(np.sort(sizes), 0.5) if len(sizes) else None,
        weakest=float(sizes[len(kept) - 1]) if len(kept) < len(sizes) else 0.0,
        order=order,
        groups=groups,
        unrelated=unrelated,
        excluded=excluded,
        merged_levels={c.name: c.lumped for c in _of_type(encoded, CodedVector) if c.lumped}
        | (counted.merged_levels if counted else {}),
        too_few=tuple(_too_few(pairs, pair) for pair in too_few[:_NAMED]),
        total_too_few=len(too_few),
    )
    return Found(relations, pairs, sample.columns)


def _rank(encoded: Sequence[EncodedColumn], pmap: ParallelMap) -> None:
    """Compute the ranks of all numbers; they are kept with the columns."""
    for _ in pmap(lambda column: column.ranked, _of_type(encoded, NumericVector)):
        pass


def _of_type(encoded: Sequence[EncodedColumn], wanted: type[T]) -> list[T]:
    return [column for column in encoded if isinstance(column, wanted)]


def _taus_of(
    pairs: AllPairs,
    kept: Sequence[tuple[int, int]],
    sample: _Sample,
    *,
    complete: bool,
    pmap: ParallelMap,
) -> _Taus:
    """Kendall's tau of the strongest pairs of quantities, exact where the sample is complete."""
    ranked = [pair for pair in kept if pairs.measure(*pair) == "spearman"][:MOST_KENDALL]
    if complete:
        return _taus(sample.columns, ranked, pmap)
    return _drawn_taus(sample.in_drawing_order(), ranked, pmap)


def _too_few(pairs: AllPairs, pair: tuple[int, int]) -> TooFewRows:
    i, j = pair
    return TooFewRows(x=pairs.names[i], y=pairs.names[j], rows=int(pairs.strengths.rows[i, j]))


def _relation(
    pairs: AllPairs,
    pair: tuple[int, int],
    explained: Floats,
    pearson: Pearson,
    taus: _Taus,
    bounds: Mapping[tuple[int, int], float],
) -> Relation:
    """Everything that is known of a pair."""
    i, j = pair
    tau, error = taus.get(pair, (None, 0.0))
    return Relation(
        **_strength(pairs, i, j),
        error_bound=bounds.get(pair, 0.0),
        x_predicts_y=_or_none(explained[i, j]),
        y_predicts_x=_or_none(explained[j, i]),
        pearson=pearson.of(pairs.names[i], pairs.names[j]),
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


def _rank_strengths(
    encoded: Sequence[EncodedColumn], drawn: NDArray[np.int64], pmap: ParallelMap
) -> Correlations:
    """The measures that take ranks, in one matrix of all columns."""
    k = len(encoded)
    found = Correlations(np.full((k, k), np.nan), np.full((k, k), np.nan), np.zeros((k, k)))
    quantities, categories = _of_type(encoded, NumericVector), _of_type(encoded, CodedVector)
    between = rank_correlations(quantities, drawn, pmap)
    _fill(found, *_places(encoded, NumericVector, NumericVector), between)
    mixed = etas(categories, quantities, drawn, pmap)
    _fill(found, *_places(encoded, CodedVector, NumericVector), mixed)
    turned = Correlations(mixed.values.T, mixed.errors.T, mixed.rows.T)
    _fill(found, *_places(encoded, NumericVector, CodedVector), turned)
    return found


def _places(
    encoded: Sequence[EncodedColumn], down: type[EncodedColumn], along: type[EncodedColumn]
) -> tuple[list[int], list[int]]:
    """Where the columns of one sort stand, and those of another."""
    return (
        [i for i, side in enumerate(encoded) if isinstance(side, down)],
        [i for i, side in enumerate(encoded) if isinstance(side, along)],
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
    return _as_pairs(one[order], other[order])


def _as_pairs(one: NDArray[np.int64], other: NDArray[np.int64]) -> list[tuple[int, int]]:
    return list(zip(one.tolist(), other.tolist(), strict=True))


def _fill(
    into: Correlations, down: Sequence[int], along: Sequence[int], part: Correlations
) -> None:
    if down and along:
        places = np.ix_(down, along)
        into.values[places] = part.values
        into.errors[places] = part.errors
        into.rows[places] = part.rows


def _fill_counted(
    into: Correlations, names: Sequence[str], counted: CountedPairs
) -> dict[tuple[int, int], float]:
    """Put strengths of all rows where those of drawn rows are; returned are their bounds."""
    places = {name: i for i, name in enumerate(names)}
    bounds = {}
    for pair, known in counted.strengths.items():
        if not all(name in places for name in pair):
            continue
        i, j = sorted(places[name] for name in pair)
        for place in ((i, j), (j, i)):
            into.values[place], into.errors[place] = known.value, known.error
            into.rows[place] = known.rows
        bounds[i, j] = known.bound
    return bounds


def _pearson(encoded: Sequence[EncodedColumn]) -> Pearson:
    quantities = _of_type(encoded, NumericVector)
    found = comoments_of([(side.values, side.present) for side in quantities]).correlations()
    return Pearson([side.name for side in quantities], found)


def _known_pairs(strengths: Correlations) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Places of the pairs that have a strength, the strongest first."""
    one, other = np.nonzero(np.triu(~np.isnan(strengths.values), 1))
    # Equal ones stay in the order of the columns.
    sizes = np.round(np.abs(strengths.values[one, other]), 12)
    order = order_of(-sizes)
    return one[order], other[order]


def _explaining_rows(encoded: Sequence[EncodedColumn]) -> int:
    """So many drawn rows explain: all, unless there are very many columns."""
    if not encoded:
        return 0
    bins = sum(len(s.names) if isinstance(s, CodedVector) else MOST_BINS for s in encoded)
    explained = sum(len(s.names) if isinstance(s, CodedVector) else 1 for s in encoded)
    most = max(_FEWEST_EXPLAINING, _EXPLAINING // (bins * explained))
    return min(len(encoded[0].present), most)


def _taus(
    encoded: Sequence[EncodedColumn], wanted: Sequence[tuple[int, int]], pmap: ParallelMap
) -> _Taus:
    """Kendall's tau-b of pairs of quantities, over all rows given."""
    used = sorted({i for pair in wanted for i in pair})
    ranked = dict(zip(used, pmap(lambda i: dense_ranks(_values(encoded[i])), used), strict=True))

    def tau(pair: tuple[int, int]) -> float | None:
        both = encoded[pair[0]].present & encoded[pair[1]].present
        return kendall_of_ranks(ranked[pair[0]][both], ranked[pair[1]][both])

    found = zip(wanted, map_in_parts(pmap, tau, wanted), strict=True)
    return {pair: (value, 0.0) for pair, value in found if value is not None}


def _drawn_taus(
    encoded: Sequence[EncodedColumn], wanted: Sequence[tuple[int, int]], pmap: ParallelMap
) -> _Taus:
    """Kendall's tau-b of pairs of quantities, from drawn rows in the order of their drawing."""
    used = sorted({i for pair in wanted for i in pair})
    steps = pmap(lambda i: steps_of(_values(encoded[i]), encoded[i].present), used)
    of = dict(zip(used, steps, strict=True))
    found = map_in_parts(pmap, lambda pair: kendall_of_steps(of[pair[0]], of[pair[1]]), wanted)
    return {pair: tau for pair, tau in zip(wanted, found, strict=True) if tau is not None}


def _values(side: EncodedColumn) -> NDArray[Any]:
    assert isinstance(side, NumericVector)
    return side.values


def _rounded(value: float) -> float:
    """Without the last digits, which depend on the order of summing."""
    return round(float(value), DECIMALS)


def _or_none(value: float) -> float | None:
    return None if np.isnan(value) else _rounded(value)
