"""A profile as a description in an open format: Table Schema, or CSVW.

It holds what the next delivery should keep to as well: types, levels, what is never missing and
what never repeats. The ends of quantities are no promise, and stay out of it.
"""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.model.column import CategorySummary, ColumnSummary, IdentifierSummary
from nachsicht.model.dataset_schema import ColumnDescription, StatedType
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import ProfileDocument

#: Categories with more levels may well get new ones.
_MOST_LEVELS = 50
#: Types by how a column is stored, by the beginning of Arrow's name.
_STORED = (
    ("int", StatedType.WHOLE),
    ("uint", StatedType.WHOLE),
    ("bool", StatedType.FLAG),
    ("date", StatedType.DATE),
    ("timestamp", StatedType.DATETIME),
    ("time", StatedType.TIME),
    ("duration", StatedType.DURATION),
    ("float", StatedType.NUMBER),
    ("double", StatedType.NUMBER),
    ("half", StatedType.NUMBER),
    ("decimal", StatedType.NUMBER),
    ("list", StatedType.NESTED),
    ("large_list", StatedType.NESTED),
    ("fixed_size_list", StatedType.NESTED),
    ("struct", StatedType.NESTED),
    ("map", StatedType.NESTED),
)
_FIELD_TYPES = {
    StatedType.ANY: "any",
    StatedType.TEXT: "string",
    StatedType.WHOLE: "integer",
    StatedType.NUMBER: "number",
    StatedType.FLAG: "boolean",
    StatedType.DATE: "date",
    StatedType.DATETIME: "datetime",
    StatedType.TIME: "time",
    StatedType.DURATION: "duration",
    StatedType.NESTED: "any",
}
_DATATYPES = _FIELD_TYPES | {StatedType.DATETIME: "dateTime", StatedType.NESTED: "string"}
_DATATYPES[StatedType.ANY] = "any"


def table_schema_of(profile: ProfileDocument) -> dict[str, Any]:
    """The columns as a Table Schema."""
    return {"fields": [_field(column, profile) for column in profile.columns], **_key(profile)}


def csvw_of(profile: ProfileDocument) -> dict[str, Any]:
    """The columns as metadata of CSVW."""
    columns = [_column(column, profile) for column in profile.columns]
    return {
        "@context": "http://www.w3.org/ns/csvw",
        "url": profile.origin.source,
        "tableSchema": {"columns": columns, **_key(profile)},
    }


def encoded(content: dict[str, Any]) -> bytes:
    """The content as indented JSON in UTF-8."""
    return msgspec.json.format(msgspec.json.encode(content), indent=2) + b"\n"


def _field(column: ColumnSummary, profile: ProfileDocument) -> dict[str, Any]:
    stated = _description(column, profile)
    constraints = {
        "required": always_there(column),
        "unique": never_repeats(column),
        "enum": all_levels(column),
    }
    field = {
        "name": column.name,
        "type": _FIELD_TYPES[stated_type(column)],
        "title": stated.title,
        "description": stated.text,
        "unit": column.unit,
        "missingValues": ["", *stated.na_values] if stated.na_values else None,
        "constraints": {name: value for name, value in constraints.items() if value},
    }
    return {name: value for name, value in field.items() if value}


def _column(column: ColumnSummary, profile: ProfileDocument) -> dict[str, Any]:
    stated = _description(column, profile)
    found = {
        "titles": column.name,
        "datatype": _DATATYPES[stated_type(column)],
        "dc:title": stated.title,
        "dc:description": stated.text,
        "schema:unitText": column.unit,
        "null": ["", *stated.na_values] if stated.na_values else None,
        "required": always_there(column),
    }
    return {name: value for name, value in found.items() if value}


def _description(column: ColumnSummary, profile: ProfileDocument) -> ColumnDescription:
    """What a description said that came with the data, to hand it on."""
    described = profile.description.column(column.name) if profile.description else None
    return described or ColumnDescription(name=column.name)


def _key(profile: ProfileDocument) -> dict[str, Any]:
    key = profile.description.key if profile.description else ()
    return {"primaryKey": list(key)} if key else {}


def stated_type(column: ColumnSummary) -> StatedType:
    """What the values of a column are, as open formats name it."""
    if column.kind is Kind.EMPTY:
        return StatedType.ANY
    if column.kind_reason is KindReason.TRUE_AND_FALSE:
        return StatedType.FLAG
    stored = column.dtype
    if stored.startswith("dictionary"):
        stored = stored.partition("values=")[2]
    found = next((known for start, known in _STORED if stored.startswith(start)), StatedType.TEXT)
    if found is StatedType.TEXT and column.kind in (Kind.QUANTITY, Kind.FLAG):
        # Called a text, it would be taken for a code.
        plain = column.kind_reason is KindReason.NUMBERS_AS_TEXT
        return StatedType.NUMBER if plain else StatedType.ANY
    return found


def always_there(column: ColumnSummary) -> bool:
    """Whether every row has a value."""
    return bool(column.rows) and not column.missing


def never_repeats(column: ColumnSummary) -> bool:
    """Whether no two rows have the same value."""
    named = isinstance(column.stats, IdentifierSummary) and column.error_bounds is None
    return named and column.distinct == column.present


def all_levels(column: ColumnSummary) -> list[Any]:
    """All levels of a category that has few; nothing where they are not all known."""
    detail = column.stats
    if not isinstance(detail, CategorySummary) or column.distinct > _MOST_LEVELS:
        return []
    known = [level.value for level in detail.levels]
    if len(known) != column.distinct or stated_type(column) is not StatedType.TEXT:
        return []
    return sorted(known)
