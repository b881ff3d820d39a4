"""A progress bar for work of more than a second, where somebody looks: terminal or notebook."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from types import TracebackType
from typing import Any, NamedTuple, Protocol

from nachsicht.i18n import phrase

#: Work that is done sooner shows no bar.
PATIENCE_SECONDS = 1.0


class Progress(NamedTuple):
    """How far a piece of work has come: ``done`` of ``total`` units of ``what``."""

    what: str
    done: int
    total: int


#: Called from time to time during long work, never from two threads at once.
ProgressListener = Callable[[Progress], None]


def ignore_progress(_: Progress) -> None:
    """A listener for those who do not want to know."""


class _Drawn(Protocol):
    """A bar that is there."""

    def show(self, progress: Progress) -> None:
        """Draw how far the work is."""

    def stop(self) -> None:
        """Take it away."""


class ProgressBar:
    """A listener that draws a bar once patience is over, and takes it away when all is done.

    Nothing is drawn where standard error is neither a terminal nor that of a notebook.
    """

    def __init__(self, *, quiet: bool = False) -> None:
        self._notebook = in_notebook()
        self._silent = quiet or not (self._notebook or sys.stderr.isatty())
        self._started: float | None = None
        self._bar: _Drawn | None = None

    def __call__(self, progress: Progress) -> None:
        """Take note of how far the work is."""
        if self._silent:
            return
        if self._started is None:
            self._started = time.monotonic()
        if progress.done >= progress.total:
            self._stop()
        elif time.monotonic() - self._started >= PATIENCE_SECONDS:
            if self._bar is None:
                self._bar = _NotebookBar() if self._notebook else _TerminalBar(progress)
            self._bar.show(progress)

    def __enter__(self) -> ProgressBar:
        self._started = time.monotonic()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._stop()

    def _stop(self) -> None:
        if self._bar is not None:
            self._bar.stop()
        self._bar = None


def in_notebook() -> bool:
    """Whether the code runs in a notebook's kernel."""
    ipython = sys.modules.get("IPython")
    shell = ipython.get_ipython() if ipython else None
    return shell is not None and hasattr(shell, "kernel")


class _NotebookBar:
    """The browser's own bar, in one output that is replaced and emptied in the end."""

    def __init__(self) -> None:
        from IPython.display import HTML, display

        self._html: Any = HTML
        self._handle: Any = display(HTML(""), display_id=True)

    def show(self, progress: Progress) -> None:
        text = phrase(f"terminal.progress_{progress.what}")
        bar = f'<progress max="{progress.total}" value="{progress.done}"></progress>'
        share = f"{100 * progress.done / max(progress.total, 1):.0f} %"
        self._handle.update(self._html(f"<p>{text} {bar} {share}</p>"))

    def stop(self) -> None:
        self._handle.update(self._html(""))


class _TerminalBar:
    """A bar on standard error that leaves no trace."""

    def __init__(self, progress: Progress) -> None:
        from rich.console import Console
        from rich.progress import (
            BarColumn,
            DownloadColumn,
            MofNCompleteColumn,
            TextColumn,
            TimeRemainingColumn,
        )
        from rich.progress import Progress as Bar

        self._bar = Bar(
            TextColumn("{task.description}"),
            BarColumn(),
            DownloadColumn() if progress.what == "bytes" else MofNCompleteColumn(),
            TimeRemainingColumn(),
            console=Console(stderr=True),
            transient=True,
        )
        self._bar.start()
        text = phrase(f"terminal.progress_{progress.what}")
        self._task = self._bar.add_task(text, total=progress.total)

    def show(self, progress: Progress) -> None:
        self._bar.update(self._task, completed=progress.done, total=progress.total)

    def stop(self) -> None:
        self._bar.stop()
