"""The data of a version that is still in memory when it is compared."""

from __future__ import annotations

from typing import Any

import msgspec
from numpy.typing import NDArray

from nachsicht.arrow.hashing import Hashes
from nachsicht.associations.all_pairs import AllPairs
from nachsicht.associations.encode import Side

#: Of more values, distances are taken from what profiles keep, within their bounds.
EXACT_ROWS = 400_000


class AtHand(msgspec.Struct, frozen=True):
    """Rows as an Arrow table with their hashes, quantities by position, and all relations.

    The values of quantities are the finite ones, sorted; of those with more than `EXACT_ROWS`
    there are none. ``drawn`` are the columns with numbers or levels in evenly drawn rows.

    With it distances are exact, and rows can be compared; without, profiles alone are.
    """

    table: Any
    rows: Hashes
    quantities: dict[int, NDArray[Any]]
    pairs: AllPairs
    drawn: tuple[Side, ...]
