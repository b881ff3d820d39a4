"""What is odd within one version. What follows from a column's kind is no finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from nachsicht.compute.computed import Computed
from nachsicht.compute.findings.making import make_finding
from nachsicht.compute.findings.stand_ins import stand_in
from nachsicht.compute.repeats import expected_repeats
from nachsicht.model.column import (
    CategorySummary,
    ColumnSummary,
    IdentifierSummary,
    MomentSummary,
    QuantitySummary,
    TextSummary,
)
from nachsicht.model.findings import Fact, Finding, Weight, by_urgency
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import GapsByLevel, Relation, Repeats
from nachsicht.model.statistics import known
from nachsicht.settings import Settings
from nachsicht.words import catalogue, counted, percent, phrase, quoted, whole
from nachsicht.words import number as rounded

#: Fewer neighbouring rows than this may repeat others by chance.
SHORTEST_IMPORT = 5
#: Relations from here on make columns move together, or give the outcome away.
TOGETHER = 0.95
GIVES_AWAY = 0.97
#: A level, or a value, that so large a part of the rows hold leaves little to tell.
NEARLY_ALL = 0.99
#: Skewness from which on a logarithm is worth a thought.
SKEWED = 3.0


class _View(NamedTuple):
    """What a rule may look at, and how it makes a finding."""

    label: str
    gaps: tuple[GapsByLevel, ...]
    settings: Settings

    def finding(
        self,
        code: str,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        at_least: Weight | None = None,
        at_most: Weight | None = None,
        **words: object,
    ) -> Finding | None:
        """A finding of this version."""
        return make_finding(
            code,
            columns,
            (self.label,),
            size=size,
            evidence=evidence,
            words=words,
            settings=self.settings,
            at_least=at_least,
            at_most=at_most,
        )


def findings_in(
    label: str, computed: Computed, unread_lines: int, settings: Settings
) -> tuple[Finding, ...]:
    """All findings of a profile, the most urgent first."""
    view = _View(label, computed.gaps_by_level, settings)
    found = [*_repeated(view, computed.columns, computed.repeats)]
    if unread_lines:
        found.append(_unread(view, unread_lines, computed.rows))
    for column in computed.columns:
        for rule in _RULES:
            found.extend(rule(view, column))
    found.extend(_gaps_together(view, computed))
    found.extend(_together(view, computed.relations.pairs))
    found.extend(_gives_away(view, computed.relations.pairs))
    return by_urgency([finding for finding in found if finding])


def _repeated(
    view: _View, columns: tuple[ColumnSummary, ...], repeats: Repeats
) -> Iterator[Finding | None]:
    rows = repeats.repeated_rows + repeats.distinct_rows
    share = repeats.repeated_rows / rows if rows else 0.0
    if not repeats_matter(columns, repeats):
        return
    evidence: dict[str, Fact] = {"rows": repeats.repeated_rows, "share": share}
    block = block_words("rows_repeated", repeats)
    named = any(column.kind is Kind.IDENTIFIER for column in columns)
    yield view.finding(
        "rows_repeated",
        (),
        share,
        evidence | block_evidence(repeats),
        # Scattered rows that name no thing may well be equal without any mistake.
        at_most=None if block or named else Weight.NOTE,
        n=repeats.repeated_rows,
        rows=whole(repeats.repeated_rows),
        share=percent(share),
        block=block,
    )


def _unread(view: _View, lines: int, rows: int) -> Finding | None:
    size = lines / (rows + lines)
    return view.finding("lines_unread", (), size, {"lines": lines}, n=lines, lines=whole(lines))


def repeats_matter(columns: tuple[ColumnSummary, ...], repeats: Repeats) -> bool:
    """Whether there are at least twice as many repeated rows as chance would give."""
    rows = repeats.repeated_rows + repeats.distinct_rows
    return repeats.repeated_rows > 2 * expected_repeats(columns, rows)


def block_evidence(repeats: Repeats) -> dict[str, Fact]:
    """The longest block of repeated rows, as facts."""
    if not repeats.blocks:
        return {}
    block = repeats.blocks[0]
    return {
        "first_row": block.first_row,
        "last_row": block.last_row,
        "first_original": block.first_original,
    }


def block_words(code: str, repeats: Repeats) -> str:
    """The longest block in words, if it holds most of the repeated rows."""
    if not repeats.blocks:
        return ""
    block = repeats.blocks[0]
    length = block.last_row - block.first_row + 1
    if length < SHORTEST_IMPORT or length * 2 < repeats.repeated_rows:
        return ""
    return phrase(
        f"findings.{code}.block",
        first=whole(block.first_row),
        last=whole(block.last_row),
        original=whole(block.first_original),
        original_last=whole(block.first_original + length - 1),
    )


def _hardly_varies(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _gaps(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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
            level=quoted(level),
            level_share=percent(level_share),
        )
    at_least = Weight.CHECK if place else None
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


def _stand_in(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _look_alikes(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _values(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _writing(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _names_of_things(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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


def _future(view: _View, column: ColumnSummary) -> Iterator[Finding | None]:
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
_RULES: tuple[Callable[[_View, ColumnSummary], Iterator[Finding | None]], ...] = (
    _hardly_varies,
    _gaps,
    _stand_in,
    _look_alikes,
    _values,
    _writing,
    _names_of_things,
    _future,
)


def _together(view: _View, pairs: tuple[Relation, ...]) -> Iterator[Finding | None]:
    """Groups of quantities that rise and fall together: one finding a group."""
    strong = [p for p in pairs if p.measure == "spearman" and abs(p.strength) >= TOGETHER]
    groups: list[set[str]] = []
    for pair in strong:
        joined = [group for group in groups if {pair.one, pair.other} & group]
        groups = [group for group in groups if group not in joined]
        groups.append({pair.one, pair.other}.union(*joined))
    for group in groups:
        names = tuple(sorted(group))
        weakest = min(abs(p.strength) for p in strong if p.one in group)
        yield view.finding(
            "moves_together",
            names,
            weakest,
            {"columns": names, "weakest": weakest},
            n=len(names),
            count=counted(len(names)).capitalize(),
            list=", ".join(names[:4]) + ("…" if len(names) > 4 else ""),
            weakest=rounded(weakest, 3),
        )


def _gaps_together(view: _View, computed: Computed) -> Iterator[Finding | None]:
    """Columns that lack a value in the same rows: one finding a group."""
    for group in computed.gaps.groups:
        names = group.columns
        rows = max(pair.rows for pair in computed.gaps.pairs if pair.one in names)
        yield view.finding(
            "gaps_together",
            names,
            rows / max(computed.rows, 1),
            {"columns": names, "rows": rows},
            count=counted(len(names)).capitalize(),
            list=", ".join(names[:4]) + ("…" if len(names) > 4 else ""),
        )


def _gives_away(view: _View, pairs: tuple[Relation, ...]) -> Iterator[Finding | None]:
    """Columns that all but say what the outcome is."""
    outcome = view.settings.outcome
    for pair in pairs:
        if outcome in (pair.one, pair.other) and abs(pair.strength) >= GIVES_AWAY:
            name = pair.other if pair.one == outcome else pair.one
            yield view.finding(
                "gives_away",
                (name,),
                abs(pair.strength),
                {"outcome": outcome, "measure": pair.measure, "strength": pair.strength},
                outcome=outcome,
                measure=phrase(f"measures.{pair.measure}"),
                strength=rounded(abs(pair.strength), 3),
            )
