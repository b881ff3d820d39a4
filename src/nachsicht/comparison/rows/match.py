"""Which rows of two versions are the same: by a key, or equal in all columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.parallel import ParallelMap
from nachsicht.arrow.hashing import Hashes
from nachsicht.comparison.rows.keys import (
    NEARLY,
    KeyCandidate,
    Place,
    could_be_key,
    hash_keys,
    key_type,
)
from nachsicht.kernels.ranks import order_of

_Places = NDArray[np.int64]


class RowsAtHand(msgspec.Struct, frozen=True):
    """Rows of a version that are at hand: all of them, or some in their order.

    ``numbers`` are those of the rows in the version, from 0; None where all are at hand.
    """

    table: Any
    rows: int
    numbers: _Places | None = None

    def numbers_at(self, places: _Places) -> _Places:
        """The numbers in the version of the rows at some places."""
        return places if self.numbers is None else self.numbers[places]

    def places_of(self, numbers: _Places) -> _Places:
        """The places of rows that are at hand, by their numbers in the version."""
        return numbers if self.numbers is None else np.searchsorted(self.numbers, numbers)


class MatchedRows(msgspec.Struct, frozen=True):
    """Places of the rows that both versions have, and of those that only one has."""

    old: _Places
    new: _Places
    added: _Places
    removed: _Places
    repeated: tuple[int, int]


def match_if_key(
    tables: tuple[Any, Any],
    candidate: KeyCandidate,
    different: tuple[int, int],
    pmap: ParallelMap,
) -> MatchedRows | None:
    """The rows matched by columns, if these name the rows of both and share some of them."""
    rows = tables[0].num_rows, tables[1].num_rows
    if not could_be_key(tables, rows, candidate.places, different):
        return None
    matched = match_rows(tables, candidate.places, pmap)
    named = names_rows(candidate, len(matched.old), matched.repeated, rows, different)
    return matched if named else None


def names_rows(
    candidate: KeyCandidate,
    matched: int,
    repeated: tuple[int, int],
    rows: tuple[int, int],
    different: tuple[int, int],
) -> bool:
    """Whether so many matched rows, and rows of a key that repeats, are those that a key gives."""
    slack: float = 1 - NEARLY if len(candidate.places) == 1 else 0.0
    for repeats, in_all, apart in zip(repeated, rows, different, strict=True):
        if repeats > 2 * (max(in_all - apart, 0) + slack * in_all):
            return False
    return matched > candidate.shared * min(rows)


def match_rows(tables: tuple[Any, Any], key: Sequence[Place], pmap: ParallelMap) -> MatchedRows:
    """The rows matched by a key; those whose key stands in several rows are left out."""
    types = [key_type(tables[0].column(a), tables[1].column(b)) for a, b in key]

    def hashed(side: int) -> Hashes:
        return hash_keys(tables[side], [places[side] for places in key], types)

    old, new = pmap(hashed, (0, 1))
    return match_hashes((old, new), pmap)


def match_hashes(
    hashes: tuple[Hashes, Hashes], pmap: ParallelMap = map, *, in_order: bool = True
) -> MatchedRows:
    """The rows matched by the hashes of their keys, in the order of the newer version or in any."""

    def ranked(side: int) -> tuple[_Places, Hashes]:
        order = order_of(hashes[side])
        return order, hashes[side][order]

    (old_order, old_ranked), (new_order, new_ranked) = pmap(ranked, (0, 1))
    once_old, once_new = _once(old_ranked), _once(new_ranked)
    at = np.searchsorted(old_ranked, new_ranked)
    capped = np.minimum(at, max(len(old_ranked) - 1, 0))
    known = (old_ranked[capped] == new_ranked) if len(old_ranked) else np.zeros(len(at), bool)
    back = np.searchsorted(new_ranked, old_ranked)
    capped_back = np.minimum(back, max(len(new_ranked) - 1, 0))
    kept = (new_ranked[capped_back] == old_ranked) if len(new_ranked) else np.zeros(len(back), bool)
    both = known & once_new
    if len(old_ranked):
        both &= once_old[capped]
    before, after = old_order[capped[both]], new_order[both]
    if in_order:
        order = order_of(after)
        before, after = before[order], after[order]
    return MatchedRows(
        before,
        after,
        np.sort(new_order[~known]),
        np.sort(old_order[~kept]),
        (int((~once_old).sum()), int((~once_new).sum())),
    )


def _once(ranked: Hashes) -> NDArray[np.bool_]:
    """Where a sorted value stands alone."""
    differs = ranked[1:] != ranked[:-1]
    edge = np.ones(1, bool)
    alone: NDArray[np.bool_] = np.concatenate((edge, differs)) & np.concatenate((differs, edge))
    return alone[: len(ranked)]


class RowsLeft(NamedTuple):
    """Places of rows that the other version does not have, or not as often: the last ones.

    ``equal_kept`` says of each whether it has it less often.
    """

    places: _Places
    equal_kept: NDArray[np.bool_]


def rows_without_equal(
    hashes: tuple[Hashes, Hashes], pmap: ParallelMap = map
) -> tuple[RowsLeft, RowsLeft]:
    """The rows of each that have no equal in the other."""
    orders = list(pmap(order_of, hashes))
    ranked = [side[order] for side, order in zip(hashes, orders, strict=True)]

    def left(side: int) -> RowsLeft:
        own, other = ranked[side], ranked[1 - side]
        starts = np.ones(len(own), bool)
        starts[1:] = own[1:] != own[:-1]
        nth = np.arange(len(own))
        nth -= np.maximum.accumulate(np.where(starts, nth, 0))
        equal = np.searchsorted(other, own, "right") - np.searchsorted(other, own, "left")
        places, kept = orders[side][nth >= equal], equal[nth >= equal] > 0
        in_order = order_of(places)
        return RowsLeft(places[in_order], kept[in_order])

    old, new = pmap(left, (0, 1))
    return old, new
