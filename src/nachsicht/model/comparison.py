"""What was computed of two or more versions, in order."""

from __future__ import annotations

import msgspec

from nachsicht.model.column import ColumnSummary
from nachsicht.model.findings import Finding, Weight
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument


class BinsSpread(msgspec.Struct, frozen=True, tag="bins"):
    """Versions on one axis of equal bins: ``counts[version][bin]``.

    Bin ``i`` begins at ``start + i * width``. Where values are written with few decimals,
    ``unit`` is their smallest step, and a bin holds ``width / unit`` different values.
    ``before`` and ``after`` count, for each version, the rows beyond the axis.
    """

    start: float
    width: float
    unit: float | None
    counts: tuple[tuple[int, ...], ...]
    before: tuple[int, ...]
    after: tuple[int, ...]


class ValuesSpread(msgspec.Struct, frozen=True, tag="values"):
    """Versions over the different values of a discrete quantity: ``counts[version][value]``."""

    values: tuple[float, ...]
    counts: tuple[tuple[int, ...], ...]


class LevelsSpread(msgspec.Struct, frozen=True, tag="levels"):
    """Versions over the levels of a category: ``counts[version][level]``.

    Levels that are not drawn are told in ``further_levels``, their rows in ``further``.
    """

    levels: tuple[str, ...]
    counts: tuple[tuple[int, ...], ...]
    further_levels: int
    further: tuple[int, ...]


class TimeSpread(msgspec.Struct, frozen=True, tag="time"):
    """Versions over calendar units: ``counts[version][i]`` rows in unit ``first + i``."""

    unit: str
    clock: bool
    first: int
    counts: tuple[tuple[int, ...], ...]


Spread = BinsSpread | ValuesSpread | LevelsSpread | TimeSpread


class Step(msgspec.Struct, frozen=True, kw_only=True):
    """How a column changed from one version to the next.

    Attributes
    ----------
    before, after : int
        Positions of the two versions.
    measure : str
        Name of the distance: ``ks`` (quantities), ``total_variation`` (levels), ``overlap``
        (identifiers), or empty where none applies.
    distance : float or None
        0 (the same) to 1 (nothing in common).
    uncertainty : float
        How far ``distance`` may be off, from what profiles keep; 0 where it is exact.
    chance : float or None
        How often chance alone gives such a distance (p-value).
    missing_rise : float
        Difference of the missing shares.
    """

    before: int
    after: int
    measure: str
    distance: float | None
    uncertainty: float
    chance: float | None
    missing_rise: float
    retyped: bool


class ColumnAcross(msgspec.Struct, frozen=True, kw_only=True):
    """One column through all versions.

    ``names`` and ``positions`` hold its name and place in each version, None where it does
    not occur (names may repeat within a version, positions do not). ``weight`` is the gravest
    of its findings, None for a steady column.
    """

    name: str
    kind: Kind
    names: tuple[str | None, ...]
    positions: tuple[int | None, ...]
    spread: Spread | None
    steps: tuple[Step, ...]
    weight: Weight | None


def summaries_of(
    column: ColumnAcross, versions: tuple[ProfileDocument, ...]
) -> list[ColumnSummary | None]:
    """The column's summary in each version."""
    return [
        None if position is None else version.columns[position]
        for version, position in zip(versions, column.positions, strict=True)
    ]


class Verdict(msgspec.Struct, frozen=True, kw_only=True):
    """The one sentence, in a bold and a plain part, and what it counts."""

    lead: str
    rest: str
    act: int
    check: int
    note: int
    steady: int


class ComparisonDocument(
    msgspec.Struct, frozen=True, kw_only=True, tag="comparison", tag_field="what"
):
    """Two or more versions, in order, and what changed. One version is a comparison of none."""

    format_version: int
    title: str
    versions: tuple[ProfileDocument, ...]
    columns: tuple[ColumnAcross, ...]
    findings: tuple[Finding, ...]
    verdict: Verdict
