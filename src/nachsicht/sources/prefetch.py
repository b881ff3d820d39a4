"""Several readers at once whose batches come out in order."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from queue import Full, Queue
from threading import Event
from typing import Any, TypeVar

T = TypeVar("T")

#: Batches that a reader may be ahead.
_AHEAD = 2
_END = object()


def side_by_side(readers: Sequence[Callable[[], Iterator[T]]], most: int) -> Iterator[T]:
    """All batches of the first reader, then those of the second, and so on.

    Parameters
    ----------
    readers : sequence of callables
        Each gives an iterator; it is run in a thread of its own.
    most : int
        How many are run at once.

    Raises
    ------
    Exception
        What a reader raised, in its place; the others are ended.
    """
    queues: list[Queue[Any]] = [Queue(_AHEAD) for _ in readers]
    ended = Event()

    def run(place: int) -> None:
        queue = queues[place]
        try:
            for batch in readers[place]():
                if not _put(queue, (batch, None), ended):
                    return
            _put(queue, (_END, None), ended)
        except BaseException as error:
            _put(queue, (_END, error), ended)

    with ThreadPoolExecutor(most) as pool:
        try:
            for place in range(len(readers)):
                pool.submit(run, place)
            for queue in queues:
                while (received := queue.get())[0] is not _END:
                    yield received[0]
                if received[1] is not None:
                    raise received[1]
        finally:
            ended.set()
            pool.shutdown(cancel_futures=True)


def _put(queue: Queue[Any], item: Any, ended: Event) -> bool:
    """Wait for room, unless nobody takes any more."""
    while not ended.is_set():
        try:
            queue.put(item, timeout=0.2)
        except Full:
            continue
        return True
    return False
