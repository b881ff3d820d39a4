"""What the command prints with."""

from __future__ import annotations

from typing import NoReturn

from rich.console import Console


class _Console(Console):
    def on_broken_pipe(self) -> NoReturn:
        """Leave it to the command, which has an exit status for it."""
        raise BrokenPipeError


def console(width: int | None = None) -> Console:
    """A console on standard output; where that is no terminal, of the width given."""
    found = _Console(highlight=False)
    return found if found.is_terminal or width is None else _Console(highlight=False, width=width)
