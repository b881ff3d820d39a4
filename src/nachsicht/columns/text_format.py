"""How a column of texts is written: its usual shape, and what went wrong in writing it."""

from __future__ import annotations

import re

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_of, arrow_texts, values_of
from nachsicht.arrow.text_values import LOOKS_LIKE_DATE, LOOKS_NUMERIC, ZEROS_AND_DIGITS, loosely
from nachsicht.columns.text_stats import shapes
from nachsicht.model.column import TextFormat
from nachsicht.stats.value_counts import ValueCounts

#: So many of the most frequent texts tell the shape, and whether it is worth to look at all.
_TRIAL = 1000
#: What the bytes 80 to BF become where text is read as Windows-1252 or Latin-1.
_LATE = "\u0080-\u00bf€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ"
#: The first letters of pairs that UTF-8 read in such an encoding gives, and lost letters.
_DAMAGED = rf"[ÃÂÐÑ][{_LATE}]|â[{_LATE}]{{2}}|�"
_LOST = r"\p{Ll}\?\p{Ll}"


def written_of(tally: ValueCounts) -> TextFormat | None:
    """How texts are written; None without any."""
    if not tally.distinct:
        return None
    frequent = tally.top(_TRIAL)
    trial = ValueCounts.of(
        arrow_texts([value for value, _ in frequent]),
        np.array([count for _, count in frequent], np.int64),
    )
    return TextFormat(
        pattern=_runs(shapes(trial).top(1)[0][0]),
        numeric_rows=_fitting(LOOKS_NUMERIC, trial, tally),
        date_rows=_fitting(LOOKS_LIKE_DATE, trial, tally),
        garbled_rows=_damaged(tally),
        leading_zeros=_leading_zeros(tally),
    )


def _runs(shape: str) -> str:
    """A shape with runs of one letter as one, so that 9.9 and 99.9 are written alike."""
    return re.sub(r"(9|A|a)\1+", r"\1", shape)


def _fitting(pattern: str, trial: ValueCounts, tally: ValueCounts) -> int:
    for tried in (loosely(pattern), pattern):
        if not _rows(trial, values_of(pc.match_substring_regex(trial.values, tried))):
            return 0
    return _rows(tally, values_of(pc.match_substring_regex(tally.values, pattern)))


def _rows(tally: ValueCounts, fits: NDArray[np.bool_]) -> int:
    return int(tally.counts[fits].sum())


def _leading_zeros(tally: ValueCounts) -> int:
    begins = np.flatnonzero(tally.measured.first == ord("0"))
    texts = tally.values.take(arrow_of(begins))
    digits = values_of(pc.match_substring_regex(texts, ZEROS_AND_DIGITS))
    return int(tally.counts[begins][digits].sum())


def _damaged(tally: ValueCounts) -> int:
    foreign = np.flatnonzero(~tally.measured.ascii)
    rows = 0
    if len(foreign):
        texts = tally.values.take(arrow_of(foreign))
        broken = values_of(pc.match_substring_regex(texts, _DAMAGED))
        rows = int(tally.counts[foreign][broken].sum())
    marked = np.empty(0, np.int64)
    if tally.bytes.may_hold("?"):
        marked = np.flatnonzero(values_of(pc.match_substring(tally.values, "?")))
    if len(marked):
        texts = tally.values.take(arrow_of(marked))
        lost = values_of(pc.match_substring_regex(texts, _LOST))
        lost &= ~values_of(pc.match_substring(texts, "/"))  # addresses have such marks
        rows += int(tally.counts[marked][lost].sum())
    return rows


def repaired(text: str) -> str | None:
    """What a damaged text was before it was read in the wrong encoding; None if that is lost."""
    for encoding in ("cp1252", "latin-1"):
        try:
            whole = text.encode(encoding).decode("utf-8")
        except UnicodeError:
            continue
        return whole if whole != text else None
    return None
