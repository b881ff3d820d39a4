"""The catalogue of findings: for each code its kinds, its rule of weight, and its evidence.

Its words (title, sentence, next step, remedy) stand under the same code in the catalogue of
words. A finding's size runs from 0 to 1; the rule says from which size on it has which
weight. Users may lay their own limits over the rule, by code.
"""

from __future__ import annotations

from typing import NamedTuple

from nachsicht.config.settings import Settings
from nachsicht.model.findings import FindingCode, Severity
from nachsicht.model.kinds import Kind

_QUANTITY = (Kind.QUANTITY, Kind.DURATION)
_LEVELS = (Kind.CATEGORY, Kind.FLAG)
_WRITTEN = (Kind.CATEGORY, Kind.FLAG, Kind.TEXT, Kind.IDENTIFIER)
_ANY = tuple(kind for kind in Kind if kind is not Kind.EMPTY)
_ROWS: tuple[Kind, ...] = ()


class Entry(NamedTuple):
    """One code. A limit of None means that the finding never has that weight by its size."""

    code: FindingCode
    between: bool
    kinds: tuple[Kind, ...]
    note: float | None
    check: float | None
    act: float | None
    evidence: tuple[str, ...]


def _within(
    code: FindingCode,
    kinds: tuple[Kind, ...],
    limits: tuple[float | None, float | None, float | None],
    evidence: str,
) -> Entry:
    return Entry(code, False, kinds, *limits, tuple(evidence.split()))


def _between(
    code: FindingCode,
    kinds: tuple[Kind, ...],
    limits: tuple[float | None, float | None, float | None],
    evidence: str,
) -> Entry:
    return Entry(code, True, kinds, *limits, tuple(evidence.split()))


_NOTE = (0.0, None, None)
_CHECK = (None, 0.0, None)
_ACT = (None, None, 0.0)
_MOVED = (0.05, 0.10, 0.40)
_GRAVE = (0.0, 0.0, 0.05)

