"""Words that say that there is no value, and where they are values after all."""

from __future__ import annotations

from collections.abc import Iterable

#: What people write when there is no word.
WORDS = frozenset(
    "n/a na #n/a n.a. nan none null nil missing unknown undefined unspecified not_available"
    " notavailable not_known tbd ? ?? ??? - -- --- (none) (blank) blank empty"
    " k.a. kA n.v. not_applicable -99 -999 -9999 9999 99999".casefold().split()
)
#: Of these, what is as good a level of a category as any other.
_LEVELS = frozenset(["none", "nil", "(none)", "-", "--", "---"])
#: So many other values, and such a share of them, in as many letters of the same case make a code
#: of a word: NA among DE, FR and SE.
_FEWEST_ALIKE, _ALIKE = 2, 0.95


def is_word_for_missing(text: str) -> bool:
    """Whether a text says that there is no value."""
    return not text.strip() or "_".join(text.casefold().split()) in WORDS


def stands_for_missing(word: str, levels: Iterable[str]) -> bool:
    """Whether a level of a category says that there is no value."""
    if not is_word_for_missing(word) or word.strip().casefold() in _LEVELS:
        return False
    return not is_code_among(word, levels)


def is_code_among(word: str, values: Iterable[str]) -> bool:
    """Whether nearly all other values are written in as many letters of the same case."""
    others = [text for text in values if not is_word_for_missing(text)]
    alike = sum(_case(text) == _case(word) for text in others)
    return word.isalpha() and alike >= _FEWEST_ALIKE and alike >= _ALIKE * len(others)


def _case(text: str) -> str:
    return "".join("A" if sign.isupper() else "a" if sign.islower() else sign for sign in text)
