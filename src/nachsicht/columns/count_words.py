"""The words of texts, with how often each occurs."""

from __future__ import annotations

import numpy as np
import pyarrow.compute as pc

from nachsicht.arrow.buffers import arrow_of
from nachsicht.arrow.text_buffer import bytes_of, counted_runs
from nachsicht.stats.value_counts import Tally, merge_tallies

#: What stands between words: all but letters, marks, digits, apostrophes and joints inside.
_BETWEEN = r"[^\p{L}\p{M}\p{N}_'’]+"


def count_words_in(tally: Tally) -> Tally:
    """The tally of words in lower case, each occurrence counting for every row of its text.

    Words are runs of Unicode letters, marks, digits, underscores and apostrophes.
    """
    plain, lower = tally.measured.ascii, tally.bytes.in_words()
    if plain.all():
        return Tally.of(*counted_runs(lower, tally.counts))
    parts = [Tally.of(*counted_runs(lower.at(plain), tally.counts[plain]))]
    others = pc.utf8_lower(tally.values.take(arrow_of(np.flatnonzero(~plain))))
    spaced = pc.replace_substring_regex(others, _BETWEEN, " ")
    parts.append(Tally.of(*counted_runs(bytes_of(spaced), tally.counts[~plain])))
    return merge_tallies(parts)