ENTRIES: tuple[Entry, ...] = (
    # What is odd within one version.
    _within("rows_repeated", _ROWS, (0.0005, 0.0005, None), "rows share first_row last_row"),
    _within("names_renewed", (Kind.IDENTIFIER,), _CHECK, "rows columns first_row last_row"),
    _within("lines_unread", _ROWS, _CHECK, "lines"),
    _within("described_otherwise", _ANY, (None, 0.0, 0.2), "rule rows share examples"),
    _within("described_absent", _ROWS, _CHECK, "columns"),
    _within("not_described", _ANY, _NOTE, "columns"),
    _within("identifier_repeats", (Kind.IDENTIFIER,), _CHECK, "values rows"),
    _within("stand_in", _ANY, (None, 0.0, None), "value rows"),
    _within("look_alikes", _LEVELS, _CHECK, "spellings rows"),
    _within("letters_damaged", _WRITTEN, (0.0, 0.001, 0.2), "rows share"),
    _within("mixed_types", _WRITTEN, (0.0, 0.02, None), "meaning rows share"),
    _within("all_missing", (Kind.EMPTY,), _CHECK, "missing rows"),
    _within("gaps", _ANY, (0.05, 0.40, None), "missing rows"),
    _within("gaps_together", _ANY, _NOTE, "columns rows"),
    _within("infinite", _QUANTITY, _CHECK, "infinite"),
    _within("future", (Kind.MOMENT,), (0.0, 0.001, None), "rows share"),
    _within("gives_away", _ANY, _CHECK, "outcome measure strength"),
    _within("moves_together", _QUANTITY, _NOTE, "columns weakest"),
    _within("constant", _ANY, _NOTE, "value"),
    _within("nearly_constant", _ANY, _NOTE, "value share"),
    _within("imbalance", _LEVELS, (0.9, None, None), "level share"),
    _within("stored_as_text", (*_QUANTITY, Kind.MOMENT), _NOTE, "stored_type"),
    _within("skewed", _QUANTITY, _NOTE, "skewness closest"),
    _within("zeros", _QUANTITY, (0.3, None, None), "zeros share"),
    _within("outliers", _QUANTITY, (0.02, None, None), "rows share"),
    _within("blank", (Kind.TEXT,), (0.0, 0.05, None), "rows share"),
    # What changed between two versions: rows and columns.
    _between("rows_lost", _ROWS, (0.05, 0.10, 0.5), "rows old_rows share"),
    _between("repeats_new", _ROWS, (None, None, 0.0005), "rows share old_share"),
    _between("key_repeats", _ROWS, _ACT, "key rows values"),
    _between("identifier_repeats_new", (Kind.IDENTIFIER,), (None, 0.0, 0.02), "values rows"),
    _between("renamed", _ANY, _ACT, "old_name new_name confidence"),
    _between("removed", _ANY, _ACT, "kind"),
    _between("added", _ANY, _NOTE, "kind missing_share"),
    _between("reordered", _ROWS, _NOTE, "columns"),
    _between("swapped", _ANY, _ACT, "columns distance left_over"),
    # What became of one column as a whole.
    _between("retyped", _ANY, _ACT, "old_kind new_kind old_type new_type"),
    _between("numbers_as_text", _WRITTEN + _QUANTITY, _ACT, "old_type new_type readable"),
    _between("dates_as_text", (*_WRITTEN, Kind.MOMENT), _ACT, "old_type new_type readable"),
    _between("written_otherwise", _ANY, _CHECK, "old_shape new_shape"),
    _between("stored_type", _ANY, _NOTE, "old_type new_type"),
    _between("became_constant", _ANY, _ACT, "value old_distinct"),
    # Why its values changed.
    _between("stand_in_new", _ANY, (None, 0.0, 0.002), "value rows share"),
    _between("infinite_new", _QUANTITY, (None, 0.0, 0.1), "rows share old_share"),
    _between("surged", _ANY, (0.01, 0.02, 0.20), "value rows share old_share"),
    _between("gaps_filled", _ANY, (None, 0.0, 0.20), "value rows share old_share"),
    _between("rescaled", _QUANTITY, _ACT, "factor offset part distance left_over"),
    _between("shifted", _QUANTITY, (0.05, 0.08, 0.40), "shift distance left_over"),
    _between("turned", _QUANTITY, _ACT, "distance left_over"),
    _between("clipped", _QUANTITY, (None, 0.0, 0.10), "cap rows share beyond"),
    _between("rounded", _QUANTITY, (None, 0.0, None), "step share old_share"),
    _between("heaped", _QUANTITY, (0.05, 0.08, None), "step share old_share"),
    _between("texts_cut", _WRITTEN, (None, 0.0, 0.05), "length rows share old_longest"),
    _between("letters_damaged_new", _WRITTEN, _GRAVE, "rows share old_share"),
    _between("moments_shifted", (Kind.MOMENT,), _ACT, "days left_over distance"),
    _between("clock_shifted", (Kind.MOMENT,), _ACT, "hours left_over distance"),
    _between("day_month_exchanged", (Kind.MOMENT,), _ACT, "distance left_over"),
    _between("times_lost", (Kind.MOMENT,), _ACT, "share old_share"),
    _between("relabelled", _LEVELS, _ACT, "old_levels new_levels share"),
    _between("respelled", _LEVELS, (None, None, 0.0), "old_spellings new_spellings share within"),
    _between("levels_new", _LEVELS, (0.005, 0.02, None), "levels share"),
    _between("levels_gone", _LEVELS, (0.005, 0.02, None), "levels share"),
    # Symptoms without a cause that is known.
    _between("gaps_risen", _ANY, (0.005, 0.03, 0.20), "missing rows share old_share"),
    _between("gaps_fallen", _ANY, (0.03, None, None), "missing rows share old_share"),
    _between("spread_moved", _QUANTITY, _MOVED, "distance old_median new_median"),
    _between("shares_moved", _LEVELS, _MOVED, "distance level old_share new_share"),
    _between("lengths_moved", (Kind.TEXT,), (0.05, 0.10, None), "distance"),
    _between("shapes_moved", (Kind.IDENTIFIER,), (0.02, 0.05, 0.40), "distance shape"),
    _between("times_moved", (Kind.MOMENT,), (0.05, 0.10, None), "distance"),
    _between("cells_changed", _ANY, (0.0, 0.01, None), "rows matched share"),
    _between("crept", _ANY, (0.05, 0.10, 0.40), "distance since"),
    _between("gives_away_new", _ANY, _CHECK, "outcome measure old new_strength"),
    _between("relation_broken", _ANY, (0.15, 0.20, 0.50), "partners measure old new chance"),
    _between("relation_turned", _ANY, (None, 0.0, 0.5), "partners measure old new chance"),
    _between("relation_new", _ANY, (0.15, 0.20, 0.50), "partners measure old new chance"),
)

CATALOGUE = {entry.code: entry for entry in ENTRIES}


def severity_of(code: FindingCode, size: float, settings: Settings) -> Severity | None:
    """The weight that a size has, by the rule and what the user laid over it; None for none."""
    entry = CATALOGUE[code]
    limits = settings.findings.get(code)
    for weight in Severity:
        limit = getattr(entry, weight)
        own = getattr(limits, weight) if limits else None
        limit = limit if own is None else own
        if limit is not None and size >= limit:
            return weight
    return None


def smallest_size(code: FindingCode, settings: Settings) -> float:
    """The size from which on a finding has any weight."""
    entry, limits = CATALOGUE[code], settings.findings.get(code)
    bounds = []
    for weight in Severity:
        own = getattr(limits, weight) if limits else None
        limit = getattr(entry, weight) if own is None else own
        if limit is not None:
            bounds.append(limit)
    return min(bounds, default=1.0)
