"""About how many rows came and went, where one version is there as a profile alone.

Profiles keep the smallest hashes of an identifier's values. Below the largest that both keep, they
hold every hash there is: the share of these that both have is, up to chance, that of all values
(Broder 1997; Bar-Yossef et al., RANDOM 2002).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from nachsicht.comparison.rows.keys import Place, detect_keys
from nachsicht.model.column import ColumnSummary, IdentifierSummary
from nachsicht.model.comparison import RowEstimate

_Pair = tuple[ColumnSummary, ColumnSummary]


def estimated_rows(
    pairs: Sequence[_Pair],
    key: Sequence[Place],
    step: tuple[int | None, int],
    different: tuple[int, int],
) -> RowEstimate | None:
    """About how many rows were added and removed; None where no identifier tells.

    Parameters are those of `compare_rows`.
    """
    named = [key] if key else [found.places for found in detect_keys(pairs, different)]
    for places in named:
        for old, new in pairs if len(places) == 1 else ():
            if (old.position, new.position) == tuple(places[0]):
                return _estimated(old, new, step)
    return None


def _estimated(
    old: ColumnSummary, new: ColumnSummary, step: tuple[int | None, int]
) -> RowEstimate | None:
    if not isinstance(old.stats, IdentifierSummary) or not isinstance(new.stats, IdentifierSummary):
        return None
    samples = old.stats.key_hashes, new.stats.key_hashes
    if not all(samples):
        return None
    values = old.distinct, new.distinct
    part = [n > len(sample) for n, sample in zip(values, samples, strict=True)]
    ends = [sample[-1] for sample, cut in zip(samples, part, strict=True) if cut]
    limit = min(ends, default=max(sample[-1] for sample in samples))
    before, after = ({value for value in sample if value <= limit} for sample in samples)
    of_both, of_either = len(before & after), len(before | after)
    share = of_both / max(of_either, 1)
    # The values of both are those of either, times the share of them that are in both.
    shared = sum(values) * share / (1 + share)
    uncertainty = 0.0
    if ends:
        error = math.sqrt(max(share * (1 - share), 1 / of_either) / of_either)
        uncertainty = 2 * error * sum(values) / (1 + share) ** 2
        uncertainty += sum(_off(column) for column in (old, new))
    return RowEstimate(
        before=step[0],
        after=step[1],
        key=new.name,
        added=max(round(values[1] - shared), 0),
        removed=max(round(values[0] - shared), 0),
        uncertainty=math.ceil(uncertainty),
    )


def _off(column: ColumnSummary) -> float:
    """By how many the number of different values may be off."""
    return column.error_bounds.distinct_rel * column.distinct if column.error_bounds else 0.0
