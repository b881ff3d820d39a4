"""Draws damage by a seed, compares, and judges what is said against what is true.

Run as ``python -m tests.damage.blind.kit [--seeds 0-9] [--sorts a,b] [--misses]``.
"""

import argparse
import sys
from collections import Counter, defaultdict
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple
from zlib import crc32

import numpy as np
import pandas as pd

import nachsicht
from tests.damage.blind.oracle import visible
from tests.damage.blind.sorts import SORTS, STRENGTHS, columns_of
from tests.damage.blind.tables import PAIRINGS, TABLES, pair, table

#: Rows of a place that is told must be those of the true one to this part.
_OVERLAP = 0.7
URGENT = (nachsicht.Severity.ACT, nachsicht.Severity.CHECK)
_TRIES = 12
#: Findings that say how values look now, not what was done.
_CONSEQUENCES = {
    *(
        "distribution_shift",
        "category_shift",
        "length_shift",
        "pattern_shift",
        "dates_redistributed",
    ),
    *("values_changed", "missing_increased", "missing_decreased", "new_levels", "missing_levels"),
    *("association_lost", "association_new", "association_reversed", "out_of_range", "rows_lost"),
}
PAGE = """# How much damage is explained

`make blind` does {sorts} sorts of damage to {tables} real tables that a package ships. Table,
columns and amounts are drawn by a seed; this is the table of seeds {first} to {last}, on which
nothing was tuned. A pair of versions is two *halves* of a table that have no row in common, a
*snapshot* that has most rows in common, or a *release* with other changes beside the damage; half
of the pairs have a column of row numbers. Damage counts if a plain test that knows where to look
can see it in the pair.

Each cell counts *cause named* / *a consequence reported* / *something else about the column* /
*missed*. A cause is named if the finding's code and its figures are those of the damage: shifts
within 10 %, factors within 6 %, shares within 25 %, others within 2 %. A place is right if at least
70 % of the rows that are damaged or told are both; where rows were chosen at random, any is wrong.

What is missed most: damage to a *release*, whose own changes are larger; factors and shifts of few
rows, or of few different values; levels exchanged or merged in halves in which they are rare; rows
imported again where many are equal anyway; identifiers that are rewritten and match no row.

"""
#: A new or moved column is told, but nothing that read the others has to change for it.
HARMLESS = {"copied", "reordered"}
PLACED, NOT_PLACED = ("right", "wrong"), ("wrong", "untold")
RESULTS = ("cause", "consequence", "column", "missed")


class Trial(NamedTuple):
    """One damage done, and how it was judged."""

    sort: str
    strength: int
    pairing: str
    table: str
    columns: tuple[str, ...]
    result: str
    rank: int
    all_clear: bool
    beside: tuple[str, ...]
    place: str
    said: tuple[str, ...]


def trial(sort, strength, pairing, seed, only=""):
    """One trial, drawn by a seed; None where no table fits or nobody could see the damage.

    Of ``only`` one table, what is drawn is not the table but where and how it is damaged.
    """
    drawn = f"{sort}/{strength}/{pairing}/{seed}" + (f"/{only}" if only else "")
    rng = np.random.default_rng(crc32(drawn.encode()))
    kind, damage = SORTS[sort]
    for _ in range(_TRIES):
        name = only or str(rng.choice(sorted(TABLES)))
        old, clean = pair(table(name), pairing, rng)
        keyed = bool(rng.random() < 0.5)
        if not keyed:
            old, clean = old.drop(columns="row"), clean.drop(columns="row")
        columns = columns_of(clean, kind)
        if not columns:
            continue
        truth = damage(clean, str(rng.choice(columns)), rng, strength)
        if truth is None:
            continue
        with np.errstate(all="ignore"):
            seen = visible(old, truth.frame, clean, truth, keyed and pairing != "halves")
        if seen:
            return judged(sort, strength, pairing, name, old, truth)
    return None


def judged(sort, strength, pairing, name, old, truth):
    found = nachsicht.compare(old, truth.frame, labels=["old", "new"]).findings
    about = [f for f in found if not truth.columns or set(f.columns) & set(truth.columns)]
    right = [f for f in about if any(_names(f, code, facts) for code, facts in truth.causes)]
    # What is not of the table as a whole, and not of a damaged column, is beside the point.
    beside = [
        f"{f.code}({', '.join(f.columns)})"
        for f in found
        if f.severity in URGENT and f not in about and f.columns and f not in right
    ]
    between = [f for f in about if f.versions[:1] != f.versions[1:] and len(f.versions) == 2]
    if right:
        result = "cause"
    elif any(f.code in _CONSEQUENCES for f in between):
        result = "consequence"
    else:
        result = "column" if about and truth.columns else "missed"
    # Beside real changes the damage need not come first, but on its own column it must.
    ranked = about if pairing == "release" else found
    rank = 1 + list(ranked).index(right[0]) if right else 0
    clear = sort not in HARMLESS and not any(f.severity in URGENT for f in found)
    said = tuple(f"{f.severity} {f.code}{f.columns}: {f.title}" for f in found[:6])
    return Trial(
        sort,
        strength,
        pairing,
        name,
        truth.columns,
        result,
        rank,
        clear,
        tuple(beside),
        place_of(about, right, truth, pairing, old),
        said,
    )


