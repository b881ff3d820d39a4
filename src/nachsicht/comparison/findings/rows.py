"""Findings about the rows between two versions: lost, repeated, keys that name several."""

from __future__ import annotations

from collections.abc import Iterator

from nachsicht.comparison.context import VersionPair
from nachsicht.comparison.localise import Place, Stretch, cut_end, loss_of_rows
from nachsicht.findings.rules.table import (
    block_evidence,
    block_facts,
    duplicates_matter,
    ragged_evidence,
)
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import LostLevel, LostRun, RowChanges
from nachsicht.model.findings import Fact, Finding, Severity
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import DuplicateRun, Duplicates
from nachsicht.stats.hypothesis_tests import shares_p_value
from nachsicht.table.duplicates import agreement_of, import_in

#: From this share on, equal rows are nothing unusual where no column names a row.
_USUAL = 0.01
#: But for so many times as many as before; and where none was, so many are a fact.
_DOUBLED, _FEW = 2, 3
#: A level that is gone needs an act if it held so many of the rows.
_MANY = 0.1
#: Hardly any other row was removed if this part of those removed is of the level.
_NEARLY_ALL = 0.95
#: About as many rows came as went, if this part of them did.
_AS_MANY = 0.5
#: Counts of rows vary by more than their root; so many standard errors are no chance.
_STANDARD_ERRORS = 4.0
#: Without those that repeat the row before them, at least this part of the old share is repeated.
_HALF = 0.5
#: A block so long, and so many times as long as any before, was imported twice, whatever else is
#: equal by chance.
_LONG_RUN, _LONGER = 20, 4
#: And chance would make one so long in fewer pairs of rows than this.
_RUN_BY_CHANCE = 1e-4


def rows_lost(between: VersionPair, rows: RowChanges | None) -> tuple[Finding | None, Place | None]:
    """Fewer rows than before, or far fewer of one level, and where most of them were lost.

    Returns
    -------
    (the finding, the level or the end of time that lost them), either None
    """
    before, now = between.rows
    lost = before - now
    place = cut_end(between, lost) if lost > 0 and now else None
    if place and rows and rows.lost_level and _in_full(rows.lost_level, rows.removed):
        place = None  # a level says it better than the end of a quantity that it goes with
    if place is None and rows and rows.lost_level:
        return _level_lost(between, rows.removed, rows.lost_level)
    if place is None and rows and rows.lost_run and not _moved_on(rows):
        return _run_lost(between, rows.removed, rows.lost_run), None
    if lost <= 0 or not now:
        return None, None
    if place is None:
        if lost < _STANDARD_ERRORS * (before + now) ** 0.5:
            return None, None
        place = loss_of_rows(between, lost)
    finding = _rows_lost(between, lost, place)
    return finding, place if finding else None


def emptied(between: VersionPair) -> Finding | None:
    """All rows are gone."""
    before, now = between.rows
    if now or not before or not between.in_time:
        return None
    facts: dict[str, Fact] = {"rows": before, "old_rows": before, "new_rows": now, "share": 1.0}
    return between.finding("rows_lost", (), 1.0, facts, form="all")


def _in_full(lost: LostLevel, removed: int) -> bool:
    """Whether all rows of a level are gone, and hardly any other."""
    return lost.rows == lost.of and lost.rows >= _NEARLY_ALL * removed


def _level_lost(
    between: VersionPair, removed: int, lost: LostLevel
) -> tuple[Finding | None, Place | None]:
    """Rows that are known to be gone, most of them of one level."""
    before, now = between.rows
    finding = between.finding(
        "rows_lost",
        (lost.by,),
        lost.rows / lost.of,
        {
            "rows": lost.rows,
            "old_rows": before,
            "new_rows": now,
            "share": lost.rows / before,
            "by": lost.by,
            "level": lost.level,
            "share_of_lost": lost.rows / removed,
            "level_share": lost.rows / lost.of,
            "rest_share": lost.others,
        },
        form="level",
        at_least=Severity.CHECK,
        at_most=None if lost.rows >= _MANY * before else Severity.CHECK,
    )
    place = Place(lost.by, lost.level, lost.rows / removed, lost.of / before)
    return finding, place if finding else None


