"""The rules that rows keep to now, for those who check them: as a JSON Schema, and as SQL."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import StatedType
from nachsicht.model.profile import ProfileDocument
from nachsicht.output.schema_export import all_levels, always_there, never_repeats, stated_type

#: Types of JSON, with the format of texts.
_JSON_TYPES: dict[StatedType, dict[str, Any]] = {
    StatedType.TEXT: {"type": "string"},
    StatedType.WHOLE: {"type": "integer"},
    StatedType.NUMBER: {"type": "number"},
    StatedType.FLAG: {"type": "boolean"},
    StatedType.DATE: {"type": "string", "format": "date"},
    StatedType.DATETIME: {"type": "string"},
    StatedType.TIME: {"type": "string"},
    StatedType.DURATION: {"type": "string"},
}
#: Types of SQL that PostgreSQL, SQLite and DuckDB know.
_SQL_TYPES = {
    StatedType.WHOLE: "BIGINT",
    StatedType.NUMBER: "DOUBLE PRECISION",
    StatedType.FLAG: "BOOLEAN",
    StatedType.DATE: "DATE",
    StatedType.DATETIME: "TIMESTAMP",
    StatedType.TIME: "TIME",
}


def json_schema_of(profile: ProfileDocument) -> dict[str, Any]:
    """A JSON Schema of a row as an object: types, levels, and what is never missing."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": profile.label,
        "type": "object",
        "properties": {column.name: _property(column, profile) for column in profile.columns},
        "required": [column.name for column in profile.columns if always_there(column)],
    }


def _property(column: ColumnSummary, profile: ProfileDocument) -> dict[str, Any]:
    found = dict(_JSON_TYPES.get(stated_type(column), {}))
    levels: list[Any] = all_levels(column)
    if levels:
        found["enum"] = levels
    if not always_there(column):
        if "type" in found:
            found["type"] = [found["type"], "null"]
        if levels:
            found["enum"] = [*levels, None]
    stated = profile.description.column(column.name) if profile.description else None
    if stated and stated.title:
        found["title"] = stated.title
    if stated and stated.text:
        found["description"] = stated.text
    return found


def create_table(profile: ProfileDocument, table: str) -> str:
    """A statement of SQL that makes a table for such rows."""
    key = profile.description.key if profile.description else ()
    lines = [_column(column) for column in profile.columns]
    if key:
        lines.append(f"PRIMARY KEY ({', '.join(map(_name, key))})")
    body = ",\n".join(f"    {line}" for line in lines)
    return f"CREATE TABLE {_name(table)} (\n{body}\n);\n"


def _column(column: ColumnSummary) -> str:
    return " ".join(_parts(column))


def _parts(column: ColumnSummary) -> Iterator[str]:
    yield _name(column.name)
    yield _SQL_TYPES.get(stated_type(column), "TEXT")
    if always_there(column):
        yield "NOT NULL"
    if never_repeats(column):
        yield "UNIQUE"
    levels = all_levels(column)
    # No database takes this sign in a text.
    if levels and not any("\0" in level for level in levels):
        yield f"CHECK ({_name(column.name)} IN ({', '.join(map(_text, levels))}))"


def _name(name: str) -> str:
    return '"' + name.replace("\0", "").replace('"', '""') + '"'


def _text(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"
