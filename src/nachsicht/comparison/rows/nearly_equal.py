"""Rows without a key: those of both versions that are equal in all columns but one, or but a few.

The hash of a row is the sum of those of its cells. Without that of one column it is the hash of all
others; where it occurs once in each version, the two rows are one, of which a cell was rewritten.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import taken
from nachsicht.arrow.hashing import Hashes, hash_values, salt_of
from nachsicht.comparison.rows.keys import comparable_type, one_array
from nachsicht.model.column import ColumnSummary

#: Hashes of more cells are not computed again to find pairs.
_MOST_CELLS = 20_000_000
#: Fewer pairs may be a coincidence, and so may fewer than this many times those within a version.
_FEWEST_PAIRS, _COINCIDENCES = 5, 4.0

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
        return hash_values(array if rows is None else taken(array, rows), salt_of(column))

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
    usable = []
    for one, other in pairs:
        arrays = one_array(old.column(one.position)), one_array(new.column(other.position))
        common = comparable_type(arrays[0].type, arrays[1].type)
        if common is not None:
            usable.append(
                ((one, other), [a if a.type == common else a.cast(common) for a in arrays])
            )
    if len(usable) < 3 or not old.num_rows or not new.num_rows:
        return
    sides = [_side_of([arrays[i] for _, arrays in usable]) for i in (0, 1)]
    before, after = _unlike(*sides)
    several = [i for i, (pair, _) in enumerate(usable) if pair[1].position in moved]
    tries = [several] if 1 < len(several) < len(usable) - 1 else []
    cells = (len(before.places) + len(after.places)) * len(usable)
    if cells <= _MOST_CELLS:
        tries += [[i] for i in range(len(usable))]
    else:
        tries += [[i] for i in several]
    count_of_rows = min(len(before.places), len(after.places))
    counted = [(len(_matched(before, after, columns)[0]), columns) for columns in tries]
    for count, columns in sorted(counted, key=lambda entry: (-entry[0], entry[1])):
        if count <= _FEWEST_PAIRS + _COINCIDENCES * _repeats(before, columns) * count_of_rows:
            continue
        old_places, new_places = _matched(before, after, columns)
        if len(old_places) >= _FEWEST_PAIRS:
            yield Rewritten(tuple(usable[i][0] for i in columns), old_places, new_places)
            before = before.kept(~np.isin(before.places, old_places))
            after = after.kept(~np.isin(after.places, new_places))


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
    hashes = _without(one, columns), _without(other, columns)
    (values, places, counts), (new_values, new_places, new_counts) = (
        np.unique(side, return_index=True, return_counts=True) for side in hashes
    )
    values, places = values[counts == 1], places[counts == 1]
    new_values, new_places = new_values[new_counts == 1], new_places[new_counts == 1]
    _, at, new_at = np.intersect1d(values, new_values, assume_unique=True, return_indices=True)
    return one.places[places[at]], other.places[new_places[new_at]]


def _repeats(side: _Side, columns: Sequence[int]) -> float:
    """The share of rows that agree with another of their version in all but these columns."""
    hashes = side.hashes.copy()
    for column in columns:
        hashes -= side.hash_of(column)
    return 1 - len(np.unique(hashes)) / len(hashes)
