"""The smallest group of rows that may be told of, and how counts and shares are told with it.

Counts are rounded to whole multiples of that size. So neither a difference of two counts, nor
what is left of a total, tells a group that is smaller.
"""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

#: Shares and strengths are told in steps no finer than this.
_STEP = 0.01


class Groups(msgspec.Struct, frozen=True):
    """Groups of rows, none told that has fewer than ``smallest``."""

    smallest: int

    def told(self, rows: int) -> int:
        """A count: 0 for none; of fewer than the smallest group that size less one; else rounded.

        So "fewer than ten" is a nine, which nothing else is.
        """
        return self.smallest - 1 if 0 < rows < self.smallest else self.drawn(rows)

    def drawn(self, rows: int) -> int:
        """A count of a bin or a level: 0 where it is too small to be told."""
        size = self.smallest
        return 0 if rows < size else size * ((rows + size // 2) // size)

    def all_drawn(self, counts: Iterable[int]) -> tuple[int, ...]:
        """Counts of several bins."""
        return tuple(self.drawn(count) for count in counts)

    def share(self, share: float, rows: int) -> float:
        """A share of so many rows (0 to 1, or -1 to 1), in steps of no fewer than a group."""
        return max(-1.0, min(1.0, self.measure(share, rows)))

    def measure(self, value: float, rows: int) -> float:
        """A measure over so many rows that has no unit, in the steps of their shares."""
        step = max(_STEP, self.smallest / rows) if rows else 1.0
        return round(round(value / step) * step, 6)

    def is_told(self, rows: int) -> bool:
        """Whether a group has enough rows."""
        return rows >= self.smallest
