"""Catalogues of words, one file a language, and the language that is spoken just now."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from typing import Any

#: The language of the code's own texts, which every other one is a translation of.
DEFAULT = "en"
#: What a block has chosen; threads that it starts do not know of it.
_spoken: ContextVar[str | None] = ContextVar("nachsicht_language", default=None)
_of_process = [DEFAULT]


@cache
def languages() -> tuple[str, ...]:
    """Codes (ISO 639-1) of all languages that there is a catalogue for."""
    from importlib.resources import files

    names = (entry.name for entry in files(__package__).joinpath("locales").iterdir())
    return tuple(sorted(name.removesuffix(".toml") for name in names if name.endswith(".toml")))


def current_language() -> str:
    """The language in which sentences are made just now."""
    return _spoken.get() or _of_process[0]


def set_language(language: str) -> None:
    """Make all sentences of this process in another language, but for what `use_language` says."""
    _of_process[0] = language


@contextmanager
def use_language(language: str) -> Iterator[None]:
    """Make all sentences within the block in another language."""
    token = _spoken.set(language)
    try:
        yield
    finally:
        _spoken.reset(token)


def catalogue(language: str | None = None) -> dict[str, Any]:
    """The catalogue of a language, else of the one that is spoken just now: nested tables."""
    return _read(language or current_language())


@cache
def _read(language: str) -> dict[str, Any]:
    import tomllib
    from importlib.resources import files

    text = files(__package__).joinpath("locales", f"{language}.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def lookup(path: str) -> Any:
    """The entry of the current catalogue at a path of names between points; None for none."""
    entry: Any = catalogue()
    for step in path.split("."):
        entry = entry.get(step) if isinstance(entry, dict) else None
    return entry
