"""A progress bar on stderr, for work of more than a second, where somebody looks."""

from __future__ import annotations

import sys
import time
from types import TracebackType
from typing import TYPE_CHECKING

from nachsicht.contracts import Progress
from nachsicht.words import phrase

if TYPE_CHECKING:
    from rich.progress import Progress as Bar
    from rich.progress import TaskID

#: Work that is done sooner shows no bar.
PATIENCE_SECONDS = 1.0


class ProgressBar:
    """A listener that draws a bar once patience is over; nothing where stderr is no terminal."""

    def __init__(self, *, quiet: bool) -> None:
        self._silent = quiet or not sys.stderr.isatty()
        self._started = time.monotonic()
        self._bar: Bar | None = None
        self._task: TaskID | None = None

    def __call__(self, progress: Progress) -> None:
        """Take note of how far the work is."""
        if self._silent or time.monotonic() - self._started < PATIENCE_SECONDS:
            return
        if self._bar is None:
            self._bar = _new_bar(progress.what)
            self._bar.start()
            self._task = self._bar.add_task(
                phrase(f"terminal.progress_{progress.what}"), total=progress.total
            )
        assert self._task is not None
        self._bar.update(self._task, completed=progress.done, total=progress.total)

    def __enter__(self) -> ProgressBar:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self._bar is not None:
            self._bar.stop()


def _new_bar(what: str) -> Bar:
    from rich.console import Console
    from rich.progress import (
        BarColumn,
        DownloadColumn,
        MofNCompleteColumn,
        TextColumn,
        TimeRemainingColumn,
    )
    from rich.progress import Progress as RichProgress

    return RichProgress(
        TextColumn("{task.description}"),
        BarColumn(),
        DownloadColumn() if what == "bytes" else MofNCompleteColumn(),
        TimeRemainingColumn(),
        console=Console(stderr=True),
        transient=True,
    )
