"""A thread for each core, and no more from within the libraries."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache

from threadpoolctl import ThreadpoolController


@cache
def libraries() -> ThreadpoolController:
    """That have threads of their own; looked for once, since that takes a while."""
    return ThreadpoolController()


@contextmanager
def threads(most: int) -> Iterator[ThreadPoolExecutor]:
    """So many threads at most; as many as there are cores, where ``most`` is 0.

    Columns and blocks of rows go to a thread each; products of matrices would put all cores
    on each of them.
    """
    with (
        libraries().limit(limits=1, user_api="blas"),
        ThreadPoolExecutor(most or os.cpu_count() or 1) as pool,
    ):
        yield pool


@contextmanager
def beside(most: int, pool: ThreadPoolExecutor) -> Iterator[ThreadPoolExecutor]:
    """One thread more, for what others need not wait for; the pool itself, if it has but one."""
    if most == 1:
        yield pool
        return
    with ThreadPoolExecutor(1) as one:
        yield one
