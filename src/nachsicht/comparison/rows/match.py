"""Which rows of two versions are the same: by a key, or equal in all columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

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
    key = candidate.places
    extra = [table.num_rows - rows for table, rows in zip(tables, different, strict=True)]
    for table, places, most in zip(tables, zip(*key, strict=True), extra, strict=True):
        if not could_be_key(table, places, most):
            return None
    matched = match_rows(tables, key, pmap)
    slack: float = 1 - NEARLY if len(key) == 1 else 0.0
    repeated = any(
        rows > 2 * (most + slack * table.num_rows)
        for rows, most, table in zip(matched.repeated, extra, tables, strict=True)
    )
    fewest = candidate.shared * min(table.num_rows for table in tables)
    return None if repeated or len(matched.old) <= fewest else matched


def match_rows(tables: tuple[Any, Any], key: Sequence[Place], pmap: ParallelMap) -> MatchedRows:
    """The rows matched by a key; those whose key stands in several rows are left out."""
    types = [key_type(tables[0].column(a), tables[1].column(b)) for a, b in key]

    def ranked(side: int) -> tuple[_Places, Hashes]:
        hashes = hash_keys(tables[side], [places[side] for places in key], types)
        order = order_of(hashes)
        return order, hashes[order]

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
    in_new_order = np.argsort(new_order[both], kind="stable")
    return MatchedRows(
        old_order[capped[both]][in_new_order],
        new_order[both][in_new_order],
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


def rows_without_equal(hashes: tuple[Hashes, Hashes], pmap: ParallelMap) -> tuple[_Places, _Places]:
    """Places of the rows of each that the other does not have, or not as often: the last ones."""
    orders = list(pmap(order_of, hashes))
    ranked = [side[order] for side, order in zip(hashes, orders, strict=True)]

    def left(side: int) -> _Places:
        own, other = ranked[side], ranked[1 - side]
        starts = np.ones(len(own), bool)
        starts[1:] = own[1:] != own[:-1]
        nth = np.arange(len(own))
        nth -= np.maximum.accumulate(np.where(starts, nth, 0))
        equal = np.searchsorted(other, own, "right") - np.searchsorted(other, own, "left")
        return np.sort(orders[side][nth >= equal])

    old, new = pmap(left, (0, 1))
    return old, new
