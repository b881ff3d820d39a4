"""The neighbouring rows, and the time, in which a column is missing far more than elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Sequence, Set
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.columns.levels import in_order
from nachsicht.model.missing import MissingPatterns, MissingRange
from nachsicht.model.profile import MissingByLevel
from nachsicht.stats.hypothesis_tests import shares_p_value

_FEWEST_MISSING, _CHANCE = 10, 0.001


def ranges_of_missing(
    gaps: MissingPatterns, tables: Sequence[MissingByLevel], moments: Set[str]
) -> tuple[MissingRange, ...]:
    """For each column the run of rows, and of time, that stands out most, where one does.

    Far more is at least twice the share and three points more, in at least ten rows, and less
    often by chance than 1 in 1000 over all runs of blocks or units.

    Parameters
    ----------
    gaps : MissingPatterns
        With missing values by block of rows.
    tables : sequence of MissingByLevel
        Missing values by level of other columns.
    moments : set of str
        Names of the datetime columns.
    """
    return (*_along_rows(gaps), *_over_time(tables, moments))


def _along_rows(gaps: MissingPatterns) -> Iterator[MissingRange]:
    for blocks in gaps.counts_by_block:
        n, size = len(blocks.missing), blocks.block_rows
        ends = [min((i + 1) * size, gaps.rows) for i in range(n)]
        # Blocks end with the last one that has a missing value; the rows behind it have none.
        rows = [end - i * size for i, end in enumerate(ends)]
        behind = gaps.rows - ends[-1] if ends else 0
        run = densest_run([*blocks.missing, 0], [*rows, behind])
        if run:
            first, last = run.first * size + 1, ends[min(run.last, n - 1)]
            yield MissingRange(
                blocks.column, None, first, last, run.rows, run.missing, run.elsewhere
            )


def _over_time(tables: Sequence[MissingByLevel], moments: Set[str]) -> Iterator[MissingRange]:
    for table in tables:
        if table.by not in moments:
            continue
        units = sorted(
            (entry for entry in zip(table.levels, table.rows, table.missing, strict=True)),
            key=lambda entry: in_order(entry[0]),
        )
        known = [entry for entry in units if entry[0] is not None]
        run = densest_run([m for _, _, m in known], [n for _, n, _ in known])
        if run:
            first, last = str(known[run.first][0]), str(known[run.last][0])
            yield MissingRange(
                table.column, table.by, first, last, run.rows, run.missing, run.elsewhere
            )


class Run(NamedTuple):
    """Neighbouring parts of the rows: their rows, those that lack a value, and others' share."""

    first: int
    last: int
    rows: int
    missing: int
    elsewhere: float


def densest_run(missing: Sequence[int], rows: Sequence[int]) -> Run | None:
    """The run of parts whose missing share is least likely by chance, if it is far from others'.

    Parameters
    ----------
    missing, rows : sequence of int, both of the same length
        Of each part, in order.
    """
    if len(rows) < 2 or not sum(missing):
        return None
    m, n = (np.append(0, np.cumsum(counts)) for counts in (missing, rows))
    first, last = np.triu_indices(len(rows))
    here, inside = m[last + 1] - m[first], n[last + 1] - n[first]
    there, outside = m[-1] - here, n[-1] - inside
    with np.errstate(divide="ignore", invalid="ignore"):
        share, besides = here / inside, there / outside
        fits = (here >= _FEWEST_MISSING) & (share >= np.maximum(2 * besides, besides + 0.03))
    if not fits.any():
        return None
    gain = _log_likelihood(here, inside) + _log_likelihood(there, outside)
    at = int(np.argmax(np.where(fits, gain, -np.inf)))
    counts = int(there[at]), int(outside[at]), int(here[at]), int(inside[at])
    if shares_p_value(*counts) * len(first) >= _CHANCE:
        return None
    return Run(int(first[at]), int(last[at]), counts[3], counts[2], float(besides[at]))


def _log_likelihood(missing: NDArray[np.int64], rows: NDArray[np.int64]) -> NDArray[np.float64]:
    """Of so many missing values in so many rows, at their own share."""
    share = missing / np.maximum(rows, 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        found = missing * np.log(share) + (rows - missing) * np.log1p(-share)
    likelihood: NDArray[np.float64] = np.nan_to_num(found, nan=0.0)
    return likelihood
