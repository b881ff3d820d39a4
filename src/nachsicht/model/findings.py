"""Findings: what is worth a reader's time."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

import msgspec


class Severity(StrEnum):
    """How urgent a finding is."""

    ACT = "act"
    CHECK = "check"
    NOTE = "note"

    @property
    def rank(self) -> int:
        """0 for the most urgent weight."""
        return list(Severity).index(self)


#: Every code that a finding can have. Documents keep it as a text, since later ones may have more.
FindingCode = Literal[
    "rows_repeated",
    "names_renewed",
    "lines_unread",
    "described_otherwise",
    "described_absent",
    "not_described",
    "identifier_repeats",
    "stand_in",
    "look_alikes",
    "letters_damaged",
    "mixed_types",
    "all_missing",
    "gaps",
    "gaps_together",
    "infinite",
    "future",
    "gives_away",
    "moves_together",
    "constant",
    "nearly_constant",
    "imbalance",
    "stored_as_text",
    "skewed",
    "zeros",
    "outliers",
    "blank",
    "rows_lost",
    "repeats_new",
    "key_repeats",
    "identifier_repeats_new",
    "renamed",
    "removed",
    "added",
    "reordered",
    "swapped",
    "retyped",
    "numbers_as_text",
    "dates_as_text",
    "written_otherwise",
    "stored_type",
    "became_constant",
    "stand_in_new",
    "infinite_new",
    "surged",
    "gaps_filled",
    "rescaled",
    "shifted",
    "turned",
    "clipped",
    "rounded",
    "heaped",
    "texts_cut",
    "letters_damaged_new",
    "moments_shifted",
    "clock_shifted",
    "day_month_exchanged",
    "times_lost",
    "relabelled",
    "respelled",
    "levels_new",
    "levels_gone",
    "gaps_risen",
    "gaps_fallen",
    "spread_moved",
    "shares_moved",
    "lengths_moved",
    "shapes_moved",
    "times_moved",
    "cells_changed",
    "crept",
    "gives_away_new",
    "relation_broken",
    "relation_turned",
    "relation_new",
]
Fact = int | float | str | tuple[str, ...]


class ShownRow(msgspec.Struct, frozen=True, array_like=True):
    """A row by its number, from 1, and its cells as text; long ones are cut."""

    row: int
    cells: tuple[str | None, ...]


class ShownRows(msgspec.Struct, frozen=True, kw_only=True):
    """A few rows of a version that show a finding, with some of their columns."""

    version: str
    columns: tuple[str, ...]
    rows: tuple[ShownRow, ...]


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """Something worth a reader's time.

    Attributes
    ----------
    code : str
        Which entry of the catalogue it is.
    weight : Severity
        How urgent it is.
    columns : tuple of str
        The columns it speaks of, as the newest version names them; empty for the rows.
    versions : tuple of str
        Labels: one for a finding in a version, two (before, after) for a change.
    size : float
        How large the effect is, 0 to 1; orders findings of one weight.
    evidence : dict
        The facts and numbers that it rests on.
    title, sentence, next_step : str
        What a person reads.
    accepted : str, optional
        Why it is known and no longer counts.
    shown : tuple of ShownRows
        Rows that show it, of the version before and of its own, where the data was there.
    """

    code: str
    weight: Severity
    columns: tuple[str, ...]
    versions: tuple[str, ...]
    size: float
    evidence: dict[str, Fact]
    title: str
    sentence: str
    next_step: str
    accepted: str | None = None
    shown: tuple[ShownRows, ...] = ()


def by_urgency(findings: list[Finding]) -> tuple[Finding, ...]:
    """Order findings by weight, then by size, then by name, so the order is always the same."""
    return tuple(sorted(findings, key=lambda f: (f.weight.rank, -f.size, f.columns, f.code)))


class Accepted(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A finding that is known: its code, its column (empty for the rows), and why.

    ``weight`` is the gravest that it was accepted with; once it is graver it counts again.
    """

    code: str
    column: str = ""
    because: str
    weight: Severity = Severity.ACT
