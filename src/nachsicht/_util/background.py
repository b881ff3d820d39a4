"""Work for later, done while something else is waited for."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from threading import Thread


def run_in_background(work: Callable[[], object]) -> None:
    """Do on another thread what is needed later: import modules, while this one waits for a disk.

    What fails fails again where it is needed.
    """

    def done() -> None:
        with suppress(Exception):
            work()

    Thread(target=done).start()
