"""Series with one thing in them, and how often that is told: a table by form, length and size.

Run as ``python -m tests.stats.series_kit [--seeds 0-99]``.
"""

import argparse
import sys

import numpy as np

from nachsicht.stats.change_point import course_of

LENGTHS = (8, 24, 60, 365)
#: By how many standard deviations of the noise, blatant and moderate.
SIZES = {"jump": (9, 5), "spike": (14, 9), "drift": (12, 7), "season": (8, 4), "weekdays": (9, 5)}
NOISE = 0.3


def made(form, n, size, seed):
    """A series with one thing in it, and the place where it began."""
    rng = np.random.default_rng([seed, n, *form.encode()])
    values, places, at = rng.normal(0, 1, n), np.arange(n), None
    size = size * rng.choice([-1, 1])
    if form == "jump":
        at = int(rng.integers(n // 6, n - n // 6))
        values[at:] += size
    elif form == "spike":
        at = int(rng.integers(1, n - 1))
        values[at] += size
    elif form == "drift":
        at = int(rng.integers(0, n // 3))
        values += np.maximum(places - at, 0) * size / (n - at)
    elif form == "season":
        period = rng.uniform(6, n / 3)
        values += size / 2 * np.sin(2 * np.pi * (places / period + rng.random()))
    elif form == "weekdays":
        values += (rng.permutation(7) * size / 6)[places % 7]
    return 10 + NOISE * values, at


def told(form, n, size, seeds, errors=True):
    """How often the first event has the right form, and begins where it did, to one place."""
    expected = "season" if form == "weekdays" else form
    named = placed = 0
    for seed in seeds:
        values, at = made(form, n, size, seed)
        found = course_of(values, np.full(n, NOISE) if errors else None).events
        if found and found[0].form == expected:
            named += 1
            placed += at is None or abs(found[0].first - at) <= 1
    return named / len(seeds), placed / len(seeds)


def trouble(form, n, size, seeds):
    """How often anything but a season is told."""
    count = 0
    for seed in seeds:
        values, _ = made(form, n, size, seed)
        events = course_of(values, np.full(n, NOISE)).events
        count += any(event.form != "season" for event in events)
    return count / len(seeds)


def report(seeds):
    """Lines of a table in Markdown."""
    yield "| what happened | versions | blatant | in its place | moderate | in its place |"
    yield "|---|---|---|---|---|---|"
    for form, sizes in SIZES.items():
        for n in LENGTHS:
            if n < 24 and form in ("season", "weekdays"):
                continue
            cells = [f"{share:.0%}" for size in sizes for share in told(form, n, size, seeds)]
            yield f"| {form} | {n} | " + " | ".join(cells) + " |"
    yield ""
    for n in LENGTHS:
        parts = [f"steady {trouble('steady', n, 0, seeds):.1%}"]
        if n >= 24:
            parts += [
                f"{f} {trouble(f, n, SIZES[f][1], seeds):.1%}" for f in ("season", "weekdays")
            ]
        yield f"Told as trouble, of {n} versions: {', '.join(parts)}."


def main(arguments):
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", default="0-99", help="e.g. 0-9; from 1000 on only to report")
    first, _, last = parser.parse_args(arguments).seeds.partition("-")
    for line in report(range(int(first), int(last or first) + 1)):
        sys.stdout.write(line + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
