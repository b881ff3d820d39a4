"""Descriptions in open formats, beside the data or where the user says: Table Schema and CSVW."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from functools import partial
from pathlib import Path, PurePath
from typing import Any

import msgspec

from nachsicht.errors import SourceNotFoundError, UnreadableSourceError
from nachsicht.model.dataset_schema import Description
from nachsicht.sources.schemas.table_schema import csvw, table_schema

#: Names of files that describe others, and are no part of a dataset themselves.
NAMES = ("datapackage.json", "csv-metadata.json", "*-metadata.json", "*.schema.json")
#: What is raised where something else stands than the format has there.
_MISFORMED = (TypeError, ValueError, KeyError, AttributeError)
#: Larger files describe no table.
_MOST_BYTES = 16 << 20


def is_description(path: PurePath) -> bool:
    """Whether a file describes others, by its name."""
    return any(fnmatchcase(path.name.lower(), pattern) for pattern in NAMES)


def description_in(path: Path, data: Path | None = None) -> Description:
    """The description that a file holds.

    Parameters
    ----------
    path : Path
        Of a Table Schema, a Data Package or a CSVW file.
    data : Path, optional
        The file or folder that is described, to choose among several tables.

    Raises
    ------
    SourceNotFoundError
        If there is no such file.
    UnreadableSourceError
        If it holds no description, or none of that data.
    """
    if not path.is_file():
        raise SourceNotFoundError("no_description", where=str(path))
    found = _read(path, _names(data) if data else set())
    if found is None:
        raise UnreadableSourceError(
            "describes_no_table", where=str(path), name=data.name if data else ""
        )
    return found


def description_beside(path: Path) -> Description | None:
    """The description that lies beside a file, or in a folder, by the names that are usual.

    Raises
    ------
    UnreadableSourceError
        If there is one that cannot be understood.
    """
    folder = path if path.is_dir() else path.parent
    own = () if path.is_dir() else (f"{path.name}-metadata.json", f"{path.stem}.schema.json")
    for name in (*own, "datapackage.json", "csv-metadata.json"):
        beside = folder / name
        if beside.is_file() and (found := _read(beside, _names(path))) is not None:
            return found
    return None


def _names(data: Path) -> set[str]:
    """What a description may call a file, or the files of a folder."""
    inside = (entry.name for entry in data.iterdir()) if data.is_dir() else ()
    return {data.name, *inside}


def _read(path: Path, data: set[str]) -> Description | None:
    """What a file says of some data; None where it says nothing of it."""
    try:
        if path.stat().st_size > _MOST_BYTES:
            return None
        content = msgspec.json.decode(path.read_bytes())
    except (OSError, msgspec.DecodeError) as error:
        reason = getattr(error, "strerror", None) or error
        raise UnreadableSourceError("description_not_read", where=str(path), reason=reason) from (
            error
        )
    try:
        make = next(_readers(content, data, path), None)
        return make(path.name) if make else None
    except (OSError, msgspec.MsgspecError, *_MISFORMED) as error:
        raise UnreadableSourceError(
            "description_not_understood", where=str(path), error=error
        ) from error


def _readers(content: Any, data: set[str], path: Path) -> Iterator[Callable[[str], Description]]:
    """What makes a description of each table that the content describes and that may be meant."""
    if not isinstance(content, Mapping):
        return
    if isinstance(content.get("fields"), Sequence):
        yield partial(table_schema, content, {})
    for resource in _chosen(content.get("resources"), "path", data):
        schema = resource.get("schema")
        if isinstance(schema, str):
            # A schema of its own: beside the package, and nowhere else.
            schema = msgspec.json.decode((path.parent / Path(schema).name).read_bytes())
        if isinstance(schema, Mapping) and isinstance(schema.get("fields"), Sequence):
            yield partial(table_schema, schema, resource)
    for table in _chosen(content.get("tables"), "url", data):
        if isinstance(table.get("tableSchema"), Mapping):
            yield partial(csvw, table, content)
    if isinstance(content.get("tableSchema"), Mapping) and _meant(content, "url", data):
        yield partial(csvw, content, {})


def _chosen(tables: Any, key: str, data: set[str]) -> list[Mapping[str, Any]]:
    """Those of several tables that lie at some data; the only one, where it does not say."""
    known = [table for table in tables or [] if isinstance(table, Mapping)]
    return [table for table in known if _meant(table, key, data)]


def _meant(table: Mapping[str, Any], key: str, data: set[str]) -> bool:
    places = table.get(key) or []
    places = [places] if isinstance(places, str) else list(places)
    names = {part for place in places for part in str(place).replace("\\", "/").split("/")}
    return not names or not data or bool(names & data)
