"""Rows without a key: those of both versions that are equal in all columns but one, or but a few.

The hash of a row is the sum of those of its cells. Without that of one column it is the hash of all
others; where it occurs once in each version, the two rows are one, of which a cell was rewritten.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes, hash_values, salt_of
from nachsicht.comparison.rows.keys import one_array
from nachsicht.model.column import ColumnSummary

#: Fewer pairs may be a coincidence, and so may fewer than this many times those within a version.
_FEWEST_PAIRS, _COINCIDENCES = 5, 4.0
#: And so may be a smaller part of the rows that the other version does not have.
_SMALLEST_PART = 0.02
#: Of more rows, only about so many are matched to see which columns make pairs.
_COUNTED_ROWS = 8_000

_Places = NDArray[np.int64]
_Pair = tuple[ColumnSummary, ColumnSummary]


class Rewritten(NamedTuple):
    """Rows, by their places, that are one in all columns but these."""

    columns: tuple[_Pair, ...]
    old: _Places
    new: _Places


class SharedColumn(NamedTuple):
    """A column of both versions, the type that it is compared in, and the salt of its hashes."""

    pair: _Pair
    stored: Any
    salt: int


class _Rows(NamedTuple):
    """Some rows of a version: their places, and the hashes of these rows in all shared columns."""

    table: Any
    positions: Sequence[int]
    shared: Sequence[SharedColumn]
    places: _Places
    hashes: Hashes

    def kept(self, keep: NDArray[np.bool_]) -> _Rows:
        return self._replace(places=self.places[keep], hashes=self.hashes[keep])

    def hashes_of(self, column: int) -> Hashes:
        """Those of the cells of one column, as they are part of the rows' hashes."""
        cells = one_array(taken(self.table.column(self.positions[column]), self.places))
        if cells.type != self.shared[column].stored:
            cells = cells.cast(self.shared[column].stored, safe=False)
        return hash_values(cells, salt_of(self.shared[column].salt))

    def hashes_without(self, columns: Sequence[int]) -> Hashes:
        hashes = self.hashes.copy()
        for column in columns:
            hashes -= self.hashes_of(column)
        return hashes

    def part_by(self, column: int, thin: int) -> _Rows:
        """Rows whose cell has a hash that is a multiple of a number: the same in both versions."""
        return self.kept(self.hashes_of(column) % np.uint64(thin) == 0) if thin > 1 else self


def rewritten_rows(
    tables: tuple[Any, Any],
    shared: Sequence[SharedColumn],
    left: tuple[_Places, _Places],
    hashes: tuple[Hashes, Hashes],
    moved: Collection[int],
) -> Iterator[Rewritten]:
    """Pairs of rows with one rewritten cell, or a few, those of the most rows first.

    Parameters
    ----------
    tables : (Arrow table, Arrow table)
        The older and the newer version.
    shared : sequence of SharedColumn
        The columns that are compared.
    left : (array, array)
        Places of the rows that the other version does not have.
    hashes : (array, array)
        Of these rows, the sums of the hashes of these columns.
    moved : collection of int
        Positions in the newer version of columns whose distribution changed: all of them may be
        rewritten in the same rows.
    """
    if len(shared) < 3:
        return
    before, after = (
        _Rows(
            tables[side],
            [column.pair[side].position for column in shared],
            shared,
            left[side],
            hashes[side],
        )
        for side in (0, 1)
    )
    several = [i for i, column in enumerate(shared) if column.pair[1].position in moved]
    tries = [[i] for i in range(len(shared))]
    if 1 < len(several) < len(shared) - 1:
        tries.append(several)
    for left_out in _worth_trying(before, after, tries):
        old_at, new_at = _matched(before, after, left_out)
        if len(old_at) >= _FEWEST_PAIRS:
            yield Rewritten(
                tuple(shared[i].pair for i in left_out), before.places[old_at], after.places[new_at]
            )
            before, after = _all_but(before, old_at), _all_but(after, new_at)


def _worth_trying(before: _Rows, after: _Rows, tries: Sequence[list[int]]) -> list[list[int]]:
    """Which columns to leave out, the most promising first.

    Where there are many rows, a part of them tells; it is drawn by the cells of a column of many
    different values that is not left out.
    """
    fewer = min(len(before.places), len(after.places))
    thin = max(fewer // _COUNTED_ROWS, 1)
    values = [min(one.distinct, other.distinct) for (one, other), _, _ in before.shared]
    ranked = sorted(range(len(values)), key=lambda i: -values[i])
    part_by = cache(lambda by: tuple(rows.part_by(by, thin) for rows in (before, after)))
    found = []
    for left_out in tries:
        by = next(i for i in ranked if i not in left_out)
        one, other = part_by(by)
        hashes = one.hashes_without(left_out)
        pairs, distinct = _counted_once_in_both(hashes, other.hashes_without(left_out))
        # Rows of one version that agree but for these columns show how often chance does that.
        by_chance = (1 - distinct / max(len(hashes), 1)) * fewer / thin
        fewest = max(_FEWEST_PAIRS, _SMALLEST_PART * fewer) / thin
        if pairs > fewest + _COINCIDENCES * by_chance:
            found.append((pairs, left_out))
    return [left_out for _, left_out in sorted(found, key=lambda entry: (-entry[0], entry[1]))]


def _matched(one: _Rows, other: _Rows, columns: Sequence[int]) -> tuple[_Places, _Places]:
    """Which rows of both agree but for some columns, each once in each version."""
    return _once_in_both(one.hashes_without(columns), other.hashes_without(columns))


def _once_in_both(one: Hashes, other: Hashes) -> tuple[_Places, _Places]:
    """Where in each stand the hashes that occur once in both."""
    (values, at), (new_values, new_at) = (_once(hashes) for hashes in (one, other))
    _, i, j = np.intersect1d(values, new_values, assume_unique=True, return_indices=True)
    return at[i], new_at[j]


def _counted_once_in_both(one: Hashes, other: Hashes) -> tuple[int, int]:
    """How many hashes occur once in both, and how many different ones the first has.

    By one sort, in which the last bit of a hash gives way to where it is from.
    """
    last = np.uint64(1)
    both = np.concatenate((one & ~last, other | last))
    both.sort()
    begins = np.concatenate(([True], both[1:] != both[:-1], [True]))
    alone = begins[:-1] & begins[1:]
    beside = (both[:-1] ^ both[1:]) == last
    return int(np.sum(beside & alone[:-1] & alone[1:])), int(
        np.sum(begins[:-1] & (both & last == 0))
    )


def _once(hashes: Hashes) -> tuple[Hashes, _Places]:
    values, at, counts = np.unique(hashes, return_index=True, return_counts=True)
    return values[counts == 1], at[counts == 1]


def _all_but(rows: _Rows, at: _Places) -> _Rows:
    keep = np.ones(len(rows.places), bool)
    keep[at] = False
    return rows.kept(keep)
