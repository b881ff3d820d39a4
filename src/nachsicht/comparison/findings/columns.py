"""Findings about one column between two versions: whether it is there, as what, and its values."""

from __future__ import annotations

from collections.abc import Iterator
from functools import singledispatch
from typing import Any

from nachsicht.columns.infer.sentinels import find_sentinel
from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.causes.levels import levels_of
from nachsicht.comparison.context import ColumnChange, VersionPair
from nachsicht.comparison.findings.categorical import level_findings
from nachsicht.comparison.findings.datetime import datetime_findings
from nachsicht.comparison.findings.missing import missing_findings, missing_rise
from nachsicht.comparison.findings.numeric import quantity_findings
from nachsicht.comparison.findings.text import (
    cut_finding,
    identifier_findings,
    repeats,
    text_findings,
)
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    IdentifierSummary,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import Relation
from nachsicht.stats.hypothesis_tests import shares_p_value

Found = Iterator[Finding | None]

#: A column of texts in which so many rows still read as numbers once held numbers.
_STILL_READABLE = 0.5
#: A new column's strongest relation is reported from this strength on, if so many times its error.
_TOLD, _STANDARD_ERRORS = 0.3, 4.0
#: Findings that also say why fewer values are missing.
_NEW_VALUES = {"numbers_as_text", "retyped", "sentinel_value_new"}


def presence_finding(pair: Pair, between: VersionPair) -> Finding | None:
    """A column that only one of the versions has."""
    old, new = pair.old, pair.new
    if old is not None and new is None:
        return between.finding("removed", (old.name,), 1.0, {"kind": str(old.kind)})
    if new is None or old is not None:
        return None
    evidence: dict[str, Fact] = {"kind": str(new.kind), "missing_share": new.missing_share}
    partner = _strongest_relation(between, new.name)
    if partner:
        other = partner.y if partner.x == new.name else partner.x
        evidence |= {"partner": other, "measure": partner.measure, "strength": partner.value}
    return between.finding("added", (new.name,), 0.5, evidence)


def _strongest_relation(between: VersionPair, name: str) -> Relation | None:
    """The strongest relation of a column of the newer version, if it is worth telling."""
    own = [
        pair
        for pair in between.new.profile.relations.pairs
        if name in (pair.x, pair.y)
        and abs(pair.value) >= max(_TOLD, _STANDARD_ERRORS * pair.std_error)
    ]
    return max(own, key=lambda pair: abs(pair.value), default=None)


def column_findings(change: ColumnChange) -> Iterator[Finding | None]:
    """All findings about a column that both versions have."""
    if change.pair.renamed:
        yield _renamed(change)
    rise = missing_rise(change)
    values = list(_value_findings(change, rise))
    yield from values
    codes = {finding.code for finding in values if finding}
    if change.new.kind is Kind.EMPTY and change.old.kind is not Kind.EMPTY:
        rise = 1.0 - change.old.missing_share
    if "missing_imputed" not in codes and not (codes & _NEW_VALUES and rise < 0):
        yield from missing_findings(change, rise)


def _value_findings(change: ColumnChange, rise: float) -> Iterator[Finding | None]:
    old, new = change.old, change.new
    if Kind.EMPTY in (old.kind, new.kind):
        return  # recognised by its missing values
    if new.distinct == 1 and old.distinct > 1 and new.present > 1 and not _all_but_constant(old):
        yield _became_constant(change)
        return
    zeros = _leading_zeros(change)
    if zeros:
        yield zeros
        return
    decimals = _decimals_written(change)
    yield decimals
    if old.kind is new.kind:
        yield from _writing(change)
    elif decimals:
        return  # whole numbers that are written as measured ones
    if type(old.stats) is type(new.stats):
        yield from findings_between(old.stats, new.stats, change, rise)
    elif change.between.in_time and _named_rows(change) and _named_rows_still(change):
        yield repeats(change)
    elif change.between.in_time and change.kind_changed:
        yield from _another_kind(change)
    elif change.between.in_time and _named_rows(change):
        yield repeats(change)


def _named_rows(change: ColumnChange) -> bool:
    """Whether numbers named a row each, by what either version takes them for."""
    old, new = change.old, change.new
    whole = old.dtype.lstrip("u").startswith("int") and old.distinct == old.present
    return old.kind is Kind.IDENTIFIER or (whole and new.kind is Kind.IDENTIFIER)


def _named_rows_still(change: ColumnChange) -> bool:
    """Whether numbers that named a row each mostly do so still, though they look like others."""
    old, new = change.old, change.new
    same_type = _family(old.dtype) == _family(new.dtype) == "number"
    return same_type and 0 < new.distinct < new.present <= 2 * new.distinct


