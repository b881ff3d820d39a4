"""Columns against the outcome: the column that the work is about."""

from __future__ import annotations

from typing import Literal

import msgspec

from nachsicht.i18n import number, phrase


class OutcomeBin(msgspec.Struct, frozen=True):
    """Rows of a bin or level, the outcome's mean or share in them, and its 95 % interval.

    A bin is a ``level`` with its name, all ``other`` levels, a ``range`` of numbers beyond
    ``above`` and up to ``up_to`` (None where it is open), or the rows where it is ``missing``.
    """

    type: Literal["level", "other", "range", "missing"]
    rows: int
    value: float
    low: float
    high: float
    level: str | None = None
    above: float | None = None
    up_to: float | None = None


class OutcomeView(msgspec.Struct, frozen=True, kw_only=True):
    """One column against the outcome.

    ``explained_share`` is the share of the outcome's variance that the bins explain in rows that
    the means were not computed from (five folds); below 0 they explain nothing.
    """

    column: str
    explained_share: float
    bins: tuple[OutcomeBin, ...]


class Outcome(msgspec.Struct, frozen=True, kw_only=True):
    """The outcome, overall and by every other column, those that explain most first.

    Of a category or flag it is the share of one ``level``; of a quantity the mean. Computed of
    ``rows`` in which the outcome is known, among evenly drawn ones where the data has more
    rows than ``relations.drawn``. ``excluded`` names columns that
    are not examined, with the reason's code.
    """

    column: str
    level: str | None
    rows: int
    overall: float
    views: tuple[OutcomeView, ...]
    excluded: dict[str, str]


def bin_label(entry: OutcomeBin) -> str:
    """What a bin is called, in the current language."""
    if entry.type != "range":
        return entry.level if entry.level is not None else phrase(f"bins.{entry.type}")
    if entry.above is None or entry.up_to is None:
        sign, end = ("≤", entry.up_to) if entry.above is None else (">", entry.above)
        return f"{sign} {number(end or 0.0)}"
    return f"{number(entry.above)} … {number(entry.up_to)}"
