"""Rows of two versions that a database matches by their keys, and what it tells of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple, Protocol


class MatchedInDatabase(NamedTuple):
    """Counts of all rows, and a few of the rows themselves as Arrow tables.

    Attributes
    ----------
    matched, changed, added, removed : int
        Rows of both versions by a key that stands once in each; those of which any cell differs;
        those that one version alone has.
    repeated : (int, int)
        Rows whose key stands in several.
    by_column : dict of int
        By the place of each compared column in the newer version, rows of which it differs.
    changed_rows : (Arrow table, Arrow table)
        Changed rows as they were and are, one beside the other: all, or evenly drawn ones.
    equal_rows, added_rows, removed_rows : Arrow table
        Some of these, the first two as the newer version has them.
    """

    matched: int
    changed: int
    added: int
    removed: int
    repeated: tuple[int, int]
    by_column: dict[int, int]
    changed_rows: tuple[Any, Any]
    equal_rows: Any
    added_rows: Any
    removed_rows: Any


class MatchableRows(Protocol):
    """Rows of a version that a database holds."""

    def matched_with(
        self, other: MatchableRows, key: Sequence[tuple[int, int]], pairs: Sequence[tuple[int, int]]
    ) -> MatchedInDatabase | None:
        """These rows beside the newer ones of ``other``, by their keys.

        Parameters
        ----------
        other : MatchableRows
            The newer version.
        key, pairs : sequence of (int, int)
            Places in both versions of the columns of the key, and of all columns that both have.

        Returns
        -------
        MatchedInDatabase, or None
            None where they are not in one database, or their keys are of other kinds.
        """
