"""A fingerprint of the data: the same for the same rows, in whatever order, file or pieces."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from nachsicht.arrow.hashing import Hashes, mix


def row_hash_sum(hashes: Hashes) -> int:
    """What a batch of rows adds to the fingerprint; sums of it (modulo 2**64) merge.

    Row hashes are sums over the cells, so they are mixed first: which cells stand in one row
    must matter.
    """
    return int(mix(hashes.copy()).sum())


def fingerprint(names: Sequence[str], rows: int, hash_sum: int) -> str:
    """Sixteen hexadecimal digits from the columns' names, the number of rows, and the rows."""
    everything = "\x1f".join((*names, str(rows), str(hash_sum % 2**64)))
    return hashlib.blake2b(everything.encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()