@singledispatch
def findings_between(_old: Any, _new: Any, change: ColumnChange, _rise: float) -> Found:
    """Findings about two summaries of one type; a kind registers its own.

    ``_rise`` is that of the share of missing values.
    """
    if change.between.in_time and change.kind_changed:
        yield from _another_kind(change)


@findings_between.register
def _(old: QuantitySummary, new: QuantitySummary, change: ColumnChange, rise: float) -> Found:
    yield from quantity_findings(change, old, new, rise)


@findings_between.register
def _(_: CategorySummary, __: CategorySummary, change: ColumnChange, ___: float) -> Found:
    yield from _levels(change)


@findings_between.register
def _(old: TextSummary, new: TextSummary, change: ColumnChange, _: float) -> Found:
    yield from text_findings(change, old, new)


@findings_between.register
def _(old: IdentifierSummary, new: IdentifierSummary, change: ColumnChange, _: float) -> Found:
    if change.between.in_time:  # identifiers of groups are bound to differ
        yield from identifier_findings(change, old, new)


@findings_between.register
def _(old: DatetimeSummary, new: DatetimeSummary, change: ColumnChange, _: float) -> Found:
    if change.between.in_time:  # so are their datetimes
        yield from datetime_findings(change, old, new)


def _all_but_constant(old: ColumnSummary) -> bool:
    """Whether so few rows varied before that one value now may be chance."""
    return bool(old.top_values) and old.present - old.top_values[0].count < 10


def _became_constant(change: ColumnChange) -> Finding | None:
    value = change.new.top_values[0].value
    return change.finding(
        "became_constant",
        1.0,
        {"value": value, "old_distinct": change.old.distinct},
    )


def _renamed(change: ColumnChange) -> Finding | None:
    old, new = change.old, change.new
    return change.finding(
        "renamed",
        change.pair.confidence,
        {"old_name": old.name, "new_name": new.name, "confidence": change.pair.confidence},
        form="similar" if change.distance or change.measured is None else "",
    )


def _levels(change: ColumnChange) -> Iterator[Finding | None]:
    """The levels, also of two kinds that both have levels."""
    old, new = levels_of(change.old.stats), levels_of(change.new.stats)
    if old and new:
        yield from level_findings(change, old, new)


def _another_kind(change: ColumnChange) -> Iterator[Finding | None]:
    """A column that changed its kind: by a cause that is known, or else just that."""
    old, new = change.old, change.new
    readable = _still_readable(change)
    if readable is not None:
        code, share = readable
        yield change.finding(
            code,
            max(1 - share, 0.01),
            {
                "old_dtype": old.dtype,
                "new_dtype": new.dtype,
                "readable": share,
                "unreadable": 1 - share,
                **({"example": new.top_values[0].value} if new.top_values else {}),
            },
        )
        return
    cut = _cut_names(change) or _sentinel_of_another_kind(change)
    if cut:
        yield cut
        return
    levels = levels_of(old.stats), levels_of(new.stats)
    if levels[0] and levels[1]:
        found = [finding for finding in level_findings(change, levels[0], levels[1]) if finding]
        if any(
            finding.code in ("relabelled", "respelled", "sentinel_value_new") for finding in found
        ):
            yield from found
            return
    yield _retyped(change)


def _sentinel_of_another_kind(change: ColumnChange) -> Finding | None:
    """A code for missing that makes numbers of what was a row of identifiers."""
    found, before = find_sentinel(change.new), change.old.stats
    if found is None or not isinstance(before, IdentifierSummary):
        return None
    share = found.rows / max(change.new.present, 1)
    facts: dict[str, Fact] = {"value": found.value, "rows": found.rows, "share": share}
    return change.finding("sentinel_value_new", share, facts)


def _cut_names(change: ColumnChange) -> Finding | None:
    """Names that were cut at a length, and so became levels that repeat."""
    a, b = change.old.stats, change.new.stats
    if not isinstance(a, IdentifierSummary) or not isinstance(b, CategorySummary):
        return None
    if b.min_length != b.max_length or b.max_length >= a.min_length:
        return None
    return cut_finding(change, b.max_length, change.new.present, a.max_length)


def _still_readable(change: ColumnChange) -> tuple[FindingCode, float] | None:
    """Texts that were numbers or datetimes before, and mostly still read as such."""
    old, new = change.old, change.new
    if new.text_format is None or not new.present or old.text_format is not None:
        return None
    readings: tuple[tuple[tuple[Kind, ...], FindingCode, int], ...] = (
        ((Kind.QUANTITY, Kind.DURATION), "numbers_as_text", new.text_format.numeric_rows),
        ((Kind.DATETIME,), "dates_as_text", new.text_format.date_rows),
    )
    for kinds, code, rows in readings:
        if old.kind in kinds and rows / new.present >= _STILL_READABLE:
            return code, rows / new.present
    return None


