"""How much of the damage is found under its right name: a table by cause and strength.

Run as ``python -m tests.damage.recall``.
"""

import sys
from collections import Counter, defaultdict
from typing import NamedTuple
from zlib import crc32

import numpy as np

import nachsicht
from tests.damage.bases import BASES, halves
from tests.damage.causes import CAUSES, STRENGTHS

SEEDS = range(4)
URGENT = (nachsicht.Severity.ACT, nachsicht.Severity.CHECK)


class Trial(NamedTuple):
    """One damage done: what it was, whether it was named, and what was said beside it."""

    base: str
    cause: str
    strength: str
    seed: int
    found: bool
    beside: tuple[str, ...]


def trials(causes=None, seeds=SEEDS, bases=tuple(BASES)):
    """Do every damage to every table, some times each, and compare with the other half."""
    for base in bases:
        make = BASES[base]
        frame = make()
        for cause, damage in CAUSES.items():
            if causes and cause not in causes:
                continue
            for rank, strength in enumerate(STRENGTHS):
                for seed in seeds:
                    mixed = crc32(f"{base}/{cause}/{strength}/{seed}".encode())
                    old, new = halves(frame, mixed)
                    done = damage(new, np.random.default_rng(mixed), rank)
                    if done is not None:
                        yield _tried(base, cause, strength, seed, old, done)


def _tried(base, cause, strength, seed, old, done):
    comparison = nachsicht.compare(old, done.frame, labels=["old", "new"], **done.settings)
    named = [
        finding
        for finding in comparison.findings
        if finding.code in done.codes
        and (not done.columns or set(done.columns) & set(finding.columns))
    ]
    beside = tuple(
        f"{f.code}({', '.join(f.columns)})"
        for f in comparison.findings
        if f not in named and f.severity in URGENT
    )
    return Trial(base, cause, strength, seed, bool(named), beside)


def undamaged(pairs=200):
    """Findings of weight act or check between random halves, for so many pairs."""
    frames = {name: make() for name, make in BASES.items()}
    for seed in range(pairs):
        base = sorted(frames)[seed % len(frames)]
        old, new = halves(frames[base], 1000 + seed)
        found = nachsicht.compare(old, new, labels=["old", "new"]).findings
        yield base, seed, [(f.code, f.columns) for f in found if f.severity in URGENT]


def table_of(done):
    """Lines of the table: recall by cause and strength, and findings beside the right one."""
    counts = defaultdict(lambda: [0, 0, 0])
    for trial in done:
        entry = counts[trial.cause, trial.strength]
        entry[0] += trial.found
        entry[1] += 1
        entry[2] += bool(trial.beside)
    yield f"{'cause':26}" + "".join(f"{strength:>18}" for strength in STRENGTHS) + "   beside"
    for cause in CAUSES:
        cells, beside, tried = "", 0, 0
        for strength in STRENGTHS:
            found, of, extra = counts[cause, strength]
            cells += f"{f'{found} of {of}' if of else '–':>18}"
            beside, tried = beside + extra, tried + of
        yield f"{cause:26}{cells}   {beside} of {tried}"
    for strength in STRENGTHS:
        found, of = np.array([counts[c, strength][:2] for c in CAUSES]).sum(axis=0)
        yield f"{strength}: {found} of {of} found ({found / max(of, 1):.1%})"


def report(chosen):
    """Lines of the whole report: the table, what was missed, and the undamaged pairs."""
    done = list(trials(chosen))
    yield from table_of(done)
    missed = Counter((t.base, t.cause, t.strength, t.beside) for t in done if not t.found)
    beside = Counter((t.base, t.cause, t.strength, t.beside) for t in done if t.beside and t.found)
    for title, entries in (("not named", missed), ("named, with more beside", beside)):
        for entry, times in sorted(entries.items()):
            yield f"  {title}, {times} x: {entry[0]}, {entry[1]}, {entry[2]} {', '.join(entry[3])}"
    if not chosen:
        wrong = [entry for entry in undamaged() if entry[2]]
        yield f"undamaged pairs with a finding of weight act or check: {len(wrong)} of 200"
        yield from (f"  {base}, pair {seed}: {found}" for base, seed, found in wrong)


if __name__ == "__main__":
    for line in report(set(sys.argv[1:])):
        sys.stdout.write(line + "\n")
