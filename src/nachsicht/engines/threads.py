"""A thread for each core, and no more from within the libraries."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

from threadpoolctl import threadpool_limits

from nachsicht.settings import Settings


@contextmanager
def threads(settings: Settings) -> Iterator[ThreadPoolExecutor]:
    """As many threads as the settings say.

    Columns and blocks of rows go to a thread each; products of matrices would put all cores
    on each of them.
    """
    with (
        threadpool_limits(1, "blas"),
        ThreadPoolExecutor(settings.threads or os.cpu_count() or 1) as pool,
    ):
        yield pool
