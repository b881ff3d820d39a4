"""Pairs of columns drawn as suits their kinds: grids, boxes, shares, and columns over time."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from nachsicht._util.parallel import ParallelMap
from nachsicht.associations.encode import CodedVector, EncodedColumn, Floats, NumericVector
from nachsicht.model.pair_plots import (
    BOX_SHARES,
    Axis,
    Box,
    BoxesView,
    GridView,
    PairView,
    Part,
    SharesView,
    View,
)
from nachsicht.model.profile import Relation, Relations
from nachsicht.stats.hist2d import axis_of, grid_of, places_on
from nachsicht.stats.quantiles import quantile
from nachsicht.table.time_series import time_view, units_of

#: Pairs that are drawn: all of a few columns, the strongest, those with the outcome.
ALL_OF, STRONGEST, WITH_OUTCOME = 6, 14, 24
#: Weaker pairs are not drawn for their strength.
_WEAK = 0.1
#: Of so many pairs, the strongest, the parts by a third column are kept; its levels at most.
SPLIT, MOST_PARTS = 6, 4
#: Fewer rows are not drawn.
_FEWEST_ROWS = 10


def views_of(
    relations: Relations,
    encoded: Sequence[EncodedColumn],
    outcome: str | None,
    pmap: ParallelMap = map,
) -> tuple[PairView, ...]:
    """The pairs that a profile keeps to be drawn, the strongest first."""
    named = {side.name: side for side in encoded}
    ranked = sorted(relations.pairs, key=lambda pair: (-abs(pair.value), pair.x, pair.y))
    wanted = [pair for pair in ranked if abs(pair.value) >= _WEAK][:STRONGEST]
    if len(encoded) <= ALL_OF:
        wanted = ranked
    with_outcome = [pair for pair in ranked if outcome in (pair.x, pair.y)]
    wanted += [pair for pair in with_outcome[:WITH_OUTCOME] if pair not in wanted]

    def view(place: int) -> PairView | None:
        pair = wanted[place]
        split = _to_split(pair, ranked, named, outcome) if place < SPLIT else None
        return pair_view(named[pair.x], named[pair.y], split)

    return tuple(found for found in pmap(view, range(len(wanted))) if found)


def more_views(
    wanted: Iterable[tuple[str, str]],
    encoded: Mapping[str, EncodedColumn],
    known: Sequence[PairView],
) -> tuple[PairView, ...]:
    """The known views, and those of further pairs."""
    there = {frozenset((view.x, view.y)) for view in known}
    found = list(known)
    for one, other in wanted:
        if frozenset((one, other)) in there or one not in encoded or other not in encoded:
            continue
        there.add(frozenset((one, other)))
        view = pair_view(encoded[one], encoded[other])
        if view:
            found.append(view)
    return tuple(found)


def _to_split(
    pair: Relation,
    ranked: Sequence[Relation],
    encoded: Mapping[str, EncodedColumn],
    outcome: str | None,
) -> CodedVector | None:
    """The third column that parts a pair: the outcome, or the category most tied to the two.

    What is drawn over time is not parted.
    """
    if any(_is_datetime(encoded[name]) for name in (pair.x, pair.y)):
        return None
    two = {pair.x, pair.y}

    def fits(name: str) -> CodedVector | None:
        side = encoded.get(name)
        fit = isinstance(side, CodedVector) and len(side.names) <= MOST_PARTS
        return side if fit and name not in two and isinstance(side, CodedVector) else None

    if outcome and (side := fits(outcome)):
        return side
    for other in ranked:
        third = {other.x, other.y} - two
        if len(third) == 1 and abs(other.value) >= _WEAK and (side := fits(min(third))):
            return side
    return None


def pair_view(
    one: EncodedColumn, other: EncodedColumn, split: CodedVector | None = None
) -> PairView | None:
    """Two columns as suits their kinds; None where hardly a row has both.

    Parameters
    ----------
    one, other : EncodedColumn
        Of the same rows.
    split : Levels, optional
        A third column, for whose levels the pair is drawn too.
    """
    one, other = _ordered(one, other)
    both = one.present & other.present
    rows = np.flatnonzero(both)
    if _is_datetime(one) and not _is_datetime(other):
        rows = np.flatnonzero(one.present)  # missing values over time are reported too
    if len(rows) < _FEWEST_ROWS:
        return None
    view = _view(one.at(rows), other.at(rows))
    parts = []
    if split is not None:
        for code, level in enumerate(split.names):
            inside = rows[split.codes[rows] == code]
            if len(inside) >= _FEWEST_ROWS:
                part = _view(one.at(inside), other.at(inside), like=view)
                parts.append(Part(level, len(inside), part))
    by = split.name if split is not None and len(parts) > 1 else None
    return PairView(
        x=one.name,
        y=other.name,
        rows=int(both.sum()),
        view=view,
        split_by=by,
        facets=tuple(parts) if by else (),
    )


def _is_datetime(side: EncodedColumn) -> bool:
    return isinstance(side, NumericVector) and side.ticks > 0


def _ordered(one: EncodedColumn, other: EncodedColumn) -> tuple[EncodedColumn, EncodedColumn]:
    """The moment first; else the category before the quantity."""

    def rank(side: EncodedColumn) -> int:
        if _is_datetime(side):
            return 0
        return 2 if isinstance(side, NumericVector) else 1

    return (one, other) if rank(one) <= rank(other) else (other, one)


def _view(one: EncodedColumn, other: EncodedColumn, like: View | None = None) -> View:
    """The view of complete rows, on the axes of another view if there is one."""
    if not isinstance(one, NumericVector):
        return _boxes(one, other, like) if isinstance(other, NumericVector) else _shares(one, other)
    if one.ticks and not (isinstance(other, NumericVector) and other.ticks):
        return time_view(*units_of(one), other)
    assert isinstance(other, NumericVector)
    axes = (like.x, like.y) if isinstance(like, GridView) else (_axis(one), _axis(other))
    return grid_of(one.in_milliseconds(), other.in_milliseconds(), axes)


def _axis(side: NumericVector) -> Axis:
    return axis_of(side.in_milliseconds(), time=side.ticks > 0)


def _boxes(levels: CodedVector, quantity: NumericVector, like: View | None) -> BoxesView:
    values = quantity.in_milliseconds().astype(np.float64)
    axis = like.axis if isinstance(like, BoxesView) else _axis(quantity)
    boxes = [
        _box(level, np.sort(values[levels.codes == code]), axis)
        for code, level in enumerate(levels.names)
    ]
    return BoxesView(
        axis=axis,
        boxes=tuple(box for box in boxes if box.rows),
        overall=_quantiles(np.sort(values)),
    )


def _box(level: str, values: Floats, axis: Axis) -> Box:
    if not len(values):
        return Box(level, 0, 0.0, 0.0, 0, (), ())
    quantiles = _quantiles(values)
    low, high = quantiles[4], quantiles[14]
    reach = 1.5 * (high - low)
    inside = values[(values >= low - reach) & (values <= high + reach)]
    places = places_on(axis, values)
    return Box(
        level,
        len(values),
        float(inside[0]),
        float(inside[-1]),
        len(values) - len(inside),
        quantiles,
        tuple(np.bincount(places[places >= 0], minlength=axis.bins).tolist()),
    )


def _quantiles(ordered: Floats) -> tuple[float, ...]:
    return tuple(quantile(ordered, share) for share in BOX_SHARES)


def _shares(one: CodedVector, other: CodedVector) -> SharesView:
    width = len(other.names)
    counts = np.bincount(one.codes * width + other.codes, minlength=len(one.names) * width)
    return SharesView(x_levels=one.names, y_levels=other.names, counts=tuple(counts.tolist()))
