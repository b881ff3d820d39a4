"""Work on many things, spread over as many threads as whoever calls likes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain
from typing import Any, TypeVar

T = TypeVar("T")
U = TypeVar("U")

#: As `map`; what it gives stands in the order of what it was given.
ParallelMap = Callable[..., Iterable[Any]]

#: Of work that takes little each, so many parts are spread.
_PARTS = 8


def map_in_parts(pmap: ParallelMap, function: Callable[[T], U], things: Sequence[T]) -> Iterator[U]:
    """As `map`, of many things that take so little each that handing them over takes longer."""
    size = max(-(-len(things) // _PARTS), 1)
    parts = [things[start : start + size] for start in range(0, len(things), size)]
    return chain.from_iterable(pmap(lambda part: [function(thing) for thing in part], parts))


def start(pmap: ParallelMap, work: Callable[[], T]) -> Callable[[], T]:
    """Begin a computation beside; the function returned waits for its result.

    With plain `map` it is computed when its result is asked for. The work must not spread parts of
    its own.
    """
    results = iter(pmap(lambda run: run(), (work,)))
    return lambda: next(results)
