"""What texts look like: an e-mail address, a URL, a number with a unit, a date, JSON."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_of, missing_in, values_of
from nachsicht.arrow.text_values import LOOKS_LIKE_DATE, NUMBER_AND_UNIT, loosely
from nachsicht.stats.value_counts import ValueCounts

_DIGITS = b"0123456789"
_SPACES = b"\t\n\v\f\r "

#: Shapes are cut after so many characters: it is their beginning that tells them apart.
SHAPE_LENGTH = 40

#: Name, a cheap sign that most texts lack (a text inside, or one of the first bytes), and the
#: pattern that decides. It takes any letter for any other, and any digit, so that the shape of
#: a text that fits it does too; but for the T of a time, which is an A there.
_LOOKS: tuple[tuple[str, str | bytes, str], ...] = (
    (
        "email",
        "@",
        r"^\s*[\w.+-]+@[\w-]+(\.[\w-]+)+\s*$",
    ),
    (
        "url",
        "://",
        r"^\s*[a-zA-Z][a-zA-Z0-9+.-]*://\S+\s*$",
    ),
    (
        "number_with_unit",
        _DIGITS + _SPACES + b"+-",
        NUMBER_AND_UNIT,
    ),
    (
        "date",
        _DIGITS + _SPACES,
        LOOKS_LIKE_DATE,
    ),
    (
        "json",
        b"{[" + _SPACES,
        r'^\s*(\{\s*("|\})(.|\n)*\}|\[(.|\n)*\])\s*$',
    ),
)


def semantic_types_of(tally: ValueCounts, shaped: Any) -> dict[str, int]:
    """Rows that look like something else, by its name; what no row looks like is left out.

    ``shaped`` is an Arrow dictionary array of the shape of each text.
    """
    found = {}
    texts, counts, measured = tally.values, tally.counts, tally.measured
    shapes, codes = shaped.dictionary, values_of(shaped.indices)
    cut = values_of(pc.utf8_length(shapes)) >= SHAPE_LENGTH
    for name, sign, pattern in _LOOKS:
        if isinstance(sign, str) and not tally.bytes.may_hold(sign):
            continue
        of_shapes = loosely(pattern.replace("[ T]", "[ A]"))
        maybe = _true(pc.match_substring_regex(shapes, of_shapes)) | cut
        if not maybe.any():
            continue
        if isinstance(sign, bytes):
            begins = np.zeros(256, bool)
            begins[list(sign)] = True
            places = np.flatnonzero(begins[measured.first])
        else:
            places = np.flatnonzero(_true(pc.match_substring(texts, sign)))
        places = places[maybe[codes[places]]]
        if len(places):
            fits = _true(pc.match_substring_regex(texts.take(arrow_of(places)), pattern))
            rows = int(counts[places][fits].sum())
            if rows:
                found[name] = rows
    return found


def _true(flags: Any) -> NDArray[np.bool_]:
    true: NDArray[np.bool_] = values_of(flags) & ~missing_in(flags)
    return true
