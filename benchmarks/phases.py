"""Where the time of one profile, or of a comparison, goes: seconds and processor time by phase.

Run: ``python benchmarks/phases.py OUTPUT FILE [FILE]``. What is loaded in the background while a
file is read is counted with the reading.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from typing import Any

Seconds = tuple[float, float]


def now() -> Seconds:
    """Seconds since the process began, about, and those of its processor time."""
    return time.perf_counter(), time.process_time()


class Phases:
    """Times by name, in the order in which the phases first ended."""

    def __init__(self) -> None:
        self.took: dict[str, Seconds] = {}
        self._last = now()

    def end(self, name: str) -> None:
        """Count the time since the last call under a name."""
        wall, processor = now()
        before = self.took.get(name, (0.0, 0.0))
        self.took[name] = (
            before[0] + wall - self._last[0],
            before[1] + processor - self._last[1],
        )
        self._last = wall, processor

    def between(self, name: str, function: Callable[..., Any], rest: str) -> Callable[..., Any]:
        """The same function, timed under a name; what came before it under another."""

        def timed(*args: Any, **options: Any) -> Any:
            self.end(rest)
            try:
                return function(*args, **options)
            finally:
                self.end(name)

        return timed


def main() -> None:
    """Print a row of a Markdown table for each phase."""
    output, *files = sys.argv[1:]
    phases = Phases()
    import numpy  # noqa: F401
    import pyarrow  # noqa: F401

    phases.end("importing NumPy and Arrow")
    import nachsicht

    made = nachsicht.compare(*files) if len(files) > 1 else nachsicht.profile(files[0])
    phases.end("importing the rest, and reading")
    from nachsicht.engines.in_memory import InMemory

    rest = "row changes, findings and all else"
    for method, name in (("_all_columns", "columns"), ("_relations", "relations")):
        setattr(InMemory, method, phases.between(name, getattr(InMemory, method), rest))
    document = made.document
    phases.end(rest)
    made.write(output)
    phases.end("page or document")
    assert document
    took = phases.took
    took["in all"] = (sum(t[0] for t in took.values()), sum(t[1] for t in took.values()))
    for name, (wall, processor) in took.items():
        print(f"| {name} | {wall:.2f} | {processor:.2f} |")


if __name__ == "__main__":
    main()
