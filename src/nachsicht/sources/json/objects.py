"""JSON that is one object: columns by name, column names beside rows, or records under a key."""

from __future__ import annotations

from typing import Any

#: Names under which rows and the names of columns stand side by side.
_NAMES, _ROWS = ("columns", "header", "fields"), ("data", "rows", "values")
#: How deep records may be nested under keys.
_DEEPEST = 3

Columns = dict[str, list[Any]]


def columns_in(value: Any) -> Columns | None:
    """The columns of an object; None where it is no table, but a record at most.

    Parameters
    ----------
    value : dict
        As JSON gives it.
    """
    return _rows_beside_names(value) or _columns_by_name(value) or _records_below(value)


def columns_of_records(records: list[dict[str, Any]]) -> Columns:
    """Records as columns, in the order in which their names come up."""
    names = list(dict.fromkeys(name for record in records for name in record))
    return {name: [record.get(name) for record in records] for name in names}


def _rows_beside_names(value: dict[str, Any]) -> Columns | None:
    names = next((value[key] for key in _NAMES if _is_texts(value.get(key))), None)
    rows = next((value[key] for key in _ROWS if _is_rows(value.get(key))), None)
    if names is None or rows is None or any(len(row) != len(names) for row in rows):
        return None
    if len(set(names)) < len(names):
        return None
    return {name: [row[i] for row in rows] for i, name in enumerate(names)}


def _columns_by_name(value: dict[str, Any]) -> Columns | None:
    """Every column as a list, or as an object whose keys are the rows."""
    held = list(value.values())
    if held and all(isinstance(column, list) for column in held):
        same = len({len(column) for column in held}) == 1
        plain = not any(isinstance(cell, dict) for column in held for cell in column[:1])
        return value if same and held[0] and plain else None
    if held and all(isinstance(column, dict) and column for column in held):
        rows = list(held[0])
        simple = all(
            list(column) == rows and not any(isinstance(c, dict | list) for c in column.values())
            for column in held
        )
        return {name: list(column.values()) for name, column in value.items()} if simple else None
    return None


def _records_below(value: dict[str, Any]) -> Columns | None:
    """Records under the one key that holds a list of them, where the nesting is least deep."""
    level = [value]
    for _ in range(_DEEPEST):
        inside = [inner for outer in level for inner in outer.values()]
        found = [inner for inner in inside if _is_records(inner)]
        if found:
            return columns_of_records(found[0]) if len(found) == 1 else None
        level = [inner for inner in inside if isinstance(inner, dict)]
    return None


def _is_records(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(v, dict) for v in value)


def _is_texts(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(name, str) for name in value)


def _is_rows(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(row, list) for row in value)
