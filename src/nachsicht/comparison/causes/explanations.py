"""What may have happened to a distribution competes: what leaves least unexplained is reported.

What an explanation leaves over counts by how rarely chance leaves as much, and each number that it
was free to choose has a price: a factor of no known unit one, a value and its share two.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from nachsicht.comparison.causes.affine import AffineMap
from nachsicht.comparison.causes.clipping import Cap, Heap
from nachsicht.comparison.causes.spikes import Spike, number_in
from nachsicht.stats.ecdf import Curve, largest_difference

#: What a free number costs, as a logarithm of chance: it must make the rest 20 times as likely.
_PRICE = 3.0

Cause = Cap | Heap | Spike | AffineMap


class Explanation(NamedTuple):
    """A cause, the largest difference of the cumulative shares that it leaves, and its price."""

    cause: Cause
    left_over: float
    free: int

    def cost(self, rows: tuple[int, int]) -> float:
        """Less is better. ``rows``: of the older and the newer version.

        Minus the logarithm of the chance of as large a Kolmogorov-Smirnov distance (its leading
        term), and the price of the free numbers.
        """
        n, m = rows
        return 2 * n * m / (n + m) * self.left_over**2 + _PRICE * self.free


#: The fewest free numbers of some explanations, and what looks for them.
Stage = tuple[int, Callable[[], Iterable[Explanation]]]


def best_of(stages: Iterable[Stage], a: Curve, b: Curve) -> Cause | None:
    """The cause whose explanation costs least; None without any.

    Stages come in the order of their price. No more are asked for once an explanation is so cheap
    that none with more free numbers can be cheaper.
    """
    rows = a.rows, b.rows
    best: Explanation | None = None
    for free, look in stages:
        if best and best.cost(rows) <= _PRICE * free:
            break
        best = min(filter(None, (best, *look())), key=lambda one: one.cost(rows), default=None)
    return best.cause if best else None


def by_cap(cap: Cap, a: Curve, b: Curve) -> Explanation:
    """All values beyond an end lie on it now."""
    return Explanation(cap, largest_difference(a.capped(cap.value, upper=cap.upper), b), 1)


def by_heap(heap: Heap, a: Curve, b: Curve) -> Explanation:
    """Values lie on the multiple of a step next to them: all, or a share of them."""
    left = largest_difference(a, b, heap.step / 2)
    return Explanation(heap, left, 1 if heap.rounded else 2)


def by_spike(spike: Spike, a: Curve, b: Curve) -> Explanation:
    """A value stands in place of others, which are as they were."""
    value = number_in(spike.value)
    assert value is not None
    others = largest_difference(a.without(value), b.without(value))
    return Explanation(spike, (1 - b.share_at(value)) * others, 2)


def by_spike_and(others: Explanation, spike: Spike) -> Explanation:
    """A value stands in place of others, and those were mapped."""
    return Explanation(spike, (1 - spike.share) * others.left_over, 2 + others.free)


def by_map(found: AffineMap | None) -> list[Explanation]:
    """Values of all or of a part of the rows were mapped."""
    return [Explanation(found, found.left_over, found.free)] if found else []
