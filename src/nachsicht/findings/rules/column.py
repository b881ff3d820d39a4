"""What is odd within one column. What follows from a column's kind is no finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from nachsicht.columns.infer.sentinels import stand_in
from nachsicht.findings.build import View
from nachsicht.i18n import catalogue, counted, level_text, percent, phrase, quoted, whole
from nachsicht.i18n import number as rounded
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    IdentifierSummary,
    MomentSummary,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import GapsByLevel
from nachsicht.model.statistics import known

#: A level, or a value, that so large a part of the rows hold leaves little to tell.
NEARLY_ALL = 0.99
#: Skewness from which on a logarithm is worth a thought.
SKEWED = 3.0


def _hardly_varies(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    if column.present < 2 or not column.frequent:
        return
    top = column.frequent[0]
    share = top.count / column.present
    facts: dict[str, Fact] = {"value": top.value, "share": share}
    words: dict[str, Any] = {"value": quoted(top.value), "share": percent(share)}
    if column.distinct == 1:
        size = column.present / column.rows
        yield view.finding("constant", (column.name,), size, {"value": top.value}, **words)
    elif share >= NEARLY_ALL and column.present >= 100:
        yield view.finding("nearly_constant", (column.name,), share, facts, **words)
    elif column.kind in (Kind.CATEGORY, Kind.FLAG):
        facts = {"level": top.value, "share": share}
        yield view.finding("imbalance", (column.name,), share, facts, **words)


def _gaps(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    share = column.missing_share
    if not column.missing:
        return
    evidence: dict[str, Fact] = {"missing": column.missing, "rows": column.rows}
    words: dict[str, Any] = {
        "missing": whole(column.missing),
        "rows": whole(column.rows),
        "share": percent(share),
        "where": "",
    }
    if column.kind is Kind.EMPTY:
        yield view.finding("all_missing", (column.name,), 1.0, evidence, **words)
        return
    place = crowded_level(column.name, view.gaps)
    if place:
        by, level, part, level_share = place
        evidence |= {"by": by, "level": level, "part_of_gaps": part}
        words["where"] = phrase(
            "findings.gaps.where",
            part=percent(part),
            by=by,
            level=level_text(level),
            level_share=percent(level_share),
        )
    at_least = Severity.CHECK if place else None
    yield view.finding("gaps", (column.name,), share, evidence, at_least=at_least, **words)


def crowded_level(
    column: str, gaps: tuple[GapsByLevel, ...]
) -> tuple[str, str, float, float] | None:
    """The level that holds most gaps of a column, out of proportion to its rows.

    Returns
    -------
    (other column, level, share of the gaps, share of the rows), or None
    """
    best: tuple[str, str, float, float] | None = None
    for table in gaps:
        if table.column != column:
            continue
        missing, rows = sum(table.missing), sum(table.rows)
        for level, gap, n in zip(table.levels, table.missing, table.rows, strict=True):
            part, share = gap / max(missing, 1), n / rows
            if (
                part >= 0.6
                and part > 2 * share
                and (best is None or part - share > best[2] - best[3])
            ):
                best = (table.by, level, part, share)
    return best


def _stand_in(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    found = stand_in(column)
    if not found:
        return
    share = found.rows / column.rows
    numbers = found.low is not None and found.high is not None
    facts: dict[str, Fact] = {"value": found.value, "rows": found.rows}
    words: dict[str, Any] = {
        "value": quoted(found.value) if isinstance(found.value, str) else rounded(found.value),
        "rows": whole(found.rows),
        "share": percent(share),
        "far": "",
    }
    if numbers:
        facts |= {"low": found.low or 0.0, "high": found.high or 0.0}
        words["far"] = phrase(
            "findings.stand_in.far", low=rounded(found.low or 0.0), high=rounded(found.high or 0.0)
        )
    yield view.finding("stand_in", (column.name,), share, facts, **words)


def _look_alikes(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    if not isinstance(column.detail, CategorySummary):
        return
    for group in column.detail.look_alikes:
        names = tuple(level.value for level in group)
        rows = sum(level.count for level in group)
        yield view.finding(
            "look_alikes",
            (column.name,),
            rows / column.rows,
            {"spellings": names, "rows": rows},
            spellings=counted(len(names)),
            list=", ".join(f"{quoted(level.value)} ({whole(level.count)})" for level in group),
        )


def _values(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """Infinities, zeros, skew and outliers of a quantity."""
    detail = column.detail
    if not isinstance(detail, QuantitySummary):
        return
    names = (column.name,)
    n = detail.infinite_below + detail.infinite_above
    if n:
        yield view.finding("infinite", names, n / column.rows, {"infinite": n}, n=whole(n))
    present = max(column.present, 1)
    if detail.zeros and not detail.discrete:
        share = detail.zeros / present
        yield view.finding(
            "zeros",
            names,
            share,
            {"zeros": detail.zeros, "share": share},
            share=percent(share),
            rows=whole(detail.zeros),
        )
    if known(detail.skewness) and abs(float(detail.skewness)) >= SKEWED and not detail.discrete:
        closest = detail.normal.closest if detail.normal else "none"
        skewness = float(detail.skewness)
        yield view.finding(
            "skewed",
            names,
            min(abs(skewness) / 20, 1.0),
            {"skewness": skewness, "closest": closest},
            skewness=rounded(skewness, 2),
            side=phrase("findings.skewed.right" if skewness > 0 else "findings.skewed.left"),
        )
    if detail.outliers:
        far = detail.outliers.below + detail.outliers.above
        low, high = detail.outliers.low_fence, detail.outliers.high_fence
        yield view.finding(
            "outliers",
            names,
            far / present,
            {"rows": far, "share": far / present},
            rows=whole(far),
            share=percent(far / present),
            low=rounded(low),
            high=rounded(high),
        )


def _writing(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """Damaged letters, mixed types, blanks; numbers and dates stored as text."""
    written, names = column.written, (column.name,)
    if written and written.damaged:
        share = written.damaged / column.present
        facts: dict[str, Fact] = {"rows": written.damaged, "share": share}
        words: dict[str, Any] = {"rows": whole(written.damaged), "share": percent(share)}
        yield view.finding("letters_damaged", names, share, facts, **words)
    if written and column.kind in (Kind.CATEGORY, Kind.TEXT, Kind.IDENTIFIER):
        for meaning, rows in (("numbers", written.numbers), ("dates", written.dates)):
            share = rows / column.present
            if 0.5 <= share < 1.0:
                yield view.finding(
                    "mixed_types",
                    names,
                    1 - share,
                    {"meaning": meaning, "rows": rows, "share": share},
                    meaning=phrase(f"findings.mixed_types.{meaning}"),
                    share=percent(share),
                    others=whole(column.present - rows),
                )
    if isinstance(column.detail, TextSummary) and column.detail.blank:
        share = column.detail.blank / column.present
        facts = {"rows": column.detail.blank, "share": share}
        words = {"rows": whole(column.detail.blank), "share": percent(share)}
        yield view.finding("blank", names, share, facts, **words)
    meanings = {
        KindReason.NUMBERS_AS_TEXT: "numbers",
        KindReason.WRITTEN_NUMBERS: "written_numbers",
        KindReason.DATES_AS_TEXT: "dates",
    }
    if column.kind_reason in meanings:
        spoken: dict[str, Any] = catalogue()["findings"]["stored_as_text"][
            meanings[column.kind_reason]
        ]
        facts = {"stored_type": column.stored_type}
        yield view.finding("stored_as_text", names, 0.5, facts, **spoken)


def _names_of_things(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """An identifier of which a few values repeat, where all others name one row."""
    detail = column.detail
    if not isinstance(detail, IdentifierSummary) or not detail.repeated_values:
        return
    extra = column.present - column.distinct
    if extra > 0.01 * column.present:
        return  # it names things that have several rows
    yield view.finding(
        "identifier_repeats",
        (column.name,),
        extra / column.present,
        {"values": detail.repeated_values, "rows": detail.repeated_rows},
        n=detail.repeated_values,
        values=whole(detail.repeated_values),
        rows=whole(detail.repeated_rows),
    )


def _future(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    detail = column.detail
    if not isinstance(detail, MomentSummary) or not detail.in_future:
        return
    share = detail.in_future / column.present
    if share > 0.5:
        return  # a plan or a forecast is meant to lie there
    yield view.finding(
        "future",
        (column.name,),
        share,
        {"rows": detail.in_future, "share": share},
        n=detail.in_future,
        rows=whole(detail.in_future),
        share=percent(share),
        last=detail.maximum,
    )


#: What is looked for in every column.
RULES: tuple[Callable[[View, ColumnSummary], Iterator[Finding | None]], ...] = (
    _hardly_varies,
    _gaps,
    _stand_in,
    _look_alikes,
    _values,
    _writing,
    _names_of_things,
    _future,
)
