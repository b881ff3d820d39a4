"""Lists and records inside a cell: how deep, which fields, how many entries."""

from __future__ import annotations

from typing import Any

import msgspec
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.columns.kinds.protocol import ColumnFacts, Counts, StoredType, TypedColumn
from nachsicht.columns.numeric import summarise_quantity
from nachsicht.columns.numeric_state import NumberPart, observe_numbers
from nachsicht.config.settings import Settings
from nachsicht.model.column import NestedSummary
from nachsicht.model.kinds import Kind, KindReason


class NestedPart(msgspec.Struct, frozen=True):
    """Lengths of lists; for records and bytes only how many are missing."""

    lengths: NumberPart | None
    missing: int

    def merge(self, other: NestedPart) -> NestedPart:
        """Put two parts together."""
        lengths = self.lengths and other.lengths and self.lengths.merge(other.lengths)
        return NestedPart(lengths, self.missing + other.missing)


def observe_nested(array: Any) -> NestedPart:
    """Take in one batch of any type that has no other part."""
    if pa.types.is_map(array.type):
        key, value = array.type.key_type, array.type.item_type
        array = array.cast(pa.list_(pa.struct([("key", key), ("value", value)])))
    lengths = observe_numbers(pc.list_value_length(array)) if _is_list(array.type) else None
    return NestedPart(lengths, array.null_count)


def summarise_nested(part: NestedPart, stored: Any, settings: Settings) -> NestedSummary:
    """What is kept of a nested column."""
    lengths = summarise_quantity(part.lengths.sorted(), settings) if part.lengths else None
    return NestedSummary(
        depth=_depth(stored),
        fields=_fields(stored),
        lengths=lengths,
        empty=lengths.zeros if lengths else 0,
    )


def _is_list(stored: Any) -> bool:
    types = pa.types
    return bool(
        types.is_list(stored)
        or types.is_large_list(stored)
        or types.is_fixed_size_list(stored)
        or types.is_map(stored)
    )


def _children(stored: Any) -> list[Any]:
    if not pa.types.is_nested(stored):
        return []
    return [stored.field(i).type for i in range(stored.num_fields)]


def _depth(stored: Any) -> int:
    return 1 + max(map(_depth, _children(stored))) if _children(stored) else 0


def _fields(stored: Any) -> tuple[str, ...]:
    """Names of the fields of the outermost record."""
    if pa.types.is_struct(stored):
        return tuple(stored.field(i).name for i in range(stored.num_fields))
    inner = _children(stored)
    return _fields(inner[0]) if inner and not pa.types.is_map(stored) else ()


class NestedColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    """Values inside of cells are not distinguished, so there is nothing to count."""

    part: NestedPart
    facts: ColumnFacts

    @property
    def counts(self) -> Counts:
        """Only how many are present."""
        return Counts(self.facts.rows - self.part.missing, 0, 0, 0.0)

    def summarise(self, settings: Settings) -> NestedSummary:
        """Depth, fields and lengths."""
        return summarise_nested(self.part, self.facts.stored, settings)


def _infer_nested(body: NestedPart, facts: ColumnFacts) -> NestedColumn:
    nested = pa.types.is_nested(facts.stored)
    reason = KindReason.STORED_NESTED if nested else KindReason.STORED_BINARY
    return NestedColumn(judgement=(Kind.NESTED, reason), part=body, facts=facts)


NESTED = StoredType("nested", lambda _: True, observe_nested, _infer_nested)