def _retyped(change: ColumnChange) -> Finding | None:
    old, new = change.old, change.new
    return change.finding(
        "retyped",
        1.0,
        {
            "old_kind": str(old.kind),
            "new_kind": str(new.kind),
            "old_dtype": old.dtype,
            "new_dtype": new.dtype,
        },
    )


def _writing(change: ColumnChange) -> Iterator[Finding | None]:
    """The same kind, stored or written otherwise."""
    old, new = change.old, change.new
    types: dict[str, Fact] = {"old_dtype": old.dtype, "new_dtype": new.dtype}
    read_as_values = new.kind in (Kind.QUANTITY, Kind.DURATION, Kind.DATETIME)
    if read_as_values and new.text_format is not None and old.text_format is None:
        dates = new.kind is Kind.DATETIME
        code: FindingCode = "dates_as_text" if dates else "numbers_as_text"
        yield change.finding(
            code,
            1.0,
            {**types, "readable": 1.0, "unreadable": 0.0, "example": new.text_format.pattern},
            # What is written plainly is read back by most that read texts.
            at_most=Severity.CHECK if new.kind_reason is KindReason.NUMBERS_AS_TEXT else None,
        )
    elif read_as_values and old.text_format is not None and new.text_format is not None:
        yield _written_otherwise(change, old.text_format.pattern, new.text_format.pattern)
    elif _family(old.dtype) != _family(new.dtype):
        # What reads texts as numbers fails; other types are mostly converted in silence.
        text = "text" in (_family(old.dtype), _family(new.dtype))
        yield change.finding(
            "dtype_changed",
            0.2,
            {**types, "kind": str(new.kind)},
            at_most=None if text else Severity.NOTE,
        )


def _leading_zeros(change: ColumnChange) -> Finding | None:
    """Codes of digits that lost the zeros in front of them, or got some."""
    old, new = _rows_with_zeros(change.old), _rows_with_zeros(change.new)
    if old is None or new is None or (old > 0) is (new > 0):
        return None
    if not change.between.unlikely(
        shares_p_value(old, change.old.present, new, change.new.present)
    ):
        return None
    lost = old > 0
    rows, present = (old, change.old.present) if lost else (new, change.new.present)
    return change.finding(
        "format_changed",
        1.0,
        {"rows": rows, "share": rows / present},
        form="zeros_lost" if lost else "zeros_added",
    )


def _rows_with_zeros(column: ColumnSummary) -> int | None:
    """How many values begin with a zero that is not the whole; None where not all are digits."""
    if column.text_format is None:
        return 0 if _family(column.dtype) == "number" else None
    digits = column.present and column.text_format.numeric_rows == column.present
    return column.text_format.leading_zeros if digits else None


def _decimals_written(change: ColumnChange) -> Finding | None:
    """The same numbers, written with more or fewer decimals in the file: 5 as 5.00."""
    origins = change.between.old.profile.origin, change.between.new.profile.origin
    old, new = (
        origin.decimals_written.get(column.name) if origin else None
        for origin, column in zip(origins, (change.old, change.new), strict=True)
    )
    if old is None or new is None or old == new:
        return None
    needed = _decimals_of(change.old), _decimals_of(change.new)
    if needed[0] is None or needed[0] != needed[1]:
        return None  # the numbers themselves are finer or coarser
    facts: dict[str, Fact] = {"old_decimals": old, "new_decimals": new}
    return change.finding("format_changed", 0.5, facts, form="decimals", at_most=Severity.NOTE)


def _decimals_of(column: ColumnSummary) -> int | None:
    """Decimals that the numbers of a column need; None where it holds none."""
    if isinstance(column.stats, QuantitySummary):
        return column.stats.decimals
    return 0 if column.dtype.lstrip("u").startswith("int") else None


def _written_otherwise(change: ColumnChange, old: str, new: str) -> Finding | None:
    """Another unit, separator, decimal sign or order of the date."""
    signs = [{c for c in shape if not c.isalnum() and c not in "-+"} for shape in (old, new)]
    units = change.old.unit, change.new.unit
    if change.new.kind is not Kind.DATETIME and signs[0] == signs[1] and units[0] == units[1]:
        return None
    if old == new and units[0] == units[1]:
        return None
    return change.finding(
        "format_changed",
        1.0,
        {
            "old_pattern": old,
            "new_pattern": new,
            "old_unit": units[0],
            "new_unit": units[1],
        },
        form="unit" if old == new else "",
    )


def _family(stored: str) -> str:
    """Stored types that are no matter to each other, as int32 and int64."""
    if stored.startswith("dictionary"):
        stored = stored.split("values=")[1].split(",", maxsplit=1)[0]
    for family, starts in (
        ("number", ("int", "uint", "float", "double", "halffloat", "decimal")),
        ("text", ("string", "large_string", "string_view")),
        ("datetime", ("date", "timestamp")),
    ):
        if stored.startswith(starts):
            return family
    return stored
