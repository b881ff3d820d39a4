"""Columns against the outcome: the column that the work is about."""

from __future__ import annotations

import msgspec


class OutcomeBin(msgspec.Struct, frozen=True):
    """Rows of a bin or level, the outcome's mean or share in them, and its 95 % interval."""

    label: str
    rows: int
    value: float
    low: float
    high: float


class OutcomeView(msgspec.Struct, frozen=True, kw_only=True):
    """One column against the outcome.

    ``explained_share`` is the share of the outcome's variance that the bins explain in rows that the
    means were not computed from (five folds); below 0 they explain nothing.
    """

    column: str
    explained_share: float
    bins: tuple[OutcomeBin, ...]


class Outcome(msgspec.Struct, frozen=True, kw_only=True):
    """The outcome, overall and by every other column, those that explain most first.

    Of a category or flag it is the share of one ``level``; of a quantity the mean. Computed of
    ``rows`` in which the outcome is known, among evenly drawn ones where the data has more
    rows than ``relations.drawn``. ``excluded`` names columns that
    are not looked at, with the reason's code.
    """

    column: str
    level: str | None
    rows: int
    overall: float
    views: tuple[OutcomeView, ...]
    excluded: dict[str, str]
