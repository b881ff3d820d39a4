"""Findings about the values of a quantity: the cause first, else what is seen."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from nachsicht.columns.infer.sentinels import could_be_sentinel, find_sentinel
from nachsicht.comparison.causes.affine import (
    AffineMap,
    map_between,
    map_of_a_part,
    stretch_between,
)
from nachsicht.comparison.causes.clipping import Cap, Heap, cap_in, heap_in
from nachsicht.comparison.causes.explanations import (
    Cause,
    Explanation,
    Stage,
    best_of,
    by_cap,
    by_heap,
    by_map,
    by_spike,
    by_spike_and,
)
from nachsicht.comparison.causes.out_of_range import beyond_range
from nachsicht.comparison.causes.spikes import Spike, number_in, spikes_in
from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.localise import Place, ratios_in, where_distribution_moved
from nachsicht.findings.thresholds import smallest_size
from nachsicht.i18n import plain_number
from nachsicht.model.column import QuantitySummary
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.stats.ecdf import Curve, largest_difference
from nachsicht.stats.hypothesis_tests import shares_p_value, usual_distance

#: Up to this factor, or down to one over it, a rescaling to no known unit is to be checked.
_SLIGHT = 1.1
#: The centre is reported unless it moved by less than this part of what moved most.
_CENTRE = 0.5
#: A value is one of those heaped on if it rose by less than this part of all of them together.
_OF_HEAP = 0.6
#: A value is new if it held less than this part of its share before. So many are tried with a map.
_NEW, _MOST_TRIED = 0.1, 2
#: One of few different values rose by much if by this part of the rows.
_MUCH = 0.1
#: A value is alone where so many times its rows, at most, lie on its side of the old values.
_ALONE = 1.2
#: A stretch about a value between these shares is one about the centre.
_MIDDLE = np.array([0.05, 0.95])
#: Beyond this share of the rows, values out of range are described by how the distribution moved.
_MANY = 0.3
#: From this distance on the distribution as a whole moved, whether or not that is reported.
_MOVED = 0.1
#: Findings that say why values lie beyond the old range.
_TAKE_ALONG: set[FindingCode] = {"rescaled", "shifted", "sign_flipped", "sentinel_value_new"}


def quantity_findings(
    change: ColumnChange, a: QuantitySummary, b: QuantitySummary, missing_rise: float
) -> Iterator[Finding | None]:
    """What happened to the values of a quantity; ``missing_rise`` is that of its missing share."""
    if change.curves is None:
        return
    if not change.between.in_time:
        if change.distance:
            yield _moved(change, change.distance, a, b, where_distribution_moved(change))
        return
    yield _infinite(change, a, b)
    explained = list(_moves(change, a, b, missing_rise))
    yield from explained
    codes = {finding.code for finding in explained if finding}
    if not codes & _TAKE_ALONG:
        yield _out_of_range(
            change, moved="distribution_shift" in codes or change.distance >= _MOVED
        )


def _moves(
    change: ColumnChange, a: QuantitySummary, b: QuantitySummary, missing_rise: float
) -> Iterator[Finding | None]:
    """Causes by which the distribution moved, or that it did."""
    assert change.curves is not None
    one, other = change.curves
    heap, distance = heap_in(change, a, b), change.distance
    # That a value is a code for missing says so much that nothing has to compete with it.
    cause: Cause | None = _code_at_an_end(change)
    if cause is None:
        found = _explanations(change, one, other, heap, distance, missing_rise)
        cause = best_of(found, one, other)
    if isinstance(cause, Cap):
        yield _capped(change, cause)
        return
    if isinstance(cause, Spike):
        yield _spiked(change, cause, one, missing_rise)
        value, heap = float(cause.value), None
        one, other = one.without(value), other.without(value)
        distance = _beyond_p_value(one, other)
        cause = best_of(_maps(change, one, other, distance), one, other)
    if isinstance(cause, AffineMap):
        yield _mapped(change, cause, distance)
    elif cause is None:
        yield _unexplained(change, a, b, distance, missing_rise)
    # A factor makes multiples by itself.
    if heap and not (isinstance(cause, AffineMap) and cause.factor not in (1.0, -1.0)):
        yield _heaped(change, heap)


def _explanations(
    change: ColumnChange,
    one: Curve,
    other: Curve,
    heap: Heap | None,
    distance: float,
    missing_rise: float,
) -> Iterator[Stage]:
    """What may have happened to the values, in the order of its price."""
    known, *guesses = _maps(change, one, other, distance)
    yield known

    def ends_and_steps() -> Iterator[Explanation]:
        cap = None if heap and heap.rounded else cap_in(change)
        if cap:
            yield by_cap(cap, one, other)
        if heap and heap.rounded and _rounding_explains(one, other, heap):
            yield by_heap(heap, one, other)

    yield 1, ends_and_steps

    def values() -> Iterator[Explanation]:
        spike = _spike_beside_the_rest(change, one, other)
        # It may be one of those that others are heaped on, or hold more of what is left because
        # others are missing.
        of_heap = spike and heap and spike.rise < _OF_HEAP * (heap.share - heap.old_share)
        of_rest = spike and spike.old_share and spike.rise <= missing_rise
        if spike and not of_heap and not of_rest:
            yield by_spike(spike, one, other)
        elif heap and not heap.rounded and _rounding_explains(one, other, heap):
            yield by_heap(heap, one, other)

    yield 2, values
    yield from guesses

    def value_and_map() -> Iterator[Explanation]:
        for spike in spikes_in(change)[:_MOST_TRIED]:
            value = number_in(spike.value)
            if value is None or spike.old_share > _NEW * spike.share:
                continue
            rest = one.without(value), other.without(value)
            for _, look in _maps(change, *rest, _beyond_p_value(*rest)):
                yield from (by_spike_and(found, spike) for found in look())

    yield 3, value_and_map


def _maps(change: ColumnChange, one: Curve, other: Curve, distance: float) -> list[Stage]:
    """Maps of all rows by one number, of a part of them, and by two numbers."""
    a, b = change.old.stats, change.new.stats
    assert isinstance(a, QuantitySummary)
    assert isinstance(b, QuantitySummary)
    if distance < smallest_size("distribution_shift", change.between.settings):
        return [(0, list)]
    # A map takes all rows alike: where one level holds the move, only known ones are.
    place = _place_by_profiles(change)
    decimals = (a.decimals, b.decimals)

    def of_all() -> list[Explanation]:
        return by_map(map_between(one, other, distance, decimals, known_only=place is not None))

    def of_a_part() -> list[Explanation]:
        ratios = ratios_in(change, place) if place else None
        return by_map(map_of_a_part(one, other, distance, ratios))

    def stretched() -> list[Explanation]:
        return by_map(None if place else stretch_between(one, other, distance))

    return [(0, of_all), (1, of_a_part), (2, stretched)]


def _place_by_profiles(change: ColumnChange) -> Place | None:
    """The level that holds the move; with the data at hand, its rows are scanned for it later."""
    return None if change.between.have_rows else where_distribution_moved(change)


def _out_of_range(change: ColumnChange, *, moved: bool) -> Finding | None:
    """Values beyond the old range; where all moved, only those that no move explains."""
    assert change.curves is not None
    columns = max(len(change.between.new.profile.columns), 1)
    found = beyond_range(*change.curves, change.between.settings.alpha / columns)
    if found is None or (moved and not found.far):
        return None
    share = found.rows / max(change.new.present, 1)
    if moved and share > _MANY:
        return None
    facts: dict[str, Fact] = {
        "side": found.side,
        "rows": found.rows,
        "share": share,
        "value": _exact(found.value),
        "bound": _exact(found.bound),
        "away": found.away,
    }
    form = "negative" if found.new_sign else found.side
    at_most = Severity.NOTE if found.new_sign and not found.far else None
    size = found.rows / change.new.rows
    return change.finding("out_of_range", size, facts, form=form, at_most=at_most)


def _infinite(change: ColumnChange, a: QuantitySummary, b: QuantitySummary) -> Finding | None:
    before, now = (s.neg_inf + s.pos_inf for s in (a, b))
    old, new = change.old.present, change.new.present
    # One where there was none before is a fact, and needs no test.
    if not now or (before and not change.between.unlikely(shares_p_value(before, old, now, new))):
        return None
    facts: dict[str, Fact] = {"rows": now, "share": now / new, "old_share": before / max(old, 1)}
    return change.finding("infinite_values_new", now / new, facts)


def _unexplained(
    change: ColumnChange,
    a: QuantitySummary,
    b: QuantitySummary,
    distance: float,
    missing_rise: float,
) -> Finding | None:
    """That the distribution moved, where nothing is known that explains it."""
    if distance < smallest_size("distribution_shift", change.between.settings):
        return None
    # Values that went missing move the distribution by their share at most.
    if distance <= missing_rise / max(1 - change.new.missing_share, 1e-9):
        return None
    return _moved(change, distance, a, b, _place_by_profiles(change))


def _beyond_p_value(one: Curve, other: Curve) -> float:
    """The distance of two spreads, 0 where there are no rows or chance explains it."""
    if not one.rows or not other.rows:
        return 0.0
    distance = largest_difference(one, other)
    return distance if distance > usual_distance(one.rows, other.rows, 1e-4) else 0.0


def _rounding_explains(one: Curve, other: Curve, heap: Heap) -> bool:
    """Whether both spreads are the same but for values put on the step near by."""
    usual = usual_distance(one.rows, other.rows) + one.uncertainty + other.uncertainty
    return largest_difference(one, other, heap.step / 2) <= usual


def _capped(change: ColumnChange, cap: Cap) -> Finding | None:
    return change.finding(
        "clipped",
        cap.share,
        {"cap": cap.value, "rows": cap.rows, "share": cap.share, "outside": cap.beyond},
        form="upper" if cap.upper else "lower",
    )


def _spike_beside_the_rest(change: ColumnChange, one: Curve, other: Curve) -> Spike | None:
    """A value that fills more rows than before, while the others are spread as before.

    Of few different values every one may rise by itself; there only a value counts that
    hardly was there before, or that rose by much while no other did.
    """
    for spike in spikes_in(change):
        value = number_in(spike.value)
        if value is None:
            continue
        discrete = len(one.values) <= 40 and one.complete
        known = discrete and spike.old_share > _NEW * spike.share
        if known and spike.rise < _MUCH:
            continue
        rest = one.without(value), other.without(value)
        if not rest[0].rows or rest[1].rows < 0.02 * other.rows:
            continue
        usual = usual_distance(rest[0].rows, rest[1].rows) + one.uncertainty + other.uncertainty
        left = largest_difference(*rest)
        alike = left <= usual or left < spike.rise / 3 or spike.rise > 0.3
        if left <= usual if known else alike:
            return spike
    return None


def _code_at_an_end(change: ColumnChange) -> Spike | None:
    """A usual code for missing, far away from all other values, that was not there before.

    That it is such a code says so much that a few rows are enough.
    """
    found, before = find_sentinel(change.new), change.curves
    if found is None or before is None or before[0].share_at(float(found.value)):
        return None
    return Spike(str(found.value), found.rows, 0.0, found.rows / change.new.present)


def _spiked(
    change: ColumnChange, spike: Spike, before: Curve, missing_rise: float
) -> Finding | None:
    value = float(spike.value)
    facts: dict[str, Fact] = {
        "value": _exact(value),
        "rows": spike.rows,
        "share": spike.share,
        "old_share": spike.old_share,
    }
    filled = -missing_rise
    if filled > 0.005 and 0.5 < spike.rise * change.new.present / change.new.rows / filled < 2:
        facts |= {"old_missing": change.old.missing_share}
        return change.finding("missing_imputed", spike.rise, facts)
    known_code = could_be_sentinel(value) or _alone_outside(change, value, before, spike.rows)
    if known_code and spike.old_share < 0.1 * spike.share and not _moved_as_one(change, spike):
        return change.finding("sentinel_value_new", spike.share, facts)
    return change.finding("value_spike", spike.rise, facts, form="bounded" if spike.bounded else "")


def _moved_as_one(change: ColumnChange, spike: Spike) -> bool:
    """Whether a value that filled as many rows is gone: then this is what became of it."""
    if change.curves is None or not change.old.top_values:
        return False
    usual = number_in(change.old.top_values[0].value)
    if usual is None:
        return False
    one, other = change.curves
    return one.share_at(usual) > 0.5 * spike.share and not other.share_at(usual)


def _alone_outside(change: ColumnChange, value: float, before: Curve, rows: int) -> bool:
    """Whether a value lies outside of the old ones, with hardly any other on its side."""
    low, high = before.values[[0]], before.values[[-1]]
    if low[0] <= value <= high[0]:
        return False
    if change.curves is None:
        return True
    after = change.curves[1]
    below = value < low[0]
    beyond = after.shares(low)[0][0] if below else 1 - after.shares(high)[1][0]
    return bool(beyond * after.rows <= _ALONE * rows)


def _exact(value: float) -> int | float:
    return int(value) if value.is_integer() else value


def _mapped(change: ColumnChange, found: AffineMap, distance: float) -> Finding | None:
    facts: dict[str, Fact] = {"distance": distance, "residual": found.left_over}
    part: dict[str, Fact] = {"scaled_share": found.part} if found.part < 1 else {}
    if found.is_turned:
        return change.finding("sign_flipped", distance, facts | part, form="part" if part else "")
    if found.is_shift and not found.known:
        way = "up" if found.offset > 0 else "down"
        return change.finding(
            "shifted",
            distance,
            {"shift": float(f"{found.offset:.4g}"), **facts, **part},
            form=f"part_{way}" if part else way,
        )
    # A factor so near to 1 that no unit has may as well be another mix of rows.
    slight = not found.known and found.part == 1.0 and 1 / _SLIGHT < found.factor < _SLIGHT
    offset = found.offset
    facts |= {"factor": found.factor, "offset": offset, "scaled_share": found.part}
    facts |= {"conversion": found.known} if found.known else {}
    facts |= {"added": offset} if offset > 0 else {"subtracted": -offset} if offset < 0 else {}
    centre = offset / (1 - found.factor) if found.factor != 1 and not found.known else None
    low, high = change.curves[0].quantiles(_MIDDLE) if change.curves else (0.0, 0.0)
    if offset and centre is not None and low <= centre <= high:
        form, facts = "stretched", facts | {"centre": centre}
    else:
        form = "" if found.part == 1.0 else "part"
    return change.finding(
        "rescaled",
        distance,
        facts,
        form=form,
        at_most=Severity.CHECK if slight else None,
    )


def _heaped(change: ColumnChange, heap: Heap) -> Finding | None:
    return change.finding(
        "rounded" if heap.rounded else "heaped",
        heap.share - heap.old_share,
        {"step": _exact(heap.step), "share": heap.share, "old_share": heap.old_share},
    )


def _moved(
    change: ColumnChange,
    distance: float,
    a: QuantitySummary,
    b: QuantitySummary,
    place: Place | None = None,
) -> Finding | None:
    old_median, new_median = (_at(summary, 0.5) for summary in (a, b))
    old_high, new_high = (_at(summary, 0.95) for summary in (a, b))
    facts: dict[str, Fact] = {
        "distance": distance,
        "old_median": old_median,
        "new_median": new_median,
    }
    same = plain_number(old_high) == plain_number(new_high)  # as far as anybody would read it
    most = _moved_most(a, b)
    if most == "low":
        facts |= {"old_low": _at(a, 0.05), "new_low": _at(b, 0.05)}
    elif most in ("wider", "narrower"):
        facts |= {"old_spread": _middle_half(a), "new_spread": _middle_half(b)}
    elif most == "high" and same:
        most = ""
    facts |= {"high": new_high} if same else {"old_high": old_high, "new_high": new_high}
    if place:
        facts |= {"by": place.by, "level": place.level, "share_of_shift": place.part}
    direction = "rose" if new_median > old_median else "fell" if new_median < old_median else "same"
    return change.finding("distribution_shift", distance, facts, form=most or direction)


def _moved_most(a: QuantitySummary, b: QuantitySummary) -> str:
    """What moved by far more than the centre: the middle half, high or low values; else empty.

    Each is measured in what it was before: high values by how far they were above the median.
    """
    half = _middle_half(a)
    above, below = _at(a, 0.95) - _at(a, 0.5), _at(a, 0.5) - _at(a, 0.05)
    if not min(half, above, below) > 0:
        return ""
    centre = abs(_at(b, 0.5) - _at(a, 0.5)) / min(half, above, below)
    wider = _middle_half(b) / half - 1
    high, low = (_at(b, 0.95) - _at(a, 0.95)) / above, (_at(b, 0.05) - _at(a, 0.05)) / below
    far, near = sorted((abs(high), abs(low)), reverse=True)
    if centre >= _CENTRE * max(far, abs(wider)):
        return ""
    apart = high * low < 0 and near >= _CENTRE * far
    if apart or abs(wider) >= _CENTRE * far:
        return "wider" if wider > 0 else "narrower"
    return "high" if abs(high) == far else "low"


def _middle_half(summary: QuantitySummary) -> float:
    return _at(summary, 0.75) - _at(summary, 0.25)


def _at(summary: QuantitySummary, share: float) -> float:
    return next(point.value for point in summary.quantiles if point.share == share)