def place_of(about, right, truth, pairing, old):
    """Whether the place that is told is right or wrong, or untold; nothing where none is known.

    Beside real changes only what names the damage tells of it: others may have places of their own.
    """
    told = [
        (f.evidence["by"], f.evidence["level"]) == truth.place
        for f in (right if pairing == "release" else about)
        if truth.place and {"by", "level"} <= set(f.evidence)
    ]
    overlaps = [overlap_of(f, truth, old) for f in right if "where_by" in f.evidence]
    told += [overlap >= _OVERLAP for overlap in overlaps if overlap is not None]
    if told:
        return "right" if all(told) else "wrong"
    return "" if truth.rows is None and truth.place is None else "untold"


def overlap_of(finding, truth, old):
    """Rows both of the place that is told and of the true one, of those of either.

    Where rows were chosen at random, any place is wrong; None where nobody knows the place.
    """
    frame, facts = truth.frame, finding.evidence
    told = np.ones(len(frame), bool)
    for by, level, first, last in zip(
        *(facts[f"where_{name}"] for name in ("by", "level", "first", "last")), strict=True
    ):
        if by is None:
            told &= (np.arange(1, len(frame) + 1) >= int(first)) & (
                np.arange(1, len(frame) + 1) <= int(last)
            )
        elif level is not None:
            told &= (frame[by].map(text_of) == level).to_numpy()
        else:
            kind = pd.Timestamp if pd.api.types.is_datetime64_any_dtype(frame[by]) else float
            told &= frame[by].between(kind(first), kind(last)).to_numpy()
    rows = truth.rows
    if truth.place:
        rows = (frame[truth.place[0]].map(text_of) == truth.place[1]).to_numpy()
    if rows is None:
        return 0.0 if truth.share is not None and truth.share < 1 else None
    # A cell that was missing before could not be damaged.
    told &= rows | frame[truth.columns[0]].notna().to_numpy()
    if "The rewritten rows" in finding.sentence and "row" in frame:  # those of both versions
        both = frame["row"].isin(old["row"]).to_numpy()
        told, rows = told & both, rows & both
    return (told & rows).sum() / (told | rows).sum()


def text_of(value):
    return f"{value:g}" if isinstance(value, float) else str(value)


#: How far facts may be off that are estimated from a sample, relatively; others two per cent.
_ESTIMATED = {"shift": 0.1, "scaled_share": 0.25, "factor": 0.06, "value": 0.001, "rows": 0.3}


def _names(finding, code, facts):
    return finding.code == code and all(
        _same(finding.evidence.get(name), fact, _ESTIMATED.get(name, 0.02))
        for name, fact in facts.items()
    )


def _same(said, true, off):
    if isinstance(said, tuple):
        return any(_same(one, true, off) for one in said)
    try:
        return abs(float(said) - float(true)) <= off * abs(float(true)) + 1e-9
    except (TypeError, ValueError):
        return str(said) == str(true)


def undamaged(seed):
    """Findings of act or check where nothing was done."""
    rng = np.random.default_rng(crc32(f"undamaged/{seed}".encode()))
    name = str(rng.choice(sorted(TABLES)))
    frame = table(name)
    way = ("halves", "shuffled", "churn")[seed % 3]
    if way == "halves":
        old, new = pair(frame, "halves", rng)
    elif way == "shuffled":
        old, new = frame, frame.sample(frac=1, random_state=seed)
    else:
        rows = rng.random(len(frame))
        old, new = frame[rows > 0.1], frame[rows < 0.9]
    found = nachsicht.compare(old, new, labels=["old", "new"]).findings
    urgent = [
        f"{f.code}{f.columns}" for f in found if f.severity in URGENT and len(f.versions) == 2
    ]
    return way, name, tuple(urgent)


def several(seed):
    """How many of two to four kinds at once are named, and of how many."""
    rng = np.random.default_rng(crc32(f"several/{seed}".encode()))
    name = str(rng.choice(sorted(TABLES)))
    old, new = pair(table(name), PAIRINGS[seed % 2], rng)
    truths, touched = [], set()
    for sort in rng.permutation(
        [s for s, (kind, _) in SORTS.items() if kind in ("number", "level")]
    ):
        kind, damage = SORTS[sort]
        free = [c for c in columns_of(new, kind) if c not in touched]
        if len(truths) >= 2 + seed % 3 or not free:
            continue
        truth = damage(new, str(rng.choice(free)), rng, 0)
        if truth is not None and not touched & set(truth.columns):
            truths.append(truth)
            touched |= set(truth.columns)
            new = truth.frame
    found = nachsicht.compare(old, new, labels=["old", "new"]).findings
    named = sum(
        any(set(f.columns) & set(t.columns) and any(_names(f, *c) for c in t.causes) for f in found)
        for t in truths
    )
    return named, len(truths)


