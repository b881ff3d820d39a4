"""Rows without a key: those of both versions that are equal in all columns but one, or but a few.

The hash of a row is the sum of those of its cells. Without that of one column it is the hash of all
others; where it occurs once in each version, the two rows are one, of which a cell was rewritten.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes, hash_values, salt_of
from nachsicht.comparison.rows.keys import comparable_type, one_array
from nachsicht.model.column import ColumnSummary

#: Fewer pairs may be a coincidence, and so may fewer than this many times those within a version.
_FEWEST_PAIRS, _COINCIDENCES = 5, 4.0
#: Of more rows, only about so many are matched to see which columns make pairs.
_COUNTED_ROWS = 8_000

_Places = NDArray[np.int64]
_Pair = tuple[ColumnSummary, ColumnSummary]


class Rewritten(NamedTuple):
    """Rows, by their places, that are one in all columns but these."""

    columns: tuple[_Pair, ...]
    old: _Places
    new: _Places


class _Side(NamedTuple):
    """Rows of a version that the other does not have, with their hashes."""

    columns: Sequence[Any]
    hashes: Hashes
    places: _Places

    def hash_of(self, column: int, rows: _Places | None = None) -> Hashes:
        array = self.columns[column]
        if rows is not None and len(rows) < len(array):
            array = taken(array, rows)
        return hash_values(array, salt_of(column))

    def kept(self, keep: NDArray[np.bool_]) -> _Side:
        return self._replace(places=self.places[keep])


def rewritten_rows(
    old: Any, new: Any, pairs: Sequence[_Pair], moved: Sequence[int]
) -> Iterator[Rewritten]:
    """Pairs of rows with one rewritten cell, column by column, the most first.

    Parameters
    ----------
    old, new : Arrow table
        Both versions.
    pairs : sequence of (old column, new column)
        The columns that both have; pairs whose types cannot be compared are left out.
    moved : sequence of int
        Positions in ``new`` of columns whose distribution changed: all of them may be rewritten.
    """
    usable = [
        (pair, arrays)
        for pair in pairs
        if (arrays := _comparable(old.column(pair[0].position), new.column(pair[1].position)))
    ]
    if len(usable) < 3 or not old.num_rows or not new.num_rows:
        return
    columns = [arrays for _, arrays in usable]
    several = [i for i, (pair, _) in enumerate(usable) if pair[1].position in moved]
    tries = [[i] for i in range(len(usable))]
    if 1 < len(several) < len(usable) - 1:
        tries.append(several)
    distinct = [min(one.distinct, other.distinct) for (one, other), _ in usable]
    worth = _worth_trying(columns, tries, distinct)
    if not worth:
        return
    before, after = _unlike(*(_side_of([arrays[i] for arrays in columns]) for i in (0, 1)))
    for left_out in worth:
        old_places, new_places = _matched(before, after, left_out)
        if len(old_places) >= _FEWEST_PAIRS:
            yield Rewritten(tuple(usable[i][0] for i in left_out), old_places, new_places)
            before = before.kept(~np.isin(before.places, old_places))
            after = after.kept(~np.isin(after.places, new_places))


def _comparable(old: Any, new: Any) -> tuple[Any, Any] | None:
    """Both columns as arrays of one type; None where there is none."""
    one, other = one_array(old), one_array(new)
    common = comparable_type(one.type, other.type)
    if common is None:
        return None
    return tuple(a if a.type == common else a.cast(common, safe=False) for a in (one, other))


def _worth_trying(
    columns: Sequence[tuple[Any, Any]], tries: Sequence[list[int]], distinct: Sequence[int]
) -> list[list[int]]:
    """Which columns to leave out, the most promising first, judged by a part of the rows.

    The part is the same in both versions: rows whose cell in one column, of many different values,
    has a hash that is a multiple of a number. Three such columns are used, so that one is left.
    """
    ranked = sorted(range(len(columns)), key=lambda i: -distinct[i])
    sampled = cache(lambda by: _sampled(columns, by))
    found = []
    for left_out in tries:
        by = next((i for i in ranked[:3] if i not in left_out), None)
        if by is None:
            continue
        one, other, thin = sampled(by)
        rows = min(len(one.places), len(other.places))
        count = len(_matched(one, other, left_out)[0])
        least = _FEWEST_PAIRS / thin + _COINCIDENCES * _repeats(one, left_out) * rows
        if count and count > least:
            found.append((count * thin, left_out))
    return [left_out for _, left_out in sorted(found, key=lambda entry: (-entry[0], entry[1]))]


def _sampled(columns: Sequence[tuple[Any, Any]], by: int) -> tuple[_Side, _Side, int]:
    """Rows of both versions that the other does not have, of a part of the rows."""
    thin = max(min(len(columns[by][0]), len(columns[by][1])) // _COUNTED_ROWS, 1)
    kept = [
        np.flatnonzero(hash_values(column) % np.uint64(thin) == 0) if thin > 1 else None
        for column in columns[by]
    ]
    sides = [
        _side_of([arrays[i] if rows is None else taken(arrays[i], rows) for arrays in columns])
        for i, rows in enumerate(kept)
    ]
    return (*_unlike(*sides), thin)


def _side_of(columns: Sequence[Any]) -> _Side:
    hashes = np.zeros(len(columns[0]), np.uint64)
    for i, column in enumerate(columns):
        hashes += hash_values(column, salt_of(i))
    return _Side(columns, hashes, np.arange(len(hashes)))


def _unlike(one: _Side, other: _Side) -> tuple[_Side, _Side]:
    """The rows of each that the other does not have."""
    return (
        one.kept(~np.isin(one.hashes, other.hashes)),
        other.kept(~np.isin(other.hashes, one.hashes)),
    )


def _without(side: _Side, columns: Sequence[int]) -> Hashes:
    hashes = side.hashes[side.places].copy()
    for column in columns:
        hashes -= side.hash_of(column, side.places)
    return hashes


def _matched(one: _Side, other: _Side, columns: Sequence[int]) -> tuple[_Places, _Places]:
    """Places of rows that agree but for some columns, each once in each version."""
    (values, places), (new_values, new_places) = (_once(side, columns) for side in (one, other))
    _, at, new_at = np.intersect1d(values, new_values, assume_unique=True, return_indices=True)
    return places[at], new_places[new_at]


def _once(side: _Side, columns: Sequence[int]) -> tuple[Hashes, _Places]:
    """Hashes that occur once among the rows without some columns, and the rows' places."""
    hashes = _without(side, columns)
    values, places, counts = np.unique(hashes, return_index=True, return_counts=True)
    return values[counts == 1], side.places[places[counts == 1]]


def _repeats(side: _Side, columns: Sequence[int]) -> float:
    """The share of rows that agree with another of their version in all but these columns."""
    hashes = side.hashes.copy()
    for column in columns:
        hashes -= side.hash_of(column)
    return 1 - len(np.unique(hashes)) / len(hashes)
