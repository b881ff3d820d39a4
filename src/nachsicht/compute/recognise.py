"""Numbers and dates that were stored as text are taken for what they mean."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.compute.arrays import values_of
from nachsicht.compute.moments_in_time import observe_moments
from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.tallies import Tally

#: A digit after a leading zero marks a code (a postcode, a telephone number), not a number.
_TRIAL = 100
_CODE = r"^[+-]?0[0-9]"


def numbers_in(tally: Tally) -> SortedNumbers | None:
    """The numbers, one for each row, if every text is one; None otherwise."""
    texts = tally.values
    if _cast(pc.utf8_trim_whitespace(texts[:_TRIAL]), pa.float64()) is None:
        return None
    texts = pc.utf8_trim_whitespace(texts)
    if pc.any(pc.match_substring_regex(texts, _CODE)).as_py():
        return None
    values = _cast(texts, pa.int64())
    if values is None:
        values = _cast(texts, pa.float64())
    if values is None:
        return None
    rows = np.repeat(values_of(values), tally.counts)
    finite = rows[np.isfinite(rows)]
    finite.sort()
    return SortedNumbers(finite, int((rows == -np.inf).sum()), int((rows == np.inf).sum()))


def moments_in(tally: Tally) -> tuple[SortedNumbers, Any] | None:
    """Microseconds, one for each row, and the type, if every text is an ISO date or time."""
    texts = tally.values
    for stored in (pa.date32(), pa.timestamp("us"), pa.timestamp("us", "UTC")):
        if _cast(pc.utf8_trim_whitespace(texts[:_TRIAL]), stored) is None:
            continue
        values = _cast(pc.utf8_trim_whitespace(texts), stored)
        if values is not None:
            part = observe_moments(values)
            rows = np.repeat(part.chunks[0], tally.counts)
            rows.sort()
            return SortedNumbers(rows), stored
    return None


def _cast(texts: Any, to: Any) -> Any:
    try:
        return texts.cast(to)
    except pa.ArrowInvalid:
        return None
