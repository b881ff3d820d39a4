"""Which columns go missing together, and where along the rows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import combinations
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.model.missing import (
    MissingByBlock,
    MissingGroup,
    MissingPair,
    MissingPattern,
    MissingPatterns,
)

#: So many patterns are kept in a profile, the most frequent ones.
MOST_PATTERNS = 30
#: So many different patterns are distinguished at all.
MOST_KNOWN = 20_000
#: Rows of a block at first; blocks grow by doubling, so that there are never more than these.
_FIRST_BLOCK, MOST_BLOCKS = 64, 128
#: Pairs that share so much of their missing values are a group, and so many pairs are kept.
TOGETHER, MOST_PAIRS = 0.8, 40
#: Two columns that share fewer rows without a value tell nothing.
_FEWEST_SHARED = 5
#: Columns whose missing values fit into the bits of one number.
_BITS = 62

Pattern = tuple[int, ...]


class GapPatternsPart(msgspec.Struct, frozen=True):
    """Rows by the positions of their missing columns, and missing values by block of rows.

    ``blocks`` counts, for each column, the missing values of every block of ``block_rows`` rows,
    from the first row of the data on. Patterns beyond the most that are distinguished are only
    counted.
    """

    rows: int = 0
    patterns: Counter[Pattern] = msgspec.field(default_factory=Counter)
    beyond: int = 0
    block_rows: int = _FIRST_BLOCK
    blocks: dict[int, NDArray[np.int64]] = msgspec.field(default_factory=dict)

    def merge(self, other: GapPatternsPart) -> GapPatternsPart:
        """Put two parts of the same data together; each knows where its rows stand."""
        patterns = self.patterns + other.patterns
        beyond = self.beyond + other.beyond
        if len(patterns) > MOST_KNOWN:
            kept = Counter(dict(_most_frequent(patterns, MOST_KNOWN)))
            beyond += patterns.total() - kept.total()
            patterns = kept
        size = max(self.block_rows, other.block_rows)
        one, two = self._in_blocks_of(size), other._in_blocks_of(size)
        blocks = {name: _added(one.get(name), two.get(name)) for name in {**one, **two}}
        merged = GapPatternsPart(self.rows + other.rows, patterns, beyond, size, blocks)
        return merged._within()

    def _within(self) -> GapPatternsPart:
        """The part with no more blocks than are kept."""
        longest = max(map(len, self.blocks.values()), default=0)
        size = self.block_rows
        while longest > MOST_BLOCKS:
            size, longest = 2 * size, (longest + 1) // 2
        return GapPatternsPart(
            self.rows, self.patterns, self.beyond, size, self._in_blocks_of(size)
        )

    def _in_blocks_of(self, size: int) -> dict[int, NDArray[np.int64]]:
        factor = size // self.block_rows
        if factor == 1:
            return dict(self.blocks)
        return {
            name: np.add.reduceat(counts, np.arange(0, len(counts), factor))
            for name, counts in self.blocks.items()
        }

    def finish(self, names: Sequence[str]) -> MissingPatterns:
        """The patterns with names, pairs and groups that go missing together, and places."""
        complete = self.patterns.get((), 0)
        found = _most_frequent(
            Counter({pattern: rows for pattern, rows in self.patterns.items() if pattern}),
            MOST_PATTERNS,
        )
        listed_rows = sum(rows for _, rows in found)
        pairs = _pairs(self.patterns)
        return MissingPatterns(
            rows=self.rows,
            complete_rows=complete,
            patterns=tuple(
                MissingPattern(tuple(names[i] for i in pattern), rows) for pattern, rows in found
            ),
            other_patterns=max(len(self.patterns) - bool(complete) - len(found), 0),
            other_rows=self.rows - complete - listed_rows,
            sole_missing={
                names[i]: self.patterns[(i,)] for i in range(len(names)) if (i,) in self.patterns
            },
            pairs=tuple(
                MissingPair(names[a], names[b], both, shared)
                for a, b, both, shared in pairs[:MOST_PAIRS]
            ),
            groups=tuple(
                MissingGroup(tuple(names[i] for i in group), _shared_rows(group, pairs))
                for group in _groups(pairs)
            ),
            counts_by_block=tuple(
                MissingByBlock(names[i], self.block_rows, tuple(self._all_blocks(i).tolist()))
                for i in sorted(self.blocks)
            ),
        )

    def _all_blocks(self, column: int) -> NDArray[np.int64]:
        """Those of all rows, also behind the last one in which the column is missing."""
        counts = self.blocks[column]
        return np.pad(counts, (0, -(-self.rows // self.block_rows) - len(counts)))


def observe_patterns(
    batch: Any, first_row: int = 0, among: Iterable[int] | None = None
) -> GapPatternsPart:
    """Count one batch: a table or record batch whose first row has this place in the data.

    ``among`` tells the places of the columns that may have missing values, where that is known.
    """
    rows = batch.num_rows
    looked = range(batch.num_columns) if among is None else among
    flags = {i: missing for i in looked if (missing := missing_in(batch.column(i))).any()}
    patterns = _count_patterns(flags, rows)
    size = _FIRST_BLOCK
    while (first_row + rows) / size > MOST_BLOCKS:
        size *= 2
    blocks = {}
    for i, missing in flags.items():
        places = (np.flatnonzero(missing) + first_row) // size
        blocks[i] = np.bincount(places, minlength=-(-(first_row + rows) // size))
    return GapPatternsPart(rows, patterns, 0, size, blocks)


def _count_patterns(flags: dict[int, NDArray[np.bool_]], rows: int) -> Counter[Pattern]:
    """Rows by the columns that are missing in them."""
    if not flags:
        return Counter({(): rows}) if rows else Counter()
    positions = np.array(list(flags))
    keys, counts = _few(flags, rows) if len(flags) <= _BITS else _many(flags)
    return Counter(
        {
            tuple(positions[row].tolist()): int(count)
            for row, count in zip(keys, counts, strict=True)
        }
    )


def _few(
    flags: dict[int, NDArray[np.bool_]], rows: int
) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """Different patterns and their counts, each pattern being a number of so many bits."""
    codes = np.zeros(rows, np.int64)
    for bit, missing in enumerate(flags.values()):
        codes |= missing.astype(np.int64) << bit
    codes.sort()  # many times faster than numpy.unique
    starts = np.flatnonzero(np.concatenate(([True], codes[1:] != codes[:-1])))
    bits = np.arange(len(flags))
    return (codes[starts, None] >> bits) & 1 == 1, np.diff(starts, append=rows)


def _many(flags: dict[int, NDArray[np.bool_]]) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """As `_few`, for more columns than a number has bits."""
    packed = np.packbits(np.stack(list(flags.values()), axis=1), axis=1)
    keys, counts = np.unique(packed, axis=0, return_counts=True)
    return np.unpackbits(keys, axis=1, count=len(flags)).astype(bool), counts


def _most_frequent(patterns: Counter[Pattern], most: int) -> list[tuple[Pattern, int]]:
    return sorted(patterns.items(), key=lambda entry: (-entry[1], entry[0]))[:most]


def _pairs(patterns: Counter[Pattern]) -> list[tuple[int, int, int, float]]:
    """Pairs of columns: rows where both are missing, as a share of those where either is.

    That share is Jaccard's index; the largest come first.
    """
    single: Counter[int] = Counter()
    both: Counter[tuple[int, int]] = Counter()
    for pattern, rows in patterns.items():
        for i in pattern:
            single[i] += rows
        for pair in combinations(pattern[:200], 2):
            both[pair] += rows
    found = [
        (a, b, rows, rows / (single[a] + single[b] - rows))
        for (a, b), rows in both.items()
        if rows >= _FEWEST_SHARED
    ]
    return sorted(found, key=lambda entry: (-entry[3], entry[0], entry[1]))


def _groups(pairs: Sequence[tuple[int, int, int, float]]) -> list[list[int]]:
    """Columns that go missing together, linked by pairs that do so in nearly all rows."""
    groups: list[set[int]] = []
    for a, b, _, shared in pairs:
        if shared < TOGETHER:
            break
        joined = [group for group in groups if a in group or b in group]
        groups = [group for group in groups if group not in joined]
        groups.append({a, b}.union(*joined))
    return sorted(sorted(group) for group in groups)


def _shared_rows(group: Sequence[int], pairs: Sequence[tuple[int, int, int, float]]) -> int:
    """In how many rows two columns of a group are missing, of the pair that shares most."""
    return max(rows for a, b, rows, _ in pairs if a in group and b in group)


def _added(one: NDArray[np.int64] | None, other: NDArray[np.int64] | None) -> NDArray[np.int64]:
    if one is None or other is None:
        present = other if one is None else one
        assert present is not None
        return present
    short, long = sorted((one, other), key=len)
    summed = long.copy()
    summed[: len(short)] += short
    return summed
