"""Settings from a TOML file, and where each of the effective ones came from."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from os import PathLike
from pathlib import Path
from typing import Any, NamedTuple, get_args

import msgspec

from nachsicht.config.settings import (
    FIELDS,
    ReadOptions,
    Settings,
    ThemeChoice,
    Thresholds,
    check_name,
    settings_of,
)
from nachsicht.errors import DocumentError, SettingsError
from nachsicht.i18n import phrase
from nachsicht.model.findings import FindingCode
from nachsicht.model.profile import ProfileDocument

#: Read by the command where it is there and no other is named.
DEFAULT = "nachsicht.toml"
#: Read where that is not there and this has a table for us.
PROJECT, _TABLE = "pyproject.toml", "tool.nachsicht"

_TABLES = {
    "reading": tuple(field.name for field in msgspec.structs.fields(ReadOptions)),
    "theme": tuple(field.name for field in msgspec.structs.fields(ThemeChoice)),
    "findings.*": tuple(field.name for field in msgspec.structs.fields(Thresholds)),
}


class Effective(NamedTuple):
    """One setting, its value, and where that came from: a place in a file, the call, or default."""

    name: str
    value: Any
    origin: str


def settings_from(
    base: Settings | str | PathLike[str] | None, options: Mapping[str, Any]
) -> Settings:
    """Lay keyword options over settings, or over those of a file.

    How data is read may be said by itself: ``table="hives"`` is ``reading={"table": "hives"}``.

    Raises
    ------
    SettingsError
        If an option is unknown (the nearest right name is reported) or has a wrong value.
    """
    for name in options:
        check_name(name, (*FIELDS, *_TABLES["reading"]), name)
    if isinstance(base, str | PathLike):
        base = read_settings(Path(base))
    own = {name: msgspec.to_builtins(value) for name, value in options.items()}
    reading = {name: own.pop(name) for name in _TABLES["reading"] if name in own}
    if reading:
        own["reading"] = {**own.get("reading", {}), **reading}
    return settings_of(_laid_over(msgspec.to_builtins(base or Settings()), own))


def _laid_over(below: dict[str, Any], above: dict[str, Any]) -> dict[str, Any]:
    """Two trees of settings as one; where both have a value, that of the upper one counts."""
    tables = {
        name: _laid_over(below[name], value)
        for name, value in above.items()
        if isinstance(value, dict) and isinstance(below.get(name), dict)
    }
    return {**below, **above, **tables}


def read_settings(path: Path) -> Settings:
    """The settings of a file.

    Raises
    ------
    SettingsError
        If the file is not there, is no TOML, or holds a name or value that is wrong; with
        the line where there is one, and the nearest right name.
    """
    return settings_of(_values(path), str(path))


def settings_in(document: ProfileDocument) -> Settings:
    """The settings that a profile was made with, as its document tells them.

    Raises
    ------
    DocumentError
        If they are not such as there are.
    """
    import tomllib

    try:
        return settings_of(tomllib.loads(document.origin.settings))
    except (tomllib.TOMLDecodeError, SettingsError) as error:
        raise DocumentError("document_damaged", where=document.label, error=error) from error


def effective_settings(path: Path | None, options: dict[str, Any]) -> list[Effective]:
    """All settings, by name, with where each came from."""
    text, values = "", {}
    if path is not None:
        values = _values(path)
        text = path.read_text(encoding="utf-8")
    settings = settings_of(_laid_over(values, options), str(path or ""))
    found = []
    for name in FIELDS:
        if name in options:
            origin = "option"
        elif name in values:
            origin = f"{path}, line {_line_of(text, name)}"
        else:
            origin = "default"
        found.append(Effective(name, msgspec.to_builtins(getattr(settings, name)), origin))
    return found


def assigned(text: str) -> tuple[str, Any]:
    """A setting and its value, as ``NAME=VALUE``; the value is TOML, or else a text as it is.

    Raises
    ------
    SettingsError
        If there is no equals sign.
    """
    import tomllib

    name, sign, value = text.partition("=")
    if not sign:
        raise SettingsError("not_an_assignment", where="--set", text=repr(text))
    try:
        return name.strip(), tomllib.loads(f"value = {value}")["value"]
    except tomllib.TOMLDecodeError:
        return name.strip(), value


def nested(assignments: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    """Settings as a tree; names with points lead into tables, as in ``findings.zeros.off``."""
    tree: dict[str, Any] = {}
    for path, value in assignments:
        *tables, name = path.split(".")
        table = tree
        for step in tables:
            table = table.setdefault(step, {})
        table[name] = value
    return tree


def default_file() -> Path | None:
    """The file of settings of the folder that one works in: its own, or a table of the project's.

    ``nachsicht.toml``, else ``pyproject.toml`` where that has a table ``[tool.nachsicht]``.
    """
    own, project = Path(DEFAULT), Path(PROJECT)
    if own.is_file():
        return own
    if project.is_file() and f"[{_TABLE}" in project.read_text(encoding="utf-8", errors="replace"):
        return project
    return None


def read_theme(path: Path) -> dict[str, Any]:
    """The theme in a file of its own, which holds what the table ``theme`` of settings does.

    The logo's path is from the folder of the file.

    Raises
    ------
    SettingsError
        As for `read_settings`.
    """
    text, values = _toml_in(path)
    for name in values:
        check_name(name, _TABLES["theme"], _place(path, text, name))
    settings_of({"theme": values}, str(path))
    logo = values.get("logo")
    return {**values, "logo": str(path.parent / logo)} if logo else values


def _values(path: Path) -> dict[str, Any]:
    text, values = _toml_in(path)
    if path.name == PROJECT:
        values = values.get("tool", {}).get("nachsicht", {})
    _check_names(values, text, path)
    _check_each(values, text, path)
    return values


def _toml_in(path: Path) -> tuple[str, dict[str, Any]]:
    """The text of a file, and what it holds."""
    import tomllib

    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise SettingsError(
            "settings_not_opened", where=str(path), strerror=error.strerror
        ) from error
    except UnicodeDecodeError as error:
        raise SettingsError("settings_not_utf8", where=str(path)) from error
    try:
        return text, tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SettingsError("settings_not_toml", where=str(path), error=error) from error


def _check_names(values: dict[str, Any], text: str, path: Path) -> None:
    """Refuse unknown names at every depth, with their line."""
    for name, value in values.items():
        check_name(name, FIELDS, _place(path, text, name))
        if name in ("reading", "theme") and isinstance(value, dict):
            for inner in value:
                check_name(inner, _TABLES[name], _place(path, text, inner))
        if name == "findings" and isinstance(value, dict):
            for code, limits in value.items():
                check_name(code, get_args(FindingCode), _place(path, text, code))
                for inner in limits if isinstance(limits, dict) else ():
                    check_name(inner, _TABLES["findings.*"], _place(path, text, inner))


def _check_each(values: dict[str, Any], text: str, path: Path) -> None:
    """Convert every setting by itself, so that a wrong value can be reported with its line."""
    for name, value in values.items():
        try:
            settings_of({name: value})
        except SettingsError as error:
            raise SettingsError(
                "wrong_value_because",
                where=_place(path, text, name),
                todo=error.todo,
                because=error.where,
            ) from error


def _place(path: Path, text: str, name: str) -> str:
    return phrase("hints.line", path=path, line=_line_of(text, name))


def _line_of(text: str, name: str) -> int:
    """The line on which a key or a table of this name stands, counted from 1."""
    quoted = rf"[\"']?{re.escape(name)}[\"']?"
    pattern = re.compile(rf"^\s*(\[+\s*([\w.\"'-]+\.)?{quoted}\s*[.\]]|([\w.]+\.)?{quoted}\s*[.=])")
    for number, line in enumerate(text.splitlines(), start=1):
        if pattern.match(line):
            return number
    return 1
