"""Partition trees: folders named ``key=value``, whose parts are columns of the files below."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any
from urllib.parse import unquote

import pyarrow as pa

#: Stands in a folder's name for rows without a value; both are written by common engines.
_MISSING = ("__HIVE_DEFAULT_PARTITION__", "")
_WHOLE = re.compile(r"-?(0|[1-9]\d{0,17})|0\d")

#: Names and values of the folders above a file, from the outermost on.
Keys = tuple[tuple[str, str | None], ...]


def is_partition(name: str) -> bool:
    """Whether the name of a folder is that of a partition."""
    key, sign, _ = name.partition("=")
    return bool(sign and key) and not key.startswith((".", "_"))


def keys_in(folders: Sequence[str]) -> Keys:
    """The keys that the names of folders tell."""
    found = []
    for name in folders:
        key, _, value = name.partition("=")
        value = unquote(value)
        found.append((unquote(key), None if value in _MISSING else value))
    return tuple(found)


def key_columns(keys: Sequence[Keys]) -> list[dict[str, Any]]:
    """For each file the value that a column has in all its rows, as Arrow scalars.

    Numbers where all values of a key are whole numbers, else texts.
    """
    values: dict[str, list[str]] = {}
    for own in keys:
        for key, value in own:
            values.setdefault(key, []).extend([] if value is None else [value])
    types = {
        key: pa.int64() if all(map(_WHOLE.fullmatch, held)) else pa.string()
        for key, held in values.items()
    }

    def scalar(key: str, value: str | None) -> Any:
        whole = value is not None and types[key] == pa.int64()
        return pa.scalar(int(value) if whole and value else value, types[key])

    return [{key: scalar(key, value) for key, value in own} for own in keys]


def with_keys(rows: Any, keys: dict[str, Any]) -> Any:
    """Rows of a file, with the columns that its folders tell and it does not hold itself."""
    names, columns = [*rows.schema.names], [*rows.columns]
    for key, value in keys.items():
        if key not in names:
            names.append(key)
            columns.append(pa.repeat(value, rows.num_rows))
    return type(rows).from_arrays(columns, names=names)