def _moved_on(rows: RowChanges) -> bool:
    """Whether the first rows went and about as many came: a period that moved on."""
    run = rows.lost_run
    return bool(run and run.first == 1 and rows.added >= _AS_MANY * run.rows)


def _run_lost(between: VersionPair, removed: int, lost: LostRun) -> Finding | None:
    """Rows one after the other that are known to be gone."""
    before, now = between.rows
    rows = lost.rows
    at_end = lost.last == before
    return between.finding(
        "rows_lost",
        (),
        rows / removed,
        {
            "rows": rows,
            "old_rows": before,
            "new_rows": now,
            "share": rows / before,
            "first_row": lost.first,
            "last_row": lost.last,
        },
        form="end" if at_end else "run",
        at_least=Severity.CHECK,
        at_most=None if rows >= _MANY * before else Severity.CHECK,
    )


def ragged_lines(between: VersionPair) -> Finding | None:
    """Lines of the newer version that could not be read, or not to their end."""
    new = between.new.profile
    if new.origin is None:
        return None
    evidence, form, size = ragged_evidence(new.origin, new.rows)
    if not evidence:
        return None
    return between.finding(
        "malformed_lines", (), size, evidence, form=f"{form}_newer" if form else "newer"
    )


def period_missing(between: VersionPair, found: Stretch) -> Finding | None:
    """A stretch of time without rows, between others that have as many as before."""
    return between.finding(
        "period_missing",
        (found.column,),
        found.share,
        {
            "by": found.column,
            "first": found.first,
            "last": found.last,
            "rows": found.rows,
            "share": found.share,
        },
    )


def _rows_lost(between: VersionPair, lost: int, place: Place | None) -> Finding | None:
    before, now = between.rows
    share = lost / before
    facts: dict[str, Fact] = {"rows": lost, "old_rows": before, "new_rows": now, "share": share}
    if place and place.cut:
        facts |= {"by": place.by, place.cut: place.level, "cut_share": place.share}
    elif place:
        facts |= {"by": place.by, "level": place.level, "share_of_lost": place.part}
    return between.finding(
        "rows_lost",
        (place.by,) if place else (),
        share,
        facts,
        at_most=None if place else Severity.CHECK,
    )


def repeat_findings(between: VersionPair) -> Iterator[Finding | None]:
    """Rows that are repeated now and were not before."""
    old, new = between.old.profile, between.new.profile
    repeated, before = new.duplicates.duplicate_rows, old.duplicates.duplicate_rows
    share, old_share = repeated / max(new.rows, 1), before / max(old.rows, 1)
    run, first = (
        _longest_run(new.duplicates),
        _long_run(new.duplicates, old.duplicates, new.columns),
    )
    matter = duplicates_matter(new.columns, new.duplicates)
    if first and not (matter and import_in(new.duplicates)):
        rows = {"rows": run, "share": share, "old_share": old_share}
        facts: dict[str, Fact] = {**rows, **block_facts(first)}
        yield between.finding("new_duplicate_rows", (), run / new.rows, facts, form="block")
        return
    yield _imported_again(between)
    if old_share >= _USUAL and (found := _consecutive(between)):
        yield found
        return
    if share <= old_share or not matter:
        return
    # Where there was none, and chance gives none, a few are a fact.
    fact = not before and repeated >= _FEW
    chance = shares_p_value(before, old.rows, repeated, new.rows)
    if not fact and chance > between.settings.alpha:
        return
    evidence: dict[str, Fact] = {"rows": repeated, "share": share, "old_share": old_share}
    named = any(column.kind is Kind.IDENTIFIER for column in new.columns)
    # Rows that name no thing and stood twice before may well be equal without any mistake.
    usual = old_share >= _USUAL and not named and import_in(new.duplicates) is None
    yield between.finding(
        "new_duplicate_rows",
        (),
        share - old_share,
        evidence | block_evidence(new.duplicates),
        form="more" if usual else "",
        at_most=Severity.NOTE if usual and share < _DOUBLED * old_share else None,
    )


