"""The words of texts, with how often each occurs."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import arrow_of
from nachsicht.compute.tallies import Tally, add_up, merge_tallies
from nachsicht.compute.text_bytes import lower_words, pure_ascii

#: What stands between words: all but letters, marks, digits, apostrophes and joints inside.
_BETWEEN = r"[^\p{L}\p{M}\p{N}_'’]+"


def count_words_in(texts: Any, counts: NDArray[np.int64]) -> Tally:
    """The tally of words in lower case, each occurrence counting for every row of its text.

    Words are runs of Unicode letters, marks, digits, underscores and apostrophes.
    """
    plain = pure_ascii(texts)
    parts = []
    for places, spaced in ((plain, lower_words), (~plain, _lower_words)):
        if places.any():
            chosen = texts if places.all() else texts.take(arrow_of(np.flatnonzero(places)))
            parts.append(_tally(spaced(chosen), counts[places]))
    return merge_tallies(parts)


def _lower_words(texts: Any) -> Any:
    return pc.replace_substring_regex(pc.utf8_lower(texts), _BETWEEN, " ")


def _tally(spaced: Any, counts: NDArray[np.int64]) -> Tally:
    lists = pc.ascii_split_whitespace(pc.ascii_trim_whitespace(spaced))
    width = np.int64 if pa.types.is_large_list(lists.type) else np.int32
    offsets = np.frombuffer(lists.buffers()[1], width)
    lengths = np.diff(offsets[lists.offset : lists.offset + len(lists) + 1])
    words = lists.flatten().cast(pa.large_string())
    return add_up(words, np.repeat(counts, lengths)).without({""})
