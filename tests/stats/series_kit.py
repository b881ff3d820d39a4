"""Series with one thing in them, and how often that is told."""

import numpy as np

from nachsicht.stats.change_point import course_of

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
