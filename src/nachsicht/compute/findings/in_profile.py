"""What is odd within one version."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.compute.findings.making import make_finding
from nachsicht.compute.findings.stand_ins import stand_in
from nachsicht.compute.repeats import expected_repeats
from nachsicht.model.column import CategorySummary, ColumnSummary, QuantitySummary
from nachsicht.model.findings import Fact, Finding, Weight, by_urgency
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.model.profile import GapsByLevel, Repeats
from nachsicht.settings import Bounds, Settings
from nachsicht.words import catalogue, counted, percent, phrase, quoted, whole
from nachsicht.words import number as rounded

#: Fewer neighbouring rows than this may repeat others by chance.
SHORTEST_IMPORT = 5


def findings_in(
    label: str,
    columns: tuple[ColumnSummary, ...],
    repeats: Repeats,
    gaps: tuple[GapsByLevel, ...],
    unread_lines: int,
    settings: Settings,
) -> tuple[Finding, ...]:
    """All findings of a profile, the most urgent first."""
    found = list(_repeated(label, columns, repeats, settings.bounds))
    if unread_lines:
        rows = repeats.repeated_rows + repeats.distinct_rows
        found.append(_unread(label, unread_lines, rows))
    for column in columns:
        for rule in (_constant, _gaps, _stand_in, _look_alikes, _infinite, _stored_as_text):
            found.extend(rule(label, column, gaps, settings.bounds))
    return by_urgency(found)


def _repeated(
    label: str, columns: tuple[ColumnSummary, ...], repeats: Repeats, bounds: Bounds
) -> Iterator[Finding]:
    rows = repeats.repeated_rows + repeats.distinct_rows
    share = repeats.repeated_rows / rows if rows else 0.0
    if not repeats_matter(columns, repeats) or share < bounds.repeats_check:
        return
    evidence: dict[str, Fact] = {"rows": repeats.repeated_rows, "share": share}
    block = block_words("rows_repeated", repeats)
    named = any(column.kind is Kind.IDENTIFIER for column in columns)
    yield make_finding(
        "rows_repeated",
        # Scattered rows that name no thing may well be equal without any mistake.
        Weight.CHECK if block or named else Weight.NOTE,
        (),
        (label,),
        size=share,
        evidence=evidence | block_evidence(repeats),
        words={
            "n": repeats.repeated_rows,
            "rows": whole(repeats.repeated_rows),
            "share": percent(share),
            "block": block,
        },
    )


def _unread(label: str, lines: int, rows: int) -> Finding:
    return make_finding(
        "lines_unread",
        Weight.CHECK,
        (),
        (label,),
        size=lines / (rows + lines),
        evidence={"lines": lines},
        words={"n": lines, "lines": whole(lines)},
    )


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


_Gaps = tuple[GapsByLevel, ...]


def _constant(label: str, column: ColumnSummary, _: _Gaps, __: Bounds) -> Iterator[Finding]:
    if column.distinct != 1 or column.rows < 2:
        return
    value = column.frequent[0].value
    yield make_finding(
        "constant",
        Weight.NOTE,
        (column.name,),
        (label,),
        size=column.present / column.rows,
        evidence={"value": value},
        words={"value": quoted(value)},
    )


def _gaps(label: str, column: ColumnSummary, gaps: _Gaps, bounds: Bounds) -> Iterator[Finding]:
    share = column.missing_share
    if share < bounds.missing_note:
        return
    evidence: dict[str, Fact] = {"missing": column.missing, "rows": column.rows}
    words: dict[str, object] = {
        "missing": whole(column.missing),
        "rows": whole(column.rows),
        "share": percent(share),
        "where": "",
    }
    if column.kind is Kind.EMPTY:
        yield make_finding(
            "all_missing",
            Weight.CHECK,
            (column.name,),
            (label,),
            size=1.0,
            evidence=evidence,
            words=words,
        )
        return
    place = crowded_level(column.name, gaps)
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
    weight = Weight.CHECK if share >= bounds.missing_check or place else Weight.NOTE
    yield make_finding(
        "gaps", weight, (column.name,), (label,), size=share, evidence=evidence, words=words
    )


def crowded_level(column: str, gaps: _Gaps) -> tuple[str, str, float, float] | None:
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


def _stand_in(label: str, column: ColumnSummary, _: _Gaps, bounds: Bounds) -> Iterator[Finding]:
    found = stand_in(column, bounds)
    if not found:
        return
    share = found.rows / column.rows
    yield make_finding(
        "stand_in",
        Weight.CHECK,
        (column.name,),
        (label,),
        size=share,
        evidence={"value": found.value, "rows": found.rows, "low": found.low, "high": found.high},
        words={
            "value": rounded(found.value),
            "rows": whole(found.rows),
            "share": percent(share),
            "low": rounded(found.low),
            "high": rounded(found.high),
        },
    )


def _look_alikes(label: str, column: ColumnSummary, _: _Gaps, __: Bounds) -> Iterator[Finding]:
    if not isinstance(column.detail, CategorySummary):
        return
    for group in column.detail.look_alikes:
        names = tuple(level.value for level in group)
        rows = sum(level.count for level in group)
        yield make_finding(
            "look_alikes",
            Weight.CHECK,
            (column.name,),
            (label,),
            size=rows / column.rows,
            evidence={"spellings": names, "rows": rows},
            words={
                "spellings": counted(len(names)),
                "list": ", ".join(
                    f"{quoted(level.value)} ({whole(level.count)})" for level in group
                ),
            },
        )


def _infinite(label: str, column: ColumnSummary, _: _Gaps, __: Bounds) -> Iterator[Finding]:
    detail = column.detail
    if not isinstance(detail, QuantitySummary):
        return
    n = detail.infinite_below + detail.infinite_above
    if n:
        yield make_finding(
            "infinite",
            Weight.CHECK,
            (column.name,),
            (label,),
            size=n / column.rows,
            evidence={"infinite": n},
            words={"n": whole(n)},
        )


def _stored_as_text(label: str, column: ColumnSummary, _: _Gaps, __: Bounds) -> Iterator[Finding]:
    meanings = {
        KindReason.NUMBERS_AS_TEXT: "numbers",
        KindReason.WRITTEN_NUMBERS: "written_numbers",
        KindReason.DATES_AS_TEXT: "dates",
    }
    if column.kind_reason not in meanings:
        return
    words = catalogue()["findings"]["stored_as_text"][meanings[column.kind_reason]]
    yield make_finding(
        "stored_as_text",
        Weight.NOTE,
        (column.name,),
        (label,),
        size=0.5,
        evidence={"stored_type": column.stored_type},
        words=words,
    )
