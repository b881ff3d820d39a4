"""Histories of 21 columns with known trouble, and how often that is named: tables in Markdown.

Run as ``python -m tests.damage.histories [--seeds 0-9] [--misses]``. Seeds from 1000 on are run
only to report. Every version is profiled; a column that trouble befell is profiled anew.
"""

import argparse
import sys
from collections import Counter, defaultdict
from multiprocessing import Pool
from typing import NamedTuple

import msgspec
import numpy as np
import pandas as pd
from scipy import stats

import nachsicht
from nachsicht.comparison.courses.course import courses_of
from nachsicht.comparison.courses.followed import followed_of
from nachsicht.model.findings import Severity

LENGTHS = (8, 24, 60, 365)
STRENGTHS = ("blatant", "moderate", "subtle")
ROWS = 250
#: A test that looks at one place of one series takes this for chance.
CHANCE = 1e-6
#: Places are likely where the likelihood ratio is below this quantile of chi-square (95 %).
LIKELY = 3.84
LEVELS = ("acacia", "linden", "heather", "clover", "fir", "chestnut", "rape", "sunflower")


class Trouble(NamedTuple):
    """What befell a history: by column and statistic, since when, and in which form."""

    column: str
    statistics: tuple[str, ...]
    form: str
    first: int
    shape: np.ndarray
    season: bool = False


class Base:
    """A history without trouble: the same seed always gives the same rows."""

    def __init__(self, seed, n):
        self.seed, self.n = seed, n
        rng = np.random.default_rng([seed, n, 1])
        self.restless = {f"q{i}" for i in range(8) if rng.random() < 0.4}
        self.middles = rng.uniform(20, 80, 8)
        self.sizes = self.middles * rng.uniform(0.05, 0.3, 8)
        self.shares = [rng.dirichlet(np.full(k, 3.0)) for k in (2, 2, 3, 5, 8, 8)]
        self.gaps = rng.choice([0, 0, 0.02, 0.1], 21)
        self.rows = [int(ROWS * rng.uniform(0.94, 1.06)) for _ in range(n)]
        self._frames, self._profiles = {}, None

    def frame(self, i):
        """The rows of a version."""
        if i not in self._frames:
            self._frames[i] = self._made(i)
        return self._frames[i]

    def _made(self, i):
        rng = np.random.default_rng([self.seed, self.n, 2, i])
        rows, frame = self.rows[i], {}
        for k, (middle, size) in enumerate(zip(self.middles, self.sizes, strict=True)):
            moved = 0.15 * size * rng.normal() if f"q{k}" in self.restless else 0.0
            noise = rng.gamma(2, 1, rows) - 2 if k % 3 == 2 else rng.normal(0, 1, rows)
            values = middle + moved + size * noise
            frame[f"q{k}"] = values.round(0 if k == 7 else 2)
        frame["frames"] = rng.poisson(4, rows)
        frame["q8"] = (0.5 * frame["q0"] + 0.3 * self.sizes[0] * rng.normal(0, 1, rows)).round(1)
        for k, shares in enumerate(self.shares):
            names = ("yes", "no") if k < 2 else LEVELS[: len(shares)]
            frame[f"c{k}"] = rng.choice(names, rows, p=shares)
        start = pd.Timestamp("2024-01-01") + pd.Timedelta(weeks=i)
        frame["read"] = start + pd.to_timedelta(rng.integers(0, 7 * 24 * 60, rows), unit="min")
        frame["due"] = (start + pd.to_timedelta(rng.integers(30, 90, rows), unit="D")).normalize()
        frame["row"] = [f"R{i:03d}-{k:04d}" for k in range(rows)]
        frame["remark"] = [" ".join(words) for words in rng.choice(LEVELS, (rows, 5))]
        frame["union"] = "north"
        found = pd.DataFrame(frame)
        for place, name in enumerate(found.columns):
            if self.gaps[place] and name not in ("row", "union"):
                found[name] = found[name].mask(rng.random(rows) < self.gaps[place])
        return found

    @property
    def profiles(self):
        """What is followed of every version."""
        if self._profiles is None:
            self._profiles = [followed(self.frame(i), i) for i in range(self.n)]
        return self._profiles