def run(seeds, sorts, tables=("",)):
    jobs = [
        (sort, strength, pairing, seed, name)
        for sort in sorts
        for strength in range(len(STRENGTHS))
        for pairing in PAIRINGS
        for seed in seeds
        for name in tables
    ]
    with Pool() as pool:
        done = [t for t in pool.starmap(trial, jobs, chunksize=8) if t is not None]
        clean = pool.map(undamaged, range(min(seeds), min(seeds) + 10 * len(seeds)))
        many = pool.map(several, range(min(seeds), min(seeds) + 6 * len(seeds)))
    return done, clean, many


def report(done, clean, many, sorts):
    """Lines of a table in Markdown."""
    yield "| damage | " + " | ".join(STRENGTHS) + " |"
    yield "|---|" + "---|" * len(STRENGTHS)
    for sort in sorts:
        cells = []
        for strength in range(len(STRENGTHS)):
            of = Counter(t.result for t in done if (t.sort, t.strength) == (sort, strength))
            cells.append(" / ".join(str(of[r]) for r in RESULTS) if of else "–")
        yield f"| {sort.replace('_', ' ')} | " + " | ".join(cells) + " |"
    yield ""
    yield "| | " + " | ".join(STRENGTHS) + " |"
    yield "|---|" + "---|" * len(STRENGTHS)
    groups = [[t for t in done if t.strength == s] for s in range(len(STRENGTHS))]

    def line(title, holds, of=lambda t: True):
        counts = [
            (sum(map(holds, g)), sum(map(of, g))) for g in (list(filter(of, g)) for g in groups)
        ]
        return (
            f"| {title} | "
            + " | ".join(f"{a / max(n, 1):.0%} ({a} of {n})" for a, n in counts)
            + " |"
        )

    yield line("cause named", lambda t: t.result == "cause")
    yield line("found at all", lambda t: t.result != "missed")
    yield line("right finding first", lambda t: t.rank == 1, lambda t: t.rank > 0)
    yield line("said nothing urgent", lambda t: t.all_clear)
    yield line(
        "urgent findings on untouched columns",
        lambda t: bool(t.beside),
        lambda t: t.pairing != "release",
    )
    yield line("places told rightly", lambda t: t.place == "right", lambda t: t.place in PLACED)
    yield line("places not told", lambda t: t.place == "untold", lambda t: bool(t.place))
    wrong = [entry for entry in clean if entry[2]]
    yield ""
    yield f"Undamaged pairs with something urgent: {len(wrong)} of {len(clean)}."
    complete = sum(named == of for named, of in many)
    yield f"Several kinds at once: all named in {complete} of {len(many)} pairs."


def main(arguments):
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", default="0-1", help="e.g. 0-9; from 1000 on only to report")
    parser.add_argument("--sorts", default="")
    parser.add_argument(
        "--every-table", action="store_true", help="each damage to every table that it fits"
    )
    parser.add_argument("--misses", action="store_true", help="list what was not named")
    parser.add_argument("--page", type=Path, help="write the table to this file")
    given = parser.parse_args(arguments)
    first, _, last = given.seeds.partition("-")
    sorts = given.sorts.split(",") if given.sorts else list(SORTS)
    seeds = range(int(first), int(last or first) + 1)
    done, clean, many = run(seeds, sorts, sorted(TABLES) if given.every_table else ("",))
    lines = list(report(done, clean, many, sorts))
    sys.stdout.write("\n".join(lines) + "\n")
    if given.page:
        text = PAGE.format(first=first, last=last or first, sorts=len(sorts), tables=len(TABLES))
        given.page.write_text(text + "\n".join(lines) + "\n", encoding="utf-8")
    if given.misses:
        _write_misses(done, clean)


def _write_misses(done, clean):
    by_sort = defaultdict(list)
    for t in done:
        if t.result != "cause" or t.beside or t.place in NOT_PLACED or t.all_clear:
            by_sort[t.sort].append(t)
    for sort, trials in by_sort.items():
        sys.stdout.write(f"\n{sort}\n")
        for t in trials:
            sys.stdout.write(
                f"  {STRENGTHS[t.strength]} {t.pairing} {t.table} {t.columns}: {t.result}"
                f"{' PLACE ' + t.place if t.place else ''}{' ALL CLEAR' if t.all_clear else ''}"
                f" {t.beside}\n"
            )
            for text in t.said:
                sys.stdout.write(f"      {text}\n")
    for way, name, urgent in clean:
        if urgent:
            sys.stdout.write(f"undamaged {way} {name}: {urgent}\n")


if __name__ == "__main__":
    main(sys.argv[1:])
