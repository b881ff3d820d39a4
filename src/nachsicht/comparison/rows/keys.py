"""Key detection: columns that together identify a row."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
from math import prod
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from nachsicht.arrow.hashing import Hashes, hash_values, salt_of
from nachsicht.arrow.types import is_text
from nachsicht.model.column import ColumnSummary
from nachsicht.model.kinds import Kind

#: One column and the same column of the other version.
Place = tuple[int, int]

#: Kinds of which a column may be a part of a key.
_PARTS = (Kind.IDENTIFIER, Kind.DATETIME, Kind.CATEGORY)
#: At most so many columns are tried together, two or three of them.
_MOST_PARTS = 6
#: Keys found by themselves must name so large a part of the smaller version's rows in both.
FEWEST_SHARED = 0.05
#: Dates and attributes, without an identifier, may name the rows of each by accident: then half.
_BY_DATE = 0.5
#: An identifier of so many different values names the rows, though a few of them repeat.
NEARLY = 0.98
#: Rows that are tried first.
TRIAL = 20_000


class KeyCandidate(NamedTuple):
    """Places of columns that may name the rows, and the part of the rows that both must share."""

    places: tuple[Place, ...]
    shared: float

    @property
    def certain(self) -> bool:
        """Whether an identifier is a part of it."""
        return self.shared < _BY_DATE


def detect_keys(
    pairs: Sequence[tuple[ColumnSummary, ColumnSummary]], rows: tuple[int, int]
) -> Iterator[KeyCandidate]:
    """Columns that may name the rows of both versions, the likeliest first.

    ``rows`` are the different rows of each version: what is repeated whole repeats its key.
    """
    whole = [pair for pair in pairs if all(column.missing == 0 for column in pair)]
    parts = []
    for old, new in whole:
        if old.kind is not new.kind or old.kind not in _PARTS:
            continue
        nearly = all(
            _most_distinct(column) >= NEARLY * n for column, n in zip((old, new), rows, strict=True)
        )
        if nearly and old.kind is Kind.IDENTIFIER:
            yield KeyCandidate(((old.position, new.position),), FEWEST_SHARED)
        elif old.distinct < rows[0] or new.distinct < rows[1]:
            parts.append((old, new))
    parts.sort(key=lambda pair: (_PARTS.index(pair[0].kind), -pair[0].distinct, pair[0].position))
    # Two attributes name a row by accident only; a date and what was measured then may well.
    tried = (chosen for size in (2, 3) for chosen in combinations(parts[:_MOST_PARTS], size))
    for chosen in tried:
        kinds = {old.kind for old, _ in chosen}
        enough = all(prod(pair[i].distinct for pair in chosen) >= rows[i] for i in (0, 1))
        if kinds & {Kind.IDENTIFIER, Kind.DATETIME} and enough:
            key = tuple((old.position, new.position) for old, new in chosen)
            yield KeyCandidate(key, FEWEST_SHARED if Kind.IDENTIFIER in kinds else _BY_DATE)


def _most_distinct(column: ColumnSummary) -> float:
    """The different values of a column; as many as its bound allows, where they are estimated."""
    slack = column.error_bounds.distinct_rel if column.error_bounds else 0.0
    return column.distinct * (1 + slack)


def hash_keys(table: Any, positions: Sequence[int], types: Sequence[Any]) -> Hashes:
    """A hash for each row of the columns at these places, read as the types given."""
    hashes = np.zeros(table.num_rows, np.uint64)
    for place, (position, stored) in enumerate(zip(positions, types, strict=True)):
        column = one_array(table.column(position))
        if column.type != stored:
            column = column.cast(stored, safe=False)
        hashes += hash_values(column, salt_of(place))
    return hashes


def common_type(a: Any, b: Any) -> Any:
    """A type in which values of both types can be compared; None where there is none."""
    types = pa.types
    a, b = plain_type(a), plain_type(b)
    if a == b:
        return a
    for fits, common in (
        (types.is_integer, pa.int64()),
        (_is_number, pa.float64()),
        (is_text, pa.large_string()),
        (_has_day, pa.timestamp("us")),
        (types.is_time, pa.time64("ns")),
        (types.is_duration, pa.duration("us")),
    ):
        if fits(a) and fits(b):
            return common
    return None


def _has_day(stored: Any) -> bool:
    return bool(pa.types.is_date(stored) or pa.types.is_timestamp(stored))


def comparable_type(a: Any, b: Any) -> Any:
    """As `common_type`; values of other types are compared as texts, if one of them is text."""
    found = common_type(a, b)
    if found is None and (is_text(plain_type(a)) or is_text(plain_type(b))):
        other = plain_type(b) if is_text(plain_type(a)) else plain_type(a)
        if _is_number(other) or pa.types.is_boolean(other) or pa.types.is_temporal(other):
            return pa.large_string()
    return found


def key_type(old: Any, new: Any) -> Any:
    """The type in which two columns of a key are compared.

    Texts that are all whole numbers are compared with numbers as such: 00042 is 42.
    """
    found = common_type(old.type, new.type)
    if found is not None:
        return found
    for texts, numbers in ((old, new), (new, old)):
        if is_text(plain_type(texts.type)) and pa.types.is_integer(numbers.type):
            try:
                one_array(texts).cast(pa.int64())
            except pa.ArrowInvalid:
                break
            return pa.int64()
    return pa.large_string()


def one_array(column: Any) -> Any:
    """A column as one array, its dictionary taken apart."""
    if isinstance(column, pa.ChunkedArray):
        column = column.combine_chunks()
        if isinstance(column, pa.ChunkedArray):
            column = pa.concat_arrays(column.chunks)
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    return column


def plain_type(stored: Any) -> Any:
    """The type of the values, where a type is that of a dictionary of them."""
    return stored.value_type if pa.types.is_dictionary(stored) else stored


def _is_number(stored: Any) -> bool:
    types = pa.types
    return bool(types.is_integer(stored) or types.is_floating(stored) or types.is_decimal(stored))


def could_be_key(
    tables: Sequence[Any], rows: Sequence[int], key: Sequence[Place], different: Sequence[int]
) -> bool:
    """Whether the first rows of both versions have hardly more equal keys than rows are repeated.

    ``tables`` begin with these rows; ``rows`` are all that the versions have, of which so many are
    ``different``.
    """
    for table, places, in_all, apart in zip(
        tables, zip(*key, strict=True), rows, different, strict=True
    ):
        head = table.select(list(dict.fromkeys(places))).slice(0, TRIAL)
        hashes = hash_keys(
            head, range(head.num_columns), [plain_type(c.type) for c in head.columns]
        )
        expected = max(in_all - apart, 0) * len(hashes) / max(in_all, 1)
        if len(hashes) - len(np.unique(hashes)) > 3 + 2 * expected:
            return False
    return True
