"""What an engine computes of one version, and the data that is kept for comparing it."""

from __future__ import annotations

from typing import Any

import msgspec
from numpy.typing import NDArray

from nachsicht.arrow.hashing import Hashes
from nachsicht.associations.all_pairs import AllPairs
from nachsicht.associations.encode import EncodedColumn
from nachsicht.model.column import ColumnSummary
from nachsicht.model.missing import MissingMatrix, MissingPatterns
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, OverTime, PairView
from nachsicht.model.profile import (
    Duplicates,
    Excerpt,
    GroupStats,
    MissingByLevel,
    Relations,
    SampledRows,
)
from nachsicht.table.validate import Violations


class Computed(msgspec.Struct, frozen=True, kw_only=True):
    """The parts of a profile that are computed from the data."""

    rows: int
    fingerprint: str
    columns: tuple[ColumnSummary, ...]
    duplicates: Duplicates
    duplicates_by_subset: tuple[Duplicates, ...]
    missing_patterns: MissingPatterns
    missing_by_level: tuple[MissingByLevel, ...]
    group_stats: tuple[GroupStats, ...]
    relations: Relations
    pairs: tuple[PairView, ...]
    components: Components | None
    over_time: OverTime | None
    outcome: Outcome | None
    excerpt: Excerpt
    sampled_rows: SampledRows | None
    missing_matrix: MissingMatrix | None
    breaches: Violations


class DrawnRows(msgspec.Struct, frozen=True):
    """Evenly drawn rows of a version that is not at hand, and what is computed of them.

    ``pairs`` are all relations, ``columns`` those with numbers or levels.
    """

    table: Any
    pairs: AllPairs
    columns: tuple[EncodedColumn, ...]


#: Of more values, distances are taken from what profiles keep, within their bounds.
EXACT_ROWS = 400_000


class RetainedData(msgspec.Struct, frozen=True):
    """Rows as an Arrow table with their hashes, quantities by position, and all relations.

    The values of quantities are the finite ones, sorted; of those with more than `EXACT_ROWS`
    there are none. ``drawn`` are the columns with numbers or levels in evenly drawn rows.

    With it distances are exact, and rows can be compared; without, profiles alone are.
    """

    table: Any
    rows: Hashes
    quantities: dict[int, NDArray[Any]]
    pairs: AllPairs
    drawn: tuple[EncodedColumn, ...]
