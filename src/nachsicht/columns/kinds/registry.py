"""All stored types, and the typed column of accumulated values."""

from __future__ import annotations

from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.arrow.types import is_text
from nachsicht.columns.infer.kind import kind_as_described
from nachsicht.columns.kinds.nested import NESTED
from nachsicht.columns.kinds.numeric import DATETIMES, DURATIONS, NUMBERS
from nachsicht.columns.kinds.protocol import (
    Body,
    ColumnFacts,
    StoredType,
    TypedColumn,
    empty_column,
)
from nachsicht.columns.kinds.text import FLAGS, TEXTS
from nachsicht.errors import SettingsError
from nachsicht.model.dataset_schema import ColumnDescription
from nachsicht.model.kinds import Kind, KindReason

#: The first that fits is taken. The last takes every type.
STORED_TYPES: tuple[StoredType, ...] = (TEXTS, FLAGS, DURATIONS, DATETIMES, NUMBERS, NESTED)


def type_handler(stored: Any) -> StoredType:
    """The entry for an Arrow type."""
    values = _values_type(stored)
    return next(entry for entry in STORED_TYPES if entry.fits(values))


def _values_type(stored: Any) -> Any:
    """The type of the values of a dictionary, unless they are texts, which it keeps as it is."""
    is_dictionary = pa.types.is_dictionary(stored) and not is_text(stored.value_type)
    return stored.value_type if is_dictionary else stored


def infer_column(
    body: Body,
    facts: ColumnFacts,
    chosen: Kind | None = None,
    described: ColumnDescription | None = None,
) -> TypedColumn:
    """The column as the kind that its values are, or the one that was chosen or described.

    Raises
    ------
    SettingsError
        If the user chose a kind that the values cannot have.
    """
    facts = msgspec.structs.replace(facts, stored=_values_type(facts.stored))
    column = type_handler(facts.stored).infer(body, facts)
    if column.counts.present == 0:
        return empty_column()
    if chosen is not None:
        return column if chosen is column.judgement[0] else _as_chosen(column, facts.name, chosen)
    return column if described is None else _as_described(column, described)


def _as_described(column: TypedColumn, described: ColumnDescription) -> TypedColumn:
    """The column as what a schema says that it is, if its values can be that."""
    kind = column.judgement[0]
    wished = kind_as_described(kind, column.counts.distinct, described)
    if wished is kind:
        return column
    # Beyond memory numbers keep no levels; as codes they still have no mean.
    kinds = (wished, Kind.IDENTIFIER) if wished is Kind.CATEGORY else (wished,)
    found = (column.as_kind((each, KindReason.DESCRIBED)) for each in kinds)
    return next((each for each in found if each), column)


def _as_chosen(column: TypedColumn, name: str, chosen: Kind) -> TypedColumn:
    found = column.as_kind((chosen, KindReason.CHOSEN))
    if found is None:
        raise SettingsError(
            "kind_does_not_fit", where=f"kinds.{name}", chosen=chosen, value=column.judgement[0]
        )
    return found
