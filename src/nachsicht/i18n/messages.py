"""Messages: a phrase of the catalogue with its facts filled in, each formatted as it asks.

A phrase names facts in braces, with the format behind a colon:

========= =====================================================================
``{n}``    A text as it is, a whole number in groups, a fraction with three digits.
``{n:%}``  A share as per cent.
``{n:5}``  A number with five significant digits (a text as it is); ``abs5`` without its sign.
``{n:in_words}``  A small whole number as a word; ``In_words`` with a capital letter.
``{n:q}``  A value: texts in quotation marks; no value by its name.
``{n:list3}``  The first three of several texts; ``quotes3`` in quotation marks.
``{n:count}``  How many there are of several.
``{n:to(m)3}``  The first three pairs of two facts, with an arrow between.
``{n:example(m)}``  The first of such pairs.
``{n:times(m)}``  Values, each with its count of the fact ``m`` in brackets.
``{n:equal}``  Groups of equal row numbers.
``{n:kinds}``  What the table ``kinds`` of the catalogue calls it; ``Kinds`` with a capital.
``{?where}``  The clause ``where`` of the message, if all its facts are there.
========= =====================================================================

A phrase of several plural forms is a table of them; its ``by`` names the fact that chooses.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from string import Formatter
from typing import Any

from nachsicht.i18n.catalogue import catalogue, lookup
from nachsicht.i18n.numbers import counted, number, percent, whole
from nachsicht.i18n.plural import plural_form

Facts = Mapping[str, Any]
_LISTED = 3
_SPEC = re.compile(r"([A-Za-z_]+)(?:\((\w+)\))?(\d*)")


class MissingFact(KeyError):
    """A phrase asks for a fact that is not there, or that its format cannot show."""


def phrase(path: str, /, **facts: object) -> str:
    """A phrase of the catalogue with its facts filled in, e.g. ``phrase("verdict.steady", n=3)``.

    Where the phrase has several plural forms, the fact ``n`` or that of its ``by`` chooses.
    """
    entry = lookup(path)
    if entry is None:
        raise KeyError(path)
    return render(entry, facts)


def render(entry: Any, facts: Facts, clauses: Mapping[str, Any] | None = None) -> str:
    """An entry of the catalogue (a text, or a table of plural forms) with facts filled in.

    Raises
    ------
    MissingFact
        If the entry asks for a fact that is not there, or that its format cannot show.
    """
    if isinstance(entry, Mapping):
        entry = plural_form(entry, _count(facts.get(entry.get("by", "n"), 2)))
    return _Message(facts, clauses or {}).format(str(entry))


def _count(fact: Any) -> float:
    """What chooses the plural form: a number, or how many there are of several."""
    if isinstance(fact, int | float):
        return abs(fact)
    if isinstance(fact, Sequence):
        return len(fact)
    raise MissingFact(fact)


def fields_of(text: str) -> tuple[tuple[str, str], ...]:
    """Names and formats of the facts and clauses that a text asks for, in their order."""
    return tuple((name, spec or "") for _, name, spec, _ in Formatter().parse(text) if name)


def facts_asked(entry: Any, clauses: Mapping[str, Any] | None = None) -> set[str]:
    """Names of all facts that an entry and its clauses fill in; none for None."""
    if isinstance(entry, Mapping):
        texts = [text for name, text in entry.items() if name != "by"]
        return {entry.get("by", "n")}.union(*(facts_asked(text, clauses) for text in texts))
    asked: set[str] = set()
    for name, spec in fields_of(str(entry or "")):
        if name.startswith("?"):
            asked |= facts_asked((clauses or {}).get(name[1:]), clauses)
            continue
        beside = _SPEC.fullmatch(spec)
        asked |= {name, *filter(None, [beside and beside[2]])}
    return asked


class _Message(Formatter):
    """Fills in one message."""

    def __init__(self, facts: Facts, clauses: Mapping[str, Any]) -> None:
        self._facts, self._clauses = facts, clauses

    def get_value(self, key: Any, _args: Any, _kwargs: Any) -> Any:
        if str(key).startswith("?"):
            return self._clause(self._clauses[key[1:]])
        if key not in self._facts:
            raise MissingFact(key)
        return self._facts[key]

    def get_field(self, field_name: str, args: Any, kwargs: Any) -> Any:
        return self.get_value(field_name, args, kwargs), field_name

    def _clause(self, clause: Any) -> str:
        try:
            return render(clause, self._facts, self._clauses)
        except MissingFact:
            return ""

    def format_field(self, value: Any, format_spec: str) -> str:
        try:
            return self._formatted(value, format_spec)
        except (TypeError, ValueError, OverflowError) as error:  # facts of a document may be odd
            raise MissingFact(format_spec) from error

    def _formatted(self, value: Any, format_spec: str) -> str:
        if not format_spec:
            return _plain(value)
        if format_spec == "%":
            return percent(value)
        if format_spec.isdigit():
            return value if isinstance(value, str) else number(value, int(format_spec))
        parsed = _SPEC.fullmatch(format_spec)
        assert parsed, format_spec
        name, other, most = parsed[1], parsed[2], int(parsed[3] or _LISTED)
        if other:
            if other not in self._facts:
                raise MissingFact(other)
            return _beside(name, value, self._facts[other], most)
        if name in _FORMATS:
            return str(_FORMATS[name](value, most))
        return self._term(name, value)

    def _term(self, table: str, value: Any) -> str:
        """What a table of the catalogue calls a value; its text may ask for facts as well."""
        terms = catalogue()[table.lower()]
        known = value in terms  # other values are texts of data, and no phrases
        text = render(terms[value], self._facts, self._clauses) if known else str(value)
        return text[:1].upper() + text[1:] if table[0].isupper() else text


def _plain(value: Any) -> str:
    if isinstance(value, tuple):
        return ", ".join(map(_plain, value))
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value)
    return whole(value) if isinstance(value, int) else number(value)


def _few(texts: Sequence[str], most: int) -> str:
    return ", ".join(texts[:most]) + ("…" if len(texts) > most else "")


def _beside(name: str, values: Sequence[Any], others: Sequence[Any], most: int) -> str:
    pairs = list(zip(values, others, strict=True))
    if name == "times":
        return ", ".join(f"{value_text(a)} ({whole(b)})" for a, b in pairs)
    changes = [f"{value_text(a)} → {value_text(b)}" for a, b in pairs]
    return changes[0] if name == "example" else _few(changes, most)


def _in_words(value: Any, _most: int) -> str:
    return counted(value if isinstance(value, int) else len(value))


def _capital_in_words(value: Any, most: int) -> str:
    text = _in_words(value, most)
    return text[:1].upper() + text[1:]


def _equal(groups: Sequence[Sequence[int]], _most: int) -> str:
    return "; ".join(" = ".join(map(whole, group)) for group in groups)


_FORMATS = {
    "abs": lambda value, digits: number(abs(value), digits),
    "in_words": _in_words,
    "In_words": _capital_in_words,
    "q": lambda value, _: value_text(value),
    "list": _few,
    "quotes": lambda values, most: _few([quoted(str(value)) for value in values], most),
    "count": lambda values, _: whole(len(values)),
    "equal": _equal,
}


def printable(text: str) -> str:
    """A text of the user's or of the data in one line, without signs that a terminal would obey."""
    return "".join(letter if letter.isprintable() else "�" for letter in text)


def quoted(text: str, most: int = 40) -> str:
    """A value in quotation marks, cut where it is long."""
    opening, closing = catalogue()["numbers"]["quotes"]
    return f"{opening}{text if len(text) <= most else text[: most - 1] + '…'}{closing}"


def value_text(value: str | float | None) -> str:
    """A value as sentences name it: texts in quotation marks, no value by its name."""
    if value is None:
        return phrase("page.missing")
    return quoted(value) if isinstance(value, str) else number(value, 6)


def format_name(code: str) -> str:
    """What a format of sources is called."""
    return str(catalogue()["formats"].get(code, code))
