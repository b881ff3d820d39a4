"""Findings about texts and identifiers: the cause first, else what is seen."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from nachsicht.arrow.text_values import is_word_for_missing
from nachsicht.comparison.causes.clipping import cut_in
from nachsicht.comparison.causes.spikes import Spike, spikes_in
from nachsicht.comparison.context import ColumnChange
from nachsicht.comparison.distances import shape_counts
from nachsicht.model.column import IdentifierSummary, TextSummary
from nachsicht.model.findings import Finding, FindingCode
from nachsicht.model.statistics import Statistic, known
from nachsicht.stats.hypothesis_tests import shares_p_value

#: So much must a spike in texts or datetimes rise to be reported without a known code.
SURGE = 0.02


def text_findings(change: ColumnChange, a: TextSummary, b: TextSummary) -> Iterator[Finding | None]:
    """What happened to written texts."""
    if not change.between.in_time:
        if change.distance:
            yield _lengths_moved(change, a.char_count.median, b.char_count.median)
        return
    found = list(spiked(change, is_word_for_missing))
    yield from found
    broken = _damaged(change)
    yield broken
    cut = cut_in(change, a.char_count, b.char_count)
    if cut:
        yield cut_finding(change, cut.length, cut.rows, cut.old_longest)
    elif change.distance and not any(found) and not broken:
        yield _lengths_moved(change, a.char_count.median, b.char_count.median)


def cut_finding(change: ColumnChange, length: int, rows: int, old_longest: int) -> Finding | None:
    """Texts of which so many rows end at a length, where formerly some were longer."""
    share = rows / max(change.new.present, 1)
    return change.finding(
        "text_truncated",
        share,
        {"length": length, "rows": rows, "share": share, "old_longest": old_longest},
    )


def _lengths_moved(change: ColumnChange, old: Statistic, new: Statistic) -> Finding | None:
    old_median, new_median = (float(m) if known(m) else 0.0 for m in (old, new))
    return change.finding(
        "length_shift",
        change.distance,
        {"distance": change.distance, "old_median": old_median, "new_median": new_median},
        form="longer" if new_median >= old_median else "shorter",
    )


def identifier_findings(
    change: ColumnChange, a: IdentifierSummary, b: IdentifierSummary
) -> Iterator[Finding | None]:
    """What happened to names of things: repeats, shapes, lengths."""
    found = list(spiked(change, is_word_for_missing))
    yield from found
    broken = _damaged(change)
    yield broken
    if _cut_shapes(a, b):
        yield cut_finding(change, b.max_length, b.patterns[0].count, a.max_length)
        return
    if not any(found):
        yield repeats(change)
    if change.distance and not broken:
        yield _shapes_moved(change, a, b)


def _cut_shapes(a: IdentifierSummary, b: IdentifierSummary) -> bool:
    """Whether the most frequent shape is the beginning of the one before, and none is longer."""
    if not a.patterns or not b.patterns or b.max_length >= a.max_length:
        return False
    old, new = a.patterns[0].value, b.patterns[0].value
    return len(new) == b.max_length < len(old) and old.startswith(new)


def repeats(change: ColumnChange) -> Finding | None:
    """Names of things that stand in several rows now, where each stood in one."""
    old, new = change.old, change.new
    extra_before = old.present - old.distinct
    extra = new.present - new.distinct
    share, before = extra / max(new.present, 1), extra_before / max(old.present, 1)
    # Names that are used again and again are no key; what matters is that a key ceased to be one.
    if before > 0.01 or share <= before:
        return None
    if extra <= 1.1 * change.between.new.profile.duplicates.duplicate_rows:
        return None  # whole rows are repeated, which is reported
    if change.between.settings.key == (change.name,):
        return None  # reported of the key
    if extra_before and not change.between.unlikely(
        shares_p_value(extra_before, old.present, extra, new.present)
    ):
        return None
    return change.finding(
        "new_duplicate_ids",
        share,
        {
            "values": new.distinct - new.unique_once,
            "rows": new.present - new.unique_once,
            "old_rows": old.present - old.unique_once,
        },
    )


def _shapes_moved(
    change: ColumnChange, a: IdentifierSummary, b: IdentifierSummary
) -> Finding | None:
    old, new = shape_counts(a.patterns), shape_counts(b.patterns)
    n, m = max(sum(old.values()), 1), max(sum(new.values()), 1)
    names = sorted({*old, *new})
    shape = max(names, key=lambda name: abs(new.get(name, 0) / m - old.get(name, 0) / n))
    return change.finding(
        "pattern_shift",
        change.distance,
        {
            "distance": change.distance,
            "pattern": shape,
            "old_share": old.get(shape, 0) / n,
            "new_share": new.get(shape, 0) / m,
        },
    )


def _damaged(change: ColumnChange) -> Finding | None:
    """Letters that were read in the wrong encoding, more than before."""
    a, b = change.old.text_format, change.new.text_format
    if a is None or b is None or b.garbled_rows < 2:
        return None
    old, new = change.old, change.new
    p_value = shares_p_value(a.garbled_rows, old.present, b.garbled_rows, new.present)
    share, before = b.garbled_rows / new.present, a.garbled_rows / max(old.present, 1)
    if share <= 2 * before or not change.between.unlikely(p_value):
        return None
    return change.finding(
        "garbled_text_new",
        share - before,
        {"rows": b.garbled_rows, "share": share, "old_share": before},
    )


def spiked(
    change: ColumnChange,
    stands_in: Callable[[str], bool],
    usual: Callable[[Spike], bool] = lambda _: False,
) -> Iterator[Finding | None]:
    """One value that fills many rows now: a word or date that stands for missing, or another."""
    for spike in spikes_in(change):
        known_code = stands_in(spike.value) and spike.old_share < 0.1 * spike.share
        if not known_code and (spike.rise < SURGE or usual(spike)):
            continue
        filled = change.old.missing_share - change.new.missing_share
        in_gaps = filled > 0.005 and 0.5 < spike.rise / filled < 2
        other: FindingCode = "missing_imputed" if in_gaps else "value_spike"
        code: FindingCode = "sentinel_value_new" if known_code else other
        yield change.finding(
            code,
            spike.share if code == "sentinel_value_new" else spike.rise,
            {
                "value": spike.value,
                "rows": spike.rows,
                "share": spike.share,
                "old_share": spike.old_share,
                "old_missing": change.old.missing_share,
            },
            form="bounded" if spike.bounded and code == "value_spike" else "",
        )
        return  # one cause is enough
