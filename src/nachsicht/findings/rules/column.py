"""What is odd within one column. What follows from a column's kind is no finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from nachsicht.columns.infer.sentinels import find_sentinel
from nachsicht.findings.build import View
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    DatetimeSummary,
    IdentifierSummary,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import MissingByLevel
from nachsicht.model.statistics import known

#: A level, or a value, that so large a part of the rows hold leaves little to tell.
NEARLY_ALL = 0.99
#: Skewness from which on a logarithm is worth a thought.
SKEWED = 3.0
#: From this share on, outliers are reported even where they do not stand apart.
MANY_OUTLIERS = 0.05


def _hardly_varies(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    if column.present < 2 or not column.top_values:
        return
    top = column.top_values[0]
    share = top.count / column.present
    facts: dict[str, Fact] = {"value": top.value, "share": share}
    if column.distinct == 1:
        size = column.present / column.rows
        yield view.finding("constant", (column.name,), size, {"value": top.value})
    elif share >= NEARLY_ALL and column.present >= 100:
        yield view.finding("nearly_constant", (column.name,), share, facts)
    elif column.kind in (Kind.CATEGORY, Kind.FLAG):
        facts = {"level": top.value, "share": share}
        yield view.finding("imbalance", (column.name,), share, facts)


def _missing(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    share = column.missing_share
    if not column.missing:
        return
    evidence: dict[str, Fact] = {"missing": column.missing, "rows": column.rows, "share": share}
    if column.kind is Kind.EMPTY:
        yield view.finding("all_missing", (column.name,), 1.0, evidence)
        return
    place = crowded_level(column.name, view.gaps)
    if place:
        by, level, part, level_share = place
        evidence |= {"by": by, "level": level, "share_of_missing": part, "level_share": level_share}
    at_least = Severity.CHECK if place else None
    yield view.finding("missing_values", (column.name,), share, evidence, at_least=at_least)


def crowded_level(
    column: str, gaps: tuple[MissingByLevel, ...]
) -> tuple[str, str | None, float, float] | None:
    """The level that holds most missing values of a column, out of proportion to its rows.

    Returns
    -------
    (other column, level, share of the missing values, share of the rows), or None
    """
    best: tuple[str, str | None, float, float] | None = None
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


def _sentinel(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    found = find_sentinel(column)
    if not found:
        return
    share = found.rows / column.rows
    facts: dict[str, Fact] = {"value": found.value, "rows": found.rows, "share": share}
    if found.low is not None and found.high is not None:
        facts |= {"low": found.low, "high": found.high}
    yield view.finding("sentinel_value", (column.name,), share, facts)


def _look_alikes(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    if not isinstance(column.stats, CategorySummary):
        return
    for group in column.stats.similar_levels:
        counts = tuple(level.count for level in group)
        names = tuple(level.value for level in group)
        facts: dict[str, Fact] = {"spellings": names, "counts": counts, "rows": sum(counts)}
        yield view.finding("similar_levels", (column.name,), sum(counts) / column.rows, facts)


def _values(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """Infinities, zeros, skew and outliers of a quantity."""
    detail = column.stats
    if not isinstance(detail, QuantitySummary):
        return
    names = (column.name,)
    n = detail.neg_inf + detail.pos_inf
    if n:
        yield view.finding("infinite_values", names, n / column.rows, {"rows": n})
    present = max(column.present, 1)
    if detail.zeros and not detail.discrete:
        share = detail.zeros / present
        yield view.finding("zeros", names, share, {"rows": detail.zeros, "share": share})
    if known(detail.skewness) and abs(float(detail.skewness)) >= SKEWED and not detail.discrete:
        closest = detail.normal.best_transform if detail.normal else "none"
        skewness = float(detail.skewness)
        yield view.finding(
            "skewed",
            names,
            min(abs(skewness) / 20, 1.0),
            {"skewness": skewness, "best_transform": closest},
            form="right" if skewness > 0 else "left",
        )
    yield _outliers(view, names, detail, present)


def _outliers(
    view: View, names: tuple[str, ...], detail: QuantitySummary, present: int
) -> Finding | None:
    """Outliers where they are many, or few that stand apart; a long tail has some anyway."""
    fences = detail.outliers.adjusted if detail.outliers else None
    if fences is None:
        return None
    rows, form = fences.below + fences.above, ""
    if rows < MANY_OUTLIERS * present or detail.discrete:
        rows, form = fences.isolated_below + fences.isolated_above, "isolated"
    if not rows:
        return None
    share = rows / present
    facts: dict[str, Fact] = {
        "rows": rows,
        "share": share,
        "low": fences.low_fence,
        "high": fences.high_fence,
    }
    return view.finding("outliers", names, share, facts, form=form)


def _writing(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """Damaged letters, mixed types, blanks; numbers and dates stored as text."""
    written, names = column.text_format, (column.name,)
    if written and written.garbled_rows:
        share = written.garbled_rows / column.present
        facts: dict[str, Fact] = {"rows": written.garbled_rows, "share": share}
        yield view.finding("garbled_text", names, share, facts)
    if written and column.kind in (Kind.CATEGORY, Kind.TEXT, Kind.IDENTIFIER):
        for meaning, rows in (("numbers", written.numeric_rows), ("dates", written.date_rows)):
            share = rows / column.present
            if 0.5 <= share < 1.0:
                yield view.finding(
                    "mixed_types",
                    names,
                    1 - share,
                    {"rows": rows, "share": share, "others": column.present - rows},
                    form=meaning,
                )
    if isinstance(column.stats, TextSummary) and column.stats.blank:
        share = column.stats.blank / column.present
        facts = {"rows": column.stats.blank, "share": share}
        yield view.finding("blank", names, share, facts)
    meanings = {
        KindReason.NUMBERS_AS_TEXT: "numbers",
        KindReason.WRITTEN_NUMBERS: "written_numbers",
        KindReason.DATES_AS_TEXT: "dates",
    }
    if column.kind_reason in meanings:
        facts = {"dtype": column.dtype}
        form = meanings[column.kind_reason]
        yield view.finding("stored_as_text", names, 0.5, facts, form=form)


def _names_of_things(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    """An identifier of which a few values repeat, where all others name one row."""
    detail = column.stats
    if not isinstance(detail, IdentifierSummary) or not detail.duplicate_values:
        return
    extra = column.present - column.distinct
    if extra > 0.01 * column.present:
        return  # it names things that have several rows
    yield view.finding(
        "identifier_repeats",
        (column.name,),
        extra / column.present,
        {"values": detail.duplicate_values, "rows": detail.duplicate_rows},
    )


def _future(view: View, column: ColumnSummary) -> Iterator[Finding | None]:
    detail = column.stats
    if not isinstance(detail, DatetimeSummary) or not detail.in_future:
        return
    share = detail.in_future / column.present
    if share > 0.5:
        return  # a plan or a forecast is meant to lie there
    yield view.finding(
        "future_dates",
        (column.name,),
        share,
        {"rows": detail.in_future, "share": share, "last": detail.maximum},
    )


#: What is looked for in every column.
RULES: tuple[Callable[[View, ColumnSummary], Iterator[Finding | None]], ...] = (
    _hardly_varies,
    _missing,
    _sentinel,
    _look_alikes,
    _values,
    _writing,
    _names_of_things,
    _future,
)
