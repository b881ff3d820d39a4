"""Values held back at a cap, put on rounder numbers, or texts cut at a length."""

from __future__ import annotations

import msgspec
import numpy as np

from nachsicht.comparison.context import ColumnChange
from nachsicht.model.column import QuantitySummary
from nachsicht.stats.ecdf import Curve, largest_difference
from nachsicht.stats.hypothesis_tests import shares_p_value, usual_distance

#: Less than this part of the rows beyond a cap shows nothing.
_SMALLEST_BEYOND = 0.004
#: Nearly all values on a step: they were rounded to it. Not nearly all: heaped.
_ROUNDED = 0.985
#: From such a share on, the step is that in which the values were written already.
_SMALLEST_HEAP, _USUAL = 0.05, 0.9


class Cap(msgspec.Struct, frozen=True):
    """A value at an end that holds the rows which formerly lay beyond it."""

    value: float
    upper: bool
    rows: int
    share: float
    beyond: float


def cap_in(change: ColumnChange) -> Cap | None:
    """The cap at which values are held now; None if there is none.

    No value lies beyond the end, where formerly some did; the end holds about as many rows
    as formerly lay on and beyond it; and what lies within is spread as before.
    """
    if change.curves is None:
        return None
    a, b = change.curves
    for upper in (True, False):
        found = _cap_at_top(change, a, b) if upper else _mirrored(change, a, b)
        if found:
            return found
    return None


def _mirrored(change: ColumnChange, a: Curve, b: Curve) -> Cap | None:
    found = _cap_at_top(change, a.mapped(-1.0), b.mapped(-1.0))
    return found and Cap(-found.value, False, found.rows, found.share, found.beyond)


def _cap_at_top(change: ColumnChange, a: Curve, b: Curve) -> Cap | None:
    cap = float(b.values[-1])
    beyond = 1 - float(a.shares(np.array([cap]))[1][0])
    rows = b.at_most[-1] - b.below[-1]
    on_cap = rows / b.rows
    if rows < 4 or beyond < _SMALLEST_BEYOND:
        return None
    former = a.share_at(cap) + beyond
    unlikely = change.between.unlikely
    gone = shares_p_value(beyond * a.rows, a.rows, 0, b.rows)
    heaped = shares_p_value(a.share_at(cap) * a.rows, a.rows, rows, b.rows)
    if not (unlikely(gone) and unlikely(heaped)):
        return None
    usual = usual_distance(a.rows, b.rows) + a.uncertainty + b.uncertainty
    if abs(on_cap - former) > max(usual, 0.25 * former):
        return None
    lower = -np.inf
    one, other = a.up_to(lower, cap), b.up_to(lower, cap)
    if one is None or other is None:
        return None
    if largest_difference(one, other) > 1.5 * usual + 0.02:
        return None
    return Cap(cap, True, int(rows), on_cap, beyond)


#: A step rose about as much as another if it did by this part of it.
_AS_MUCH = 0.85


class Heap(msgspec.Struct, frozen=True):
    """A step of which more values are whole multiples than before."""

    step: float
    old_share: float
    share: float
    rounded: bool


def heap_in(change: ColumnChange, a: QuantitySummary, b: QuantitySummary) -> Heap | None:
    """The step on which values are heaped, or to which all are rounded; None if there is none."""
    before = {entry.value: entry.count for entry in a.round_number_counts}
    if not a.n_finite or not b.n_finite or not before:
        return None
    finest, heaps = min(before), []
    for entry in b.round_number_counts:
        # A step that is not listed is finer than the old values, or only zero was a multiple.
        old = before.get(entry.value, a.n_finite if entry.value < finest else a.zeros)
        old_share, share = old / a.n_finite, entry.count / b.n_finite
        p_value = shares_p_value(old, a.n_finite, entry.count, b.n_finite)
        unlikely = change.between.unlikely(p_value, len(b.round_number_counts))
        usual = old_share >= _USUAL  # values are written so anyway
        if usual or share - old_share < _SMALLEST_HEAP or not unlikely:
            continue
        heaps.append(Heap(entry.value, old_share, share, share >= _ROUNDED))
    # The coarsest step that all values are rounded to; else the coarsest that rose about as much
    # as any does.
    most = max(map(_gain, heaps), default=0.0)
    wanted = [h for h in heaps if h.rounded] or [h for h in heaps if _gain(h) > _AS_MUCH * most]
    return max(wanted, key=lambda heap: heap.step, default=None)


def _gain(heap: Heap) -> float:
    return heap.share - heap.old_share


class Cut(msgspec.Struct, frozen=True):
    """A length at which texts end that were longer before."""

    length: int
    rows: int
    share: float
    old_longest: int


def cut_in(change: ColumnChange, a: QuantitySummary, b: QuantitySummary) -> Cut | None:
    """The length at which texts are cut now, from the lengths in characters."""
    if not a.n_finite or not b.n_finite:
        return None
    one, other = Curve.of_knots(a.ecdf), Curve.of_knots(b.ecdf)
    length = float(other.values[-1])
    beyond = 1 - float(one.shares(np.array([length]))[1][0])
    rows = other.at_most[-1] - other.below[-1]
    if rows < 4 or beyond < _SMALLEST_BEYOND:
        return None
    unlikely = change.between.unlikely
    if not unlikely(shares_p_value(beyond * one.rows, one.rows, 0, other.rows)):
        return None
    if not unlikely(shares_p_value(one.share_at(length) * one.rows, one.rows, rows, other.rows)):
        return None
    if rows / other.rows < 0.5 * beyond:
        return None
    return Cut(int(length), int(rows), rows / other.rows, int(one.values[-1]))
