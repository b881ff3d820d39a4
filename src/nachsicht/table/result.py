"""What an engine computes of one version, before it becomes a document."""

from __future__ import annotations

import msgspec

from nachsicht.model.column import ColumnSummary
from nachsicht.model.missing import GapPatterns
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, OverTime, PairView
from nachsicht.model.profile import Excerpt, GapsByLevel, Relations, Repeats, SpreadByLevel
from nachsicht.table.validate import Breaches


class Computed(msgspec.Struct, frozen=True):
    """The parts of a profile that are computed from the data."""

    rows: int
    fingerprint: str
    columns: tuple[ColumnSummary, ...]
    repeats: Repeats
    further_repeats: tuple[Repeats, ...]
    gaps: GapPatterns
    gaps_by_level: tuple[GapsByLevel, ...]
    spread_by_level: tuple[SpreadByLevel, ...]
    relations: Relations
    pairs: tuple[PairView, ...]
    components: Components | None
    over_time: OverTime | None
    outcome: Outcome | None
    excerpt: Excerpt
    breaches: Breaches
