"""A distribution as a table: what the bars of the page are drawn from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nachsicht.model.comparison import (
    BinnedDistribution,
    Distribution,
    LevelsDistribution,
    ValuesDistribution,
)
from nachsicht.tables.base import Columns

#: Calendar units in NumPy's letters.
LETTERS = {"second": "s", "minute": "m", "hour": "h", "day": "D", "month": "M", "year": "Y"}


def distribution_table(distribution: Distribution | None, labels: Sequence[str]) -> Columns:
    """Where each bar stands, and its rows in each version; nothing for what is not drawn."""
    if distribution is None:
        return {}
    places: dict[str, Sequence[Any]]
    if isinstance(distribution, BinnedDistribution):
        starts = [
            distribution.start + i * distribution.width for i in range(len(distribution.counts[0]))
        ]
        places = {"start": starts, "end": [start + distribution.width for start in starts]}
    elif isinstance(distribution, ValuesDistribution):
        places = {"value": list(distribution.values)}
    elif isinstance(distribution, LevelsDistribution):
        places = {"level": list(distribution.levels)}
    else:
        texts = unit_texts(distribution.unit, distribution.first, len(distribution.counts[0]))
        places = {"from": [text[11:16] if distribution.time_of_day else text for text in texts]}
    counts = zip(labels, distribution.counts, strict=True)
    if len(labels) == 1:
        return {**places, "rows": list(distribution.counts[0])}
    return {**places, **{f"rows {label}": list(rows) for label, rows in counts}}


def unit_texts(unit: str, first: int, n: int) -> list[str]:
    """Calendar units as texts: 2025, 2025-03, 2025-03-01, or with the time."""
    import numpy as np

    places = np.arange(first, first + n).astype(f"datetime64[{LETTERS[unit]}]")
    return [str(moment).replace("T", " ") for moment in places]
