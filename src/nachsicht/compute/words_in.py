"""The words of texts, with how often each occurs."""

from __future__ import annotations

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import arrow_of
from nachsicht.compute.tallies import Tally, add_up, merge_tallies
from nachsicht.compute.text_bytes import LOWER, TextBytes, bytes_of, split

#: What stands between words: all but letters, marks, digits, apostrophes and joints inside.
_BETWEEN = r"[^\p{L}\p{M}\p{N}_'’]+"


def count_words_in(tally: Tally) -> Tally:
    """The tally of words in lower case, each occurrence counting for every row of its text.

    Words are runs of Unicode letters, marks, digits, underscores and apostrophes.
    """
    plain = tally.measured.ascii
    parts = [_words(tally.bytes.of(LOWER).at(plain), tally.counts[plain])]
    if not plain.all():
        others = pc.utf8_lower(tally.values.take(arrow_of(np.flatnonzero(~plain))))
        spaced = pc.replace_substring_regex(others, _BETWEEN, " ")
        parts.append(_words(bytes_of(spaced), tally.counts[~plain]))
    return merge_tallies(parts)


def _words(spaced: TextBytes, counts: NDArray[np.int64]) -> Tally:
    words = split(spaced)
    return add_up(words.runs, np.repeat(counts, words.of_each))
