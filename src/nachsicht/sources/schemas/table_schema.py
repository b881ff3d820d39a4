"""What the open formats call things, and what we call them.

Table Schema: the fields, constraints and missing values of a Frictionless Data Package. CSVW: the
columns and datatypes of the W3C's metadata for tabular data.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nachsicht.model.dataset_schema import Bound, ColumnDescription, Description, StatedType

_T = StatedType
#: Types of Table Schema.
FIELD_TYPES = {
    "string": _T.TEXT,
    "integer": _T.WHOLE,
    "number": _T.NUMBER,
    "boolean": _T.FLAG,
    "date": _T.DATE,
    "datetime": _T.DATETIME,
    "time": _T.TIME,
    "duration": _T.DURATION,
    "year": _T.WHOLE,
    "object": _T.NESTED,
    "array": _T.NESTED,
    "list": _T.NESTED,
}
#: Datatypes of CSVW; those that are not here count as any.
DATATYPES = {
    "string": _T.TEXT,
    "normalizedString": _T.TEXT,
    "token": _T.TEXT,
    "anyURI": _T.TEXT,
    "integer": _T.WHOLE,
    "int": _T.WHOLE,
    "long": _T.WHOLE,
    "short": _T.WHOLE,
    "byte": _T.WHOLE,
    "nonNegativeInteger": _T.WHOLE,
    "positiveInteger": _T.WHOLE,
    "unsignedInt": _T.WHOLE,
    "unsignedLong": _T.WHOLE,
    "unsignedShort": _T.WHOLE,
    "gYear": _T.WHOLE,
    "number": _T.NUMBER,
    "decimal": _T.NUMBER,
    "double": _T.NUMBER,
    "float": _T.NUMBER,
    "boolean": _T.FLAG,
    "date": _T.DATE,
    "datetime": _T.DATETIME,
    "dateTime": _T.DATETIME,
    "dateTimeStamp": _T.DATETIME,
    "time": _T.TIME,
    "duration": _T.DURATION,
    "dayTimeDuration": _T.DURATION,
    "yearMonthDuration": _T.DURATION,
}
#: Ends of keys under which units stand; neither format has a word of its own for them.
_UNITS = ("unit", "units", "unitText", "unitCode")


def table_schema(
    schema: Mapping[str, Any], resource: Mapping[str, Any], source: str
) -> Description:
    """A description from a Table Schema, and the resource of a Data Package that has it."""
    marks = _marks(schema.get("missingValues", ()))
    key = _names(schema.get("primaryKey"))
    unique = [*([key] if key else []), *map(_names, schema.get("uniqueKeys") or [])]
    alone = {names[0] for names in unique if len(names) == 1}
    return Description(
        source=source,
        columns=tuple(_field(field, marks, alone, key) for field in schema["fields"]),
        title=_text(resource.get("title") or schema.get("title")),
        text=_text(resource.get("description") or schema.get("description")),
        key=key,
    )


def _field(
    field: Mapping[str, Any], marks: tuple[str, ...], alone: set[str], key: tuple[str, ...]
) -> ColumnDescription:
    name = str(field["name"])
    asked = field.get("constraints") or {}
    form = _text(field.get("format"))
    above, below = asked.get("exclusiveMinimum"), asked.get("exclusiveMaximum")
    return ColumnDescription(
        name=name,
        type=FIELD_TYPES.get(str(field.get("type", "any")), _T.ANY),
        format=""
        if form == "default"
        else form or _foreign_numbers(field, ("groupChar", "bareNumber")),
        title=_text(field.get("title")),
        text=_text(field.get("description")),
        unit=_unit(field),
        required=bool(asked.get("required")) or name in key,
        unique=bool(asked.get("unique")) or name in alone,
        minimum=_bound(asked.get("minimum") if above is None else above),
        maximum=_bound(asked.get("maximum") if below is None else below),
        above=above is not None,
        below=below is not None,
        min_length=_whole(asked.get("minLength")),
        max_length=_whole(asked.get("maxLength")),
        pattern=asked.get("pattern"),
        levels=_levels(asked.get("enum") or field.get("categories") or ()),
        ordered=bool(field.get("categoriesOrdered")),
        na_values=_marks(field["missingValues"]) if "missingValues" in field else marks,
        yes=_marks(field.get("trueValues", ())),
        no=_marks(field.get("falseValues", ())),
    )


def csvw(table: Mapping[str, Any], group: Mapping[str, Any], source: str) -> Description:
    """A description from a table of CSVW, which inherits what its group says."""
    schema = table["tableSchema"]
    inherited = {**group, **table, **schema}
    columns = [column for column in schema.get("columns", ()) if not column.get("virtual")]
    by_name = {str(column.get("name")): _title(column) for column in columns}
    key = tuple(by_name.get(name, name) for name in _names(schema.get("primaryKey")))
    return Description(
        source=source,
        columns=tuple(_column(column, inherited, key) for column in columns),
        title=_annotation(table, "title") or _annotation(group, "title"),
        text=_annotation(table, "description") or _annotation(group, "description"),
        key=key,
    )


def _column(
    column: Mapping[str, Any], inherited: Mapping[str, Any], key: tuple[str, ...]
) -> ColumnDescription:
    described = {
        name: inherited[name] for name in ("datatype", "null", "required") if name in inherited
    }
    described |= column
    name, datatype = _title(column), described.get("datatype", "string")
    facts: Mapping[str, Any] = datatype if isinstance(datatype, Mapping) else {"base": datatype}
    base = str(facts.get("base", "string"))
    stated = DATATYPES.get(base, _T.ANY)
    form = facts.get("format")
    pattern = form if stated is _T.TEXT else None  # of texts the form is a regular expression
    yes, no = _yes_and_no(form) if stated is _T.FLAG else ("", "")
    above, below = facts.get("minExclusive"), facts.get("maxExclusive")
    low = facts.get("minimum", facts.get("minInclusive"))
    high = facts.get("maximum", facts.get("maxInclusive"))
    implied = low is None and above is None  # by the datatype's own name
    if implied and base in ("nonNegativeInteger", "positiveInteger"):
        low = 0
    return ColumnDescription(
        name=name,
        type=stated,
        format=""
        if pattern or yes
        else _text(form if isinstance(form, str) else form and "written"),
        title=_annotation(column, "title"),
        text=_annotation(column, "description"),
        unit=_unit(column),
        required=bool(described.get("required")) or name in key,
        unique=key == (name,),
        minimum=_bound(low if above is None else above),
        maximum=_bound(high if below is None else below),
        above=above is not None or (implied and base == "positiveInteger"),
        below=below is not None,
        min_length=_whole(facts.get("minLength", facts.get("length"))),
        max_length=_whole(facts.get("maxLength", facts.get("length"))),
        pattern=pattern,
        na_values=_marks(described.get("null", ())),
        yes=(yes,) if yes else (),
        no=(no,) if no else (),
    )


def _title(column: Mapping[str, Any]) -> str:
    """What the column is called in the data: its first title, else its name."""
    titles = column.get("titles")
    if isinstance(titles, Mapping):  # by language
        titles = next(iter(titles.values()), None)
    if isinstance(titles, Sequence) and not isinstance(titles, str):
        titles = titles[0] if titles else None
    return str(titles if titles is not None else column["name"])


def _annotation(described: Mapping[str, Any], word: str) -> str:
    """What stands under a word of any vocabulary: dc:title, schema:description and so on."""
    for key, value in described.items():
        if key.rpartition(":")[2].rpartition("/")[2] == word and ":" in key:
            return _text(value)
    return ""


def _unit(described: Mapping[str, Any]) -> str:
    for key, value in described.items():
        if key.rpartition(":")[2] in _UNITS:
            return _text(value)
    return ""


def _text(value: Any) -> str:
    """A text for people, in its first language; empty where there is none."""
    if isinstance(value, Mapping):
        value = value.get("@value", next(iter(value.values()), None))
    if isinstance(value, Sequence) and not isinstance(value, str):
        return _text(value[0]) if value else ""
    return "" if value is None else str(value)


def _names(value: Any) -> tuple[str, ...]:
    if not value:
        return ()
    return (value,) if isinstance(value, str) else tuple(map(str, value))


def _marks(values: Any) -> tuple[str, ...]:
    """Values that are written out; the empty text is missing in any case."""
    plain = [values] if isinstance(values, str) else values or ()
    described = (value.get("value") if isinstance(value, Mapping) else value for value in plain)
    return tuple(str(value) for value in described if value not in (None, ""))


def _levels(values: Any) -> tuple[str, ...]:
    described = (value.get("value") if isinstance(value, Mapping) else value for value in values)
    return tuple(
        str(value).lower() if isinstance(value, bool) else str(value) for value in described
    )


def _bound(value: Any) -> Bound | None:
    return value if isinstance(value, Bound) and not isinstance(value, bool) else None


def _whole(value: Any) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def _foreign_numbers(field: Mapping[str, Any], keys: Sequence[str]) -> str:
    """How numbers are written, where that is not plainly."""
    foreign = any(field.get(key) not in (None, True) for key in keys)
    return "written" if foreign or field.get("decimalChar") not in (None, ".") else ""


def _yes_and_no(form: Any) -> tuple[str, str]:
    yes, _, no = str(form or "").partition("|")
    return yes, no
