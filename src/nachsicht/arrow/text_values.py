"""How numbers, dates, codes, yes and no, and missing values are written in texts.

Patterns in capitals are for Arrow (RE2) and for `re` alike. ``\\d`` is a digit of ASCII in Arrow.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

#: Units and signs that may stand with a number. Longer ones first.
UNITS = (
    *("kWh", "MWh", "km/h", "EUR", "USD", "GBP", "CHF", "lbs", "min", "mm²", "km²"),
    *("kg", "mg", "lb", "oz", "cm", "mm", "km", "ft", "in", "mi", "ml", "ms", "Hz", "kW", "MW"),
    *("°C", "°F", "m²", "m³", "g", "t", "m", "l", "h", "s", "W", "V", "A", "K", "%", "€", "$"),
    *("£", "¥"),
)
#: What may stand before a number. A letter there makes a code of it: K1, W12.
CURRENCIES = ("EUR", "USD", "GBP", "CHF", "€", "$", "£", "¥")
ANY_UNIT = "|".join(map(re.escape, UNITS))
ANY_CURRENCY = "|".join(map(re.escape, CURRENCIES))

#: A number with a point for decimals and comma, space or apostrophe between thousands; and the
#: other way round.
NUMBER_WITH_POINT = r"[+-]?(\d{1,3}([,' ]\d{3})+|\d+)(\.\d+)?"
NUMBER_WITH_COMMA = r"[+-]?(\d{1,3}([.' ]\d{3})+|\d+)(,\d+)?"
#: Decimals that can be nothing else.
DECIMAL_COMMA, DECIMAL_POINT = r"[+-]?\d+,\d+", r"[+-]?\d+\.\d+"
#: A comma somewhere in a number that does not stand between thousands.
SURE_DECIMAL_COMMA = r"\d,(\d{1,2}|\d{4,})(?!\d)|\.\d{3},"
#: A number in the usual notation of programs.
PLAIN_NUMBER = r"[-+]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?"
#: A number in any notation, by itself or with a unit.
FIELD_NUMBER = r"[+-]?(\d+([.,]\d+)*|[.,]\d+)([eE][+-]?\d+)?\s?%?"
LOOKS_NUMERIC = (
    r"^\s*([€$£¥]\s?)?[+-]?(\d+([.,]\d+)?|\d{1,3}([,.' ]\d{3})+([.,]\d+)?)\s?"
    rf"({ANY_UNIT})?\s*$"
)
NUMBER_AND_UNIT = r"^\s*[+-]?\d[\d.,' ]*\s*(%|°?\p{L}{1,4}([²³]|/\p{L}{1,3})?|[€$£¥])\s*$"

#: Codes of digits. A digit after a leading zero marks one (a postcode, a telephone number), and so
#: do more digits than a number in float64 keeps, a hexadecimal sign, and an E behind two digits.
CODE = r"^\s*[+-]?(0[0-9xX]|[0-9]{16,}\s*$|[0-9]{2,}[eE][0-9]+\s*$)"
#: The same where numbers are read at once: only what reading as a number would change.
CHANGED_BY_READING = r"^\s*[+-]?(0\d+([.,]\d*)?|0[xX][0-9a-fA-F]+|\d{2,}[eE]\d+|\d{19,})\s*$"
#: Digits that begin with a zero, which is lost where they are read as a number.
ZEROS_AND_DIGITS = r"^0\d+$"
#: More digits than a double tells apart; the second behind zeros that count for nothing.
MANY_DIGITS = r"[0-9]{18,}|[0-9]{9,}[.,][0-9]{9,}"
MANY_SIGNIFICANT_DIGITS = (
    r"^\s*[+-]?(0?[.,]0*[1-9]\d{17,}|[1-9]\d{0,8}[.,]\d{17,}|\d{9,}[.,]\d{9,})\s*$"
)

#: Orders of day, month and year that are tried in turn, after ISO 8601.
DATE_FORMATS = (
    *("%d.%m.%Y", "%d.%m.%Y %H:%M", "%d.%m.%Y %H:%M:%S"),
    *("%d/%m/%Y", "%d/%m/%Y %H:%M", "%m/%d/%Y", "%m/%d/%Y %H:%M", "%Y/%m/%d"),
    *("%d-%m-%Y", "%d %b %Y", "%d %B %Y", "%b %d, %Y", "%B %d, %Y"),
)
LOOKS_LIKE_DATE = (
    r"^\s*(\d{4}[-./]\d{1,2}[-./]\d{1,2}|\d{1,2}[-./]\d{1,2}[-./]\d{2,4})([ T]\d{1,2}:\d{2}.*)?\s*$"
)
_CLOCK = r"\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?"
FIELD_DATETIME = rf"\d{{1,4}}[-/.]\d{{1,2}}[-/.]\d{{1,4}}([ T]{_CLOCK})?Z?|{_CLOCK}"
DAY_MONTH_YEAR = r"(\d{1,2})([./-])(\d{1,2})\2\d{4}"
#: As schemas define them.
ISO_DATE = r"^\s*-?\d{4}-\d{2}-\d{2}\s*$"
ISO_DATETIME = r"^\s*\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?\s*$"
INTEGER = r"^\s*[+-]?\d+\s*$"
NUMBER = r"^\s*([+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?|NaN|-?INF)\s*$"

#: Yes and no, as people write them, in lower case.
YES_NO = (("yes", "no"), ("y", "n"), ("true", "false"), ("t", "f"), ("1", "0"))
YES, NO = (tuple(pair[side] for pair in YES_NO) for side in (0, 1))

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


_LETTER, _NO_SPACE_OR_DIGIT = r"\p{L}", r"[^\s\d]"


def loosely(pattern: str) -> str:
    """A pattern that fits whatever the given one does, and perhaps more.

    A class of all letters takes milliseconds to be prepared, for each column anew; most columns
    fail without it.
    """
    return pattern.replace(_LETTER, _NO_SPACE_OR_DIGIT)