def followed(frame, i):
    return followed_of(nachsicht.profile(frame, label=label(i)).document)


def label(i):
    return f"v{i:03d}"


def with_columns(base, name, make):
    """The profiles, with a column made anew: by None it stays as it is, an empty one goes."""
    found = []
    for i, old in enumerate(base.profiles):
        made = make(i, base.frame(i)[name])
        if made is None:
            found.append(old)
            continue
        columns = followed(made.to_frame(), i).columns if len(made) else ()
        places = [c.name for c in old.columns]
        at = places.index(name)
        own = (*old.columns[:at], *columns, *old.columns[at + 1 :])
        found.append(msgspec.structs.replace(old, columns=own))
    return found


def shape_of(form, n, first):
    places = np.arange(n)
    if form == "jump":
        return (places >= first).astype(float)
    if form == "spike":
        return (places == first).astype(float)
    return np.maximum(places - first, 0) / (n - 1 - first)


def place_of(form, n, rng):
    if form == "spike":
        return int(rng.integers(1, n - 1))
    if form == "drift":
        return int(rng.integers(0, n // 3))
    return int(rng.integers(max(n // 6, 2), n - max(n // 6, 1)))


def moved(base, rng, strength, form):
    """The values of a quantity move."""
    name = f"q{rng.integers(0, 7)}"
    first = place_of(form, base.n, rng)
    sizes = {"jump": (1.5, 0.6, 0.25), "spike": (3, 1.2, 0.5), "drift": (2, 0.8, 0.35)}
    by = sizes[form][strength] * base.sizes[int(name[1:])] * rng.choice([-1, 1])
    shape = shape_of(form, base.n, first)

    def make(i, column):
        return (column + by * shape[i]).round(2) if shape[i] else None

    return with_columns(base, name, make), [
        Trouble(name, ("median", "below", "above", "distance"), form, first, shape)
    ]


def wider(base, rng, strength, form):
    """The values of a quantity spread out."""
    name = f"q{rng.integers(0, 7)}"
    first = place_of(form, base.n, rng)
    factor = (2.2, 1.5, 1.25)[strength]
    shape = shape_of(form, base.n, first)

    def make(i, column):
        middle = column.median()
        return (middle + (column - middle) * factor).round(2) if shape[i] else None

    return with_columns(base, name, make), [
        Trouble(name, ("interdecile_range", "below", "above", "distance"), form, first, shape)
    ]


def gaps(base, rng, strength, form):
    """Values are lacking."""
    name = str(rng.choice(["q1", "q2", "c1", "c3", "read", "remark", "frames"]))
    first = place_of(form, base.n, rng)
    share = (0.35, 0.12, 0.04)[strength]
    shape = shape_of(form, base.n, first)

    def make(i, column):
        drawn = np.random.default_rng([base.seed, i, 5]).random(len(column))
        return column.mask(drawn < share * shape[i]) if shape[i] else None

    return with_columns(base, name, make), [Trouble(name, ("missing_share",), form, first, shape)]


def other_shares(base, rng, strength, form):
    """A level takes rows of the others, or gives them away."""
    name = f"c{rng.integers(2, 6)}"
    first = place_of(form, base.n, rng)
    share = (0.5, 0.25, 0.1)[strength]
    level = LEVELS[0]
    shape = shape_of(form, base.n, first)

    def make(i, column):
        drawn = np.random.default_rng([base.seed, i, 5]).random(len(column))
        there = column.notna()
        return column.mask((drawn < share * shape[i]) & there, level) if shape[i] else None

    statistics = ("share", "distinct", "distance")
    return with_columns(base, name, make), [Trouble(name, statistics, form, first, shape)]


def level_gone(base, rng, strength, form):
    """A level is not seen any more."""
    k = int(rng.integers(2, 6))
    level = LEVELS[int(np.argsort(base.shares[k])[(-1, len(base.shares[k]) // 2, 0)[strength]])]
    first = place_of(form, base.n, rng)
    shape = shape_of(form, base.n, first)
    other = next(name for name in LEVELS if name != level)

    def make(i, column):
        return column.replace(level, other) if shape[i] else None

    statistics = ("share", "distinct", "distance")
    return with_columns(base, f"c{k}", make), [Trouble(f"c{k}", statistics, form, first, shape)]


def renamed_level(base, rng, strength, form):
    """A level has another name."""
    k = int(rng.integers(2, 6))
    level = LEVELS[int(np.argsort(base.shares[k])[(-1, len(base.shares[k]) // 2, 0)[strength]])]
    first = place_of(form, base.n, rng)
    shape = shape_of(form, base.n, first)

    def make(i, column):
        return column.replace(level, level.upper()) if shape[i] else None

    statistics = ("share", "distinct", "distance")
    return with_columns(base, f"c{k}", make), [Trouble(f"c{k}", statistics, form, first, shape)]


def lost_rows(base, rng, strength, form):
    """Rows are lost."""
    first = place_of(form, base.n, rng)
    kept = 1 - (0.6, 0.35, 0.15)[strength] * shape_of(form, base.n, first)
    found = []
    for i, old in enumerate(base.profiles):
        rows = base.frame(i).sample(frac=kept[i], random_state=i) if kept[i] < 1 else None
        found.append(old if rows is None else followed(rows, i))
    return found, [Trouble("", ("rows",), form, first, 1 - kept)]


def relation_lost(base, rng, strength, form):
    """Values of a column are in other rows."""
    first = place_of(form, base.n, rng)
    part = (1.0, 0.5, 0.2)[strength]
    shape = shape_of(form, base.n, first)
    found = []
    for i, old in enumerate(base.profiles):
        if not shape[i]:
            found.append(old)
            continue
        frame, drawn = base.frame(i).copy(), np.random.default_rng([base.seed, i, 6])
        rows = np.flatnonzero(drawn.random(len(frame)) < part)
        places = frame.columns.get_loc("q8")
        frame.iloc[rows, places] = frame.iloc[drawn.permutation(rows), places].to_numpy()
        found.append(followed(frame, i))
    return found, [Trouble("q0", ("relation",), form, first, shape)]


def tail(base, rng, strength, form):
    """A part of the values is far out."""
    name = f"q{rng.integers(0, 7)}"
    first = place_of(form, base.n, rng)
    part = (0.15, 0.08, 0.055)[strength]
    by = 5 * base.sizes[int(name[1:])]
    shape = shape_of(form, base.n, first)

    def make(i, column):
        drawn = np.random.default_rng([base.seed, i, 5]).random(len(column))
        return column.where(drawn >= part, column + by) if shape[i] else None

    statistics = ("above", "interdecile_range", "distance")
    return with_columns(base, name, make), [Trouble(name, statistics, form, first, shape)]


def rounded(base, rng, strength, form):
    """Numbers are written with fewer decimals."""
    name = f"q{rng.integers(0, 7)}"
    first = place_of(form, base.n, rng)
    shape = shape_of(form, base.n, first)

    def make(i, column):
        return column.round(0 if strength < 2 else 1) if shape[i] else None

    return with_columns(base, name, make), [Trouble(name, ("decimals",), form, first, shape)]


def column_gone(base, rng, strength, form):
    """A column is not there any more, or for a version."""
    name = str(rng.choice(["q3", "c2", "remark", "due"]))
    first = place_of(form, base.n, rng)
    shape = shape_of(form, base.n, first)

    def make(i, column):
        return column[:0] if shape[i] else None

    return with_columns(base, name, make), [Trouble(name, ("kind",), form, first, shape)]


def other_type(base, rng, strength, form):
    """Numbers are written as texts with a unit."""
    name = f"q{rng.integers(0, 7)}"
    first = place_of(form, base.n, rng)
    shape = shape_of(form, base.n, first)

    def make(i, column):
        return column.astype(str).add(" kg or so") if shape[i] else None

    return with_columns(base, name, make), [Trouble(name, ("kind",), form, first, shape)]


def season(base, rng, strength, form, drifts=False):
    """A season, even or by weekdays, that is no trouble; perhaps with a drift, which is."""
    name = f"q{rng.integers(0, 7)}"
    size = (3, 1.5, 0.6)[strength] * base.sizes[int(name[1:])]
    places = np.arange(base.n)
    if rng.random() < 0.5:
        wave = rng.permutation(7)[places % 7] / 6 - 0.5
    else:
        wave = np.sin(2 * np.pi * places / rng.uniform(6, base.n / 3)) / 2
    first = place_of("drift", base.n, rng)
    line = shape_of("drift", base.n, first) * drifts
    by = (2, 0.8, 0.35)[strength] * base.sizes[int(name[1:])]

    def make(i, column):
        return (column + size * wave[i] + by * line[i]).round(2)

    trouble = [
        Trouble(
            name, ("median", "interdecile_range", "below", "above"), "season", 0, wave, season=True
        )
    ]
    trouble += [Trouble(name, ("median", "below", "above"), "drift", first, line)] if drifts else []
    return with_columns(base, name, make), trouble


def trend_and_season(base, rng, strength, form):
    """Both."""
    return season(base, rng, strength, form, drifts=True)


def several(base, rng, strength, form):
    """Three things, to three columns."""
    parts = []
    while len({part[1][0].column for part in parts}) < 3:
        kinds = ((moved, "jump"), (other_shares, "drift"), (gaps, "spike"))
        parts = [make(base, rng, strength, each) for make, each in kinds]
    profiles = list(base.profiles)
    for made, (trouble,) in parts:
        for i, (profile, own) in enumerate(zip(profiles, made, strict=True)):
            new = {c.name: c for c in own.columns if c.name == trouble.column}
            columns = tuple(new.get(c.name, c) for c in profile.columns)
            profiles[i] = msgspec.structs.replace(profile, columns=columns)
    return profiles, [trouble for _, (trouble,) in parts]


SORTS = {
    "moved": (moved, ("jump", "spike", "drift")),
    "wider": (wider, ("jump", "spike")),
    "gaps": (gaps, ("jump", "spike", "drift")),
    "other shares": (other_shares, ("jump", "spike", "drift")),
    "level gone": (level_gone, ("jump", "spike")),
    "level renamed": (renamed_level, ("jump",)),
    "tail": (tail, ("jump", "spike")),
    "rounded": (rounded, ("jump", "spike")),
    "relation lost": (relation_lost, ("jump", "spike")),
    "rows lost": (lost_rows, ("jump", "spike")),
    "column gone": (column_gone, ("jump", "spike")),
    "other type": (other_type, ("jump", "spike")),
    "several": (several, ("",)),
    "season": (season, ("season",)),
    "trend and season": (trend_and_season, ("drift",)),
}
#: These have no strength but one.
PLAIN = ("column gone", "other type", "rounded")


def numbers_of(profiles, trouble):
    """The series that a plain test looks at: all that the trouble may have moved."""
    if not trouble.column:
        yield np.array([p.rows for p in profiles], float)
        return
    columns = [next((c for c in p.columns if c.name == trouble.column), None) for p in profiles]
    if "kind" in trouble.statistics:
        yield np.array([str(c and c.kind) == str(columns[0].kind) for c in columns], float)
        return
    if "missing_share" in trouble.statistics:
        yield np.array([c.missing / c.rows for c in columns])
    if "median" in trouble.statistics:
        yield np.array([c.quantile(0.5) for c in columns])
    if "interdecile_range" in trouble.statistics:
        yield np.array([c.quantile(0.9) - c.quantile(0.1) for c in columns])
    for name, share in (("below", 0.05), ("above", 0.95)):
        if name in trouble.statistics and "median" not in trouble.statistics:
            limit = np.median([c.quantile(share) for c in columns])
            yield np.array([c.share_below(limit) for c in columns])
    if "decimals" in trouble.statistics:
        yield np.array([-1 if c.decimals is None else c.decimals for c in columns], float)
    if "relation" in trouble.statistics:
        pairs = [{(e.x, e.y): e.value for e in p.relations.pairs} for p in profiles]
        yield np.array([own.get((trouble.column, "q8"), 0.0) for own in pairs])
    if "share" in trouble.statistics:
        for level in LEVELS + tuple(name.upper() for name in LEVELS):
            counts = [sum(e.count for e in c.levels if e.value == level) for c in columns]
            yield np.array(counts) / [c.present for c in columns]


def is_visible(profiles, trouble):
    """Whether a test that knows place and shape sees it: least squares, two-sided t."""
    for values in numbers_of(profiles, trouble):
        fit = stats.linregress(trouble.shape, values)
        if np.ptp(values) > 0 and (fit.pvalue < CHANCE or fit.stderr == 0):
            return True
    return False


def is_place_visible(profiles, trouble):
    """Whether a test that knows the shape sees where it began: least squares, 95 %, ± 1 version."""
    if trouble.season:  # begins nowhere
        return False
    for values in numbers_of(profiles, trouble):
        n = len(values)
        starts = range(n - 2) if trouble.form == "drift" else range(n)
        left = np.array([left_over(values, shape_of(trouble.form, n, start)) for start in starts])
        likely = np.flatnonzero(left <= left.min() * (1 + LIKELY / (n - 3)))
        if np.all(np.abs(likely - trouble.first) <= 1):
            return True
    return False


def left_over(values, shape):
    """The sum of squares that a level and so much of a shape leave over."""
    there = np.isfinite(values)
    fit, own = np.column_stack([np.ones(there.sum()), shape[there]]), values[there]
    return ((own - fit @ np.linalg.lstsq(fit, own, rcond=None)[0]) ** 2).sum()


class Verdict(NamedTuple):
    named: bool
    placed: bool
    steady: bool
    told: str


def judged(found, trouble):
    """Whether a trouble is named: its column, form, and statistic; and placed, to one version."""
    own = [e for e in found.happened if e.column == trouble.column]
    right = [e for e in own if e.form == trouble.form and e.statistic in trouble.statistics]
    placed = any(abs(int(e.first[1:]) - trouble.first) <= 1 for e in right)
    urgent = [e for e in own if e.severity is not Severity.NOTE]
    told = "; ".join(f"{e.statistic} {e.form} {e.first}-{e.last} {e.severity.value}" for e in own)
    return Verdict(bool(right), placed, not urgent, told)


def is_newest_bad(found):
    return any(e.newest and e.severity is not Severity.NOTE for e in found.happened)


def trials(seed_and_length):
    """Every trial of a base: its sort, form, length, strength, what can be seen, what is told."""
    seed, n = seed_and_length
    base = Base(seed, n)
    found = [("steady", "", n, 0, [], courses_of(base.profiles), seed)]
    for name, (make, forms) in SORTS.items():
        for form in forms:
            if n < 24 and name in ("season", "trend and season"):
                continue
            for strength in range(1 if name in PLAIN else 3):
                rng = np.random.default_rng([seed, n, *f"{name}{form}".encode(), strength])
                profiles, troubles = make(base, rng, strength, form)
                seen = [
                    (each, is_visible(profiles, each), is_place_visible(profiles, each))
                    for each in troubles
                ]
                found.append((name, form, n, strength, seen, courses_of(profiles), seed))
    return found


def run(seeds, lengths):
    """The trials of every seed and length."""
    with Pool() as pool:
        for found in pool.imap(trials, [(seed, n) for n in lengths for seed in seeds]):
            yield from found


class Tally:
    """What is counted over all trials, and the lines that say where it went wrong."""

    def __init__(self):
        self.of, self.named = Counter(), Counter()
        self.of_places, self.placed = Counter(), Counter()
        self.by_sort = defaultdict(Counter)
        self.wrongly_steady = 0
        self.newest, self.seasons, self.beside = [0, 0], [0, 0], [0, 0]
        self.lines = []

    def add(self, name, form, n, strength, seen, found, seed):
        """Count a trial."""
        where = f"{name} {form} n={n} {STRENGTHS[strength]} seed={seed}"
        self.apart(where, {trouble.column for trouble, _, _ in seen}, found)
        if name == "steady":
            self.newest[0] += is_newest_bad(found)
            self.newest[1] += 1
        for trouble, visible, placeable in seen:
            verdict = judged(found, trouble)
            if trouble.season:
                self.season(where, trouble, found, drifts=name != "season")
            elif visible:
                key = trouble.form, n, strength
                self.trouble((name, trouble.form), key, verdict, placeable=placeable)
                if not verdict.named or (placeable and not verdict.placed):
                    what = "place" if verdict.named else "missed"
                    at = f"{trouble.column}@{trouble.first}"
                    self.lines.append(f"{what}: {where} {at}: {verdict.told}")

    def apart(self, where, columns, found):
        """What is told of columns that nothing befell."""
        told = [e for e in found.happened if e.column not in columns | {""}]
        told = [e for e in told if e.severity is not Severity.NOTE]
        self.beside[0] += bool(told)
        self.beside[1] += 1
        if told:
            told = [(e.column, e.statistic, e.form, e.severity.value) for e in told]
            self.lines.append(f"beside: {where}: {told}")

    def season(self, where, trouble, found, drifts):
        """Whether a season is told as anything else that is worth a check."""
        usual = ("season", "drift", "jump") if drifts else ("season",)
        own = [e for e in found.happened if e.column == trouble.column and e.form not in usual]
        bad = [e for e in own if e.severity is not Severity.NOTE]
        self.seasons[0] += bool(bad)
        self.seasons[1] += 1
        if bad:
            told = [(e.statistic, e.form, e.first, e.last) for e in bad]
            self.lines.append(f"season as trouble: {where}: {told}")

    def trouble(self, sort, key, verdict, *, placeable):
        """Whether trouble that can be seen is named; and in its place, if that can be seen."""
        self.of[key] += 1
        self.named[key] += verdict.named
        self.of_places[key] += placeable
        self.placed[key] += placeable and verdict.placed
        self.by_sort[sort]["of"] += 1
        self.by_sort[sort]["named"] += verdict.named
        self.wrongly_steady += verdict.steady and key[2] == 0


def report(seeds, lengths, *, misses):
    """Lines in Markdown."""
    tally = Tally()
    for trial in run(seeds, lengths):
        tally.add(*trial)
    yield "| what happened | versions | blatant | in its place | moderate | in its place | subtle |"
    yield "|---|---|---|---|---|---|---|"
    for form in ("jump", "spike", "drift"):
        for n in lengths:
            cells = []
            for strength in range(3):
                key = form, n, strength
                cells.append(_share(tally.named[key], tally.of[key]))
                cells += [_share(tally.placed[key], tally.of_places[key])] * (strength < 2)
            yield f"| {form} | {n} | " + " | ".join(cells) + " |"
    yield ""
    yield "| sort | form | named |"
    yield "|---|---|---|"
    for (name, form), count in tally.by_sort.items():
        yield f"| {name} | {form} | {_share(count['named'], count['of'])} |"
    yield ""
    yield f"Wrongly steady, of blatant ones that can be seen: {tally.wrongly_steady}."
    yield f"Steady histories whose newest version has anything worth a check: {_of(tally.newest)}."
    yield f"Histories with anything worth a check on another column: {_of(tally.beside)}."
    yield f"Seasons told as trouble: {_of(tally.seasons)}."
    if misses:
        yield from ["", *tally.lines]


def _share(part, whole):
    return f"{part / whole:.0%} of {whole}" if whole else "–"


def _of(counts):
    return f"{counts[0]} of {counts[1]}"


def main(arguments):
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", default="0-4", help="e.g. 0-9; from 1000 on only to report")
    parser.add_argument("--lengths", default="8,24,60", help="versions of a history")
    parser.add_argument("--misses", action="store_true", help="list what was not named")
    given = parser.parse_args(arguments)
    first, _, last = given.seeds.partition("-")
    lengths = [int(n) for n in given.lengths.split(",")]
    for line in report(range(int(first), int(last or first) + 1), lengths, misses=given.misses):
        sys.stdout.write(line + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
