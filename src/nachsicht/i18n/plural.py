"""Plural rules by language: which form of a phrase goes with a number (Unicode CLDR)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

from nachsicht.i18n.catalogue import current_language

#: The form that every entry of several forms has.
GENERAL = "other"


def plural_form(entry: Mapping[str, Any], count: float) -> str:
    """The text of an entry that suits a count; the general one where it has no form of its own."""
    return str(entry.get(_rule(current_language())(count), entry[GENERAL]))


@cache
def _rule(language: str) -> Callable[[float], str]:
    if language == "en":  # spares loading the tables of all languages
        return lambda count: "one" if count == 1 else GENERAL
    from babel import Locale

    return Locale.parse(language).plural_form