def _consecutive(between: VersionPair) -> Finding | None:
    """Rows that repeat the row right before them, where equal rows are nothing unusual.

    That rows were only sorted brings equal ones together, so that few are left elsewhere.
    """
    sides = [version.profile for version in (between.old, between.new)]
    before, rows = (side.duplicates.consecutive_rows for side in sides)
    n, m = (max(side.rows, 1) for side in sides)
    rise = rows - max(before / n, agreement_of(sides[1].columns)) * m
    repeated, now = (side.duplicates.duplicate_rows for side in sides)
    if rise < max(_FEW, _USUAL * m) or (now - rise) / (m - rise) < _HALF * repeated / n:
        return None
    if shares_p_value(before, n, rows, m) > between.settings.alpha:
        return None
    facts: dict[str, Fact] = {"rows": rows, "share": rows / m, "old_share": before / n}
    return between.finding("new_duplicate_rows", (), rise / m, facts, form="consecutive")


def _longest_run(duplicates: Duplicates) -> int:
    """Rows of the longest block that equals an earlier block."""
    runs = duplicates.runs
    return runs[0].last_row - runs[0].first_row + 1 if runs else 0


def _long_run(
    new: Duplicates, old: Duplicates | None, columns: tuple[ColumnSummary, ...]
) -> DuplicateRun | None:
    """The longest block, if it is by far longer than any before and than chance makes one."""
    before, rows = _longest_run(old) if old else 0, _longest_run(new)
    if rows < _LONG_RUN or rows <= _LONGER * before:
        return None
    pairs = float(new.duplicate_rows + new.distinct_rows) ** 2
    return new.runs[0] if pairs * agreement_of(columns) ** rows < _RUN_BY_CHANCE else None


def _imported_again(between: VersionPair) -> Finding | None:
    """A block of rows that equal earlier ones in all but their identifiers."""
    old, new = between.old.profile, between.new.profile
    before = max((d.duplicate_rows / max(old.rows, 1) for d in old.duplicates_by_subset), default=0)
    earlier = {duplicates.columns: duplicates for duplicates in old.duplicates_by_subset}
    for duplicates in new.duplicates_by_subset:
        left_out = [c for c in new.columns if c.name not in duplicates.columns]
        others = _in(new.columns, duplicates)
        block = import_in(duplicates) if duplicates_matter(others, duplicates) else None
        block = block or _long_run(duplicates, earlier.get(duplicates.columns), others)
        if block is None or any(c.kind is not Kind.IDENTIFIER for c in left_out):
            continue
        rows = block.last_row - block.first_row + 1
        again = duplicates.duplicate_rows - new.duplicates.duplicate_rows
        if again <= rows / 2:
            continue
        facts: dict[str, Fact] = {"rows": rows, "share": rows / new.rows, "old_share": before}
        return between.finding(
            "new_duplicate_rows",
            tuple(c.name for c in left_out),
            rows / new.rows,
            facts | block_facts(block),
            form="renewed",
        )
    return None


def _in(columns: tuple[ColumnSummary, ...], duplicates: Duplicates) -> tuple[ColumnSummary, ...]:
    """The columns in which rows were examined."""
    return tuple(column for column in columns if column.name in duplicates.columns)


def key_findings(between: VersionPair, rows: RowChanges | None) -> Iterator[Finding | None]:
    """A key that named one row each and does so no longer."""
    if rows is None or not rows.key or rows.duplicate_keys[0] or not rows.duplicate_keys[1]:
        return
    repeated = rows.duplicate_keys[1]
    # Rows that are repeated whole repeat their key, which is reported already.
    if repeated <= 2 * between.new.profile.duplicates.duplicate_rows:
        return
    yield between.finding(
        "key_not_unique",
        rows.key,
        repeated / max(between.rows[1], 1),
        {"key": rows.key, "rows": repeated},
    )
