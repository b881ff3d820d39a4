"""A spread as a table: what the bars of the page are drawn from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nachsicht.model.comparison import BinnedDistribution, LevelsDistribution, Spread, ValuesDistribution
from nachsicht.tables.base import Columns

#: Calendar units in NumPy's letters.
LETTERS = {"second": "s", "minute": "m", "hour": "h", "day": "D", "month": "M", "year": "Y"}


def spread_table(spread: Spread | None, labels: Sequence[str]) -> Columns:
    """Where each bar stands, and its rows in each version; nothing for what is not drawn."""
    if spread is None:
        return {}
    places: dict[str, Sequence[Any]]
    if isinstance(spread, BinnedDistribution):
        starts = [spread.start + i * spread.width for i in range(len(spread.counts[0]))]
        places = {"start": starts, "end": [start + spread.width for start in starts]}
    elif isinstance(spread, ValuesDistribution):
        places = {"value": list(spread.values)}
    elif isinstance(spread, LevelsDistribution):
        places = {"level": list(spread.levels)}
    else:
        texts = unit_texts(spread.unit, spread.first, len(spread.counts[0]))
        places = {"from": [text[11:16] if spread.time_of_day else text for text in texts]}
    counts = zip(labels, spread.counts, strict=True)
    if len(labels) == 1:
        return {**places, "rows": list(spread.counts[0])}
    return {**places, **{f"rows {label}": list(rows) for label, rows in counts}}


def unit_texts(unit: str, first: int, n: int) -> list[str]:
    """Calendar units as texts: 2025, 2025-03, 2025-03-01, or with the time."""
    import numpy as np

    places = np.arange(first, first + n).astype(f"datetime64[{LETTERS[unit]}]")
    return [str(moment).replace("T", " ") for moment in places]
