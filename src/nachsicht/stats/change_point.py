"""What happened along a series of numbers: a jump, a spike, a drift, a season, or nothing.

One number for each version of a dataset, such as a median. The noise is read off the differences
of neighbours by their biweight midvariance, which neither a jump nor a bad version spoils.
Events are taken out one after the other, each time the one that chance gives most rarely, until
what is left is chance.
"""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterator, Sequence
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.stats.moments import biweight_variance

_Floats = NDArray[np.float64]

#: Fewer numbers show nothing.
FEWEST = 5
#: The biweight midvariance of n differences of neighbours is as sure as a variance with so many
#: degrees of freedom for each of them, less one (simulated for n from 4 to 364).
_SURENESS = 0.6
#: The standard errors that are given count as so many degrees of freedom, as long as the noise is
#: below so many of them.
_OF_ERRORS, _NOISE_OF_ERRORS = 12.0, 2.5
#: More events are not told apart; so often they are found anew beside each other.
_MOST_EVENTS, _PASSES = 4, 3
#: Two jumps are told apart from a drift in so many numbers, if they leave this part of what that
#: leaves.
_FEWEST_OF_STAIRS, _STAIRS = 12, 0.5
#: A spike has at most this part of the versions, and comes back.
_LONGEST_SPIKE = 0.15
#: A season has three whole periods at least, and as many phases, if it is read phase by phase.
_PERIODS, _PHASES = 3, (2, 3, 4, 5, 6, 7, 12, 24, 52)
#: The noise against the same phase of the period before is below this part of that of neighbours.
_QUIETER = 0.6
#: What is left of the values that are all the same is no noise, but of this size.
_ROUNDING = 1e-12
#: What an event was chosen to leave over is so little smaller than the noise, times n.
_FITTED_OF_WAVE, _FITTED_OF_STEP = 5.0, 2.0
#: The variance of a median of n normal values, in theirs over n.
_MEDIAN_VARIANCE = np.pi / 2
#: A smooth season goes up and down this often at least.
_WAVES = 1.6


class Event(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened to a series.

    Attributes
    ----------
    form : str
        ``jump`` (to the end), ``spike`` (came back), ``drift`` (to the end), or ``season``.
    first, last : int
        The first and last place that it holds for, counted from 0.
    size : float
        Of a jump or spike, by how much; of a drift, by how much a place; of a season, how far its
        highest is from its lowest.
    p_value : float
        How often chance gives as much anywhere in the series.
    period : float, optional
        Of a season, in places.
    """

    form: str
    first: int
    last: int
    size: float
    p_value: float
    period: float | None = None


class Course(msgspec.Struct, frozen=True, kw_only=True):
    """The events of a series, the noise that is left, and the series without noise.

    ``season`` is the part of the series that is a season; empty where there is none.
    """

    events: tuple[Event, ...]
    noise: float
    fitted: tuple[float, ...]
    season: tuple[float, ...] = ()


class _Candidate(msgspec.Struct, frozen=True):
    form: str
    first: int
    last: int
    size: float
    shape: _Floats
    gain: float
    numbers: int
    tried: int
    period: float | None = None


def course_of(values: _Floats, errors: _Floats | None = None, alpha: float = 1e-3) -> Course:
    """What happened along a series.

    Parameters
    ----------
    values : array of n
        NaN where a version has none.
    errors : array of n, optional
        Standard errors of the values, from the rows that each was computed of.
    alpha : float
        Events that chance gives more often, anywhere in the series, are not reported.
    """
    usable = np.isfinite(values) if errors is None else np.isfinite(values) & np.isfinite(errors)
    known = np.flatnonzero(usable)
    if len(known) < FEWEST:
        return Course(events=(), noise=float("nan"), fitted=tuple(values.tolist()))
    series = values[known]
    least = None if errors is None else errors[known]
    floor = _ROUNDING * float(np.abs(series).max())
    if floor == 0:  # nothing but zeros
        return Course(events=(), noise=0.0, fitted=tuple(values.tolist()))
    middle = float(np.median(series))
    noise, freedom = _noise(series, least, floor)
    phases = _phases(series, noise, floor if least is None else max(float(np.median(least)), floor))
    events, chances = ([phases[1]], [phases[0]]) if phases and phases[0] <= alpha else ([], [])
    while len(chances) < _MOST_EVENTS:
        left = _left(series - middle, events)
        noise, freedom = _noise(left, least, floor)
        seasonal = any(event.form == "season" for event in events)
        # A season of few places makes neighbours differ; it is held against what it leaves.
        scored = []
        for each in _candidates(left, smooth=not seasonal):
            here, sure = _noise_beside(each, left, least, floor, (noise, freedom))
            scored.append((_p_value(each, here * _noisier(each, least), sure), each))
        p_value, best = min(scored, key=lambda entry: (entry[0], -entry[1].gain))
        if p_value > alpha:
            break
        if best.form == "drift":
            best = _first_step(left, best) or best
        chances.append(p_value)
        events = _refitted(series - middle, [*events, best])
    whole = np.full(len(values), np.nan)
    whole[known] = middle + sum((event.shape for event in events), np.zeros(len(series)))
    found = tuple(_event(*entry, known) for entry in zip(events, chances, strict=True))
    seasons = [event.shape - np.median(event.shape) for event in events if event.form == "season"]
    season = np.zeros(len(values) if seasons else 0)
    if seasons:
        season[known] = sum(seasons)
    return Course(
        events=found,
        noise=noise,
        fitted=tuple(whole.tolist()),
        season=tuple(season.tolist()),
    )


def hinge(values: _Floats) -> tuple[int, float, float]:
    """Of a level that becomes a line: the place where it does, the level, and the line's end.

    Parameters
    ----------
    values : array of n
        NaN where a version has none; `FEWEST` are known at least.
    """
    known = np.flatnonzero(np.isfinite(values))
    fitted = _drift(values[known])
    return int(known[fitted.first]), float(fitted.shape[0]), float(fitted.shape[-1])


def distance_from_past(values: _Floats, errors: _Floats | None, course: Course) -> _Floats:
    """How far each value is from the median of those before it, in its standard deviations.

    A season is allowed for, and what stayed after a jump is the past of what follows. NaN where a
    value or its past is lacking.

    Parameters
    ----------
    values, errors : as for `course_of`
        Shape (versions,).
    course : Course
        What `course_of` found in them.
    """
    left = values - np.array(course.season) if course.season else values
    noise = np.full(len(values), course.noise)
    if errors is not None:
        noise = np.fmax(noise, errors)
    jumps = {event.first for event in course.events if event.form == "jump"}
    found = np.full(len(values), np.nan)
    past: list[float] = []
    for i, value in enumerate(left.tolist()):
        if np.isnan(value):
            continue
        if past:
            away = abs(value - _middle(past))
            known = float(noise[i]) * (1 + _MEDIAN_VARIANCE / len(past)) ** 0.5
            found[i] = away / known if known else (np.inf if away else 0.0)
        if i in jumps:
            past = []
        insort(past, value)
    return found


def _middle(ordered: Sequence[float]) -> float:
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


def _left(series: _Floats, events: Sequence[_Candidate]) -> _Floats:
    """What events leave over of a series."""
    found: _Floats = series - sum((event.shape for event in events), np.zeros(len(series)))
    return found


def _refitted(series: _Floats, events: list[_Candidate]) -> list[_Candidate]:
    """Events, each found anew beside all others, so that one does not tell what another did."""
    fits = {"jump": _jump, "spike": _spike, "drift": _drift}
    for _ in range(_PASSES if len(events) > 1 else 0):
        for place, event in enumerate(events):
            if event.form in fits:
                others = events[:place] + events[place + 1 :]
                events[place] = fits[event.form](_left(series, others))
    return events


def _first_step(left: _Floats, line: _Candidate) -> _Candidate | None:
    """Of two jumps the first one, where they explain far more of what is left than a line does."""
    if len(left) < _FEWEST_OF_STAIRS:
        return None
    first = _jump(left)
    steps = _refitted(left, [first, _jump(left - first.shape)])
    over, over_line = ((left - sum(e.shape for e in each)) for each in (steps, [line]))
    return steps[0] if (over**2).sum() < _STAIRS * (over_line**2).sum() else None


def _event(found: _Candidate, p_value: float, known: NDArray[np.intp]) -> Event:
    return Event(
        form=found.form,
        first=int(known[found.first]),
        last=int(known[found.last]),
        size=found.size,
        p_value=p_value,
        period=found.period,
    )


def _noise(series: _Floats, errors: _Floats | None, floor: float) -> tuple[float, float]:
    """Standard deviation of the noise, at least the floor, and its degrees of freedom."""
    steps = np.diff(series)
    freedom = max(_SURENESS * len(steps) - 1, 1.0)
    noise = (biweight_variance(steps) / 2) ** 0.5
    if errors is None:
        return max(noise, floor), freedom
    least = float(np.median(errors))
    if noise > _NOISE_OF_ERRORS * least:
        return noise, freedom
    together = (_OF_ERRORS * least**2 + freedom * noise**2) / (_OF_ERRORS + freedom)
    return max(together**0.5, least, floor), _OF_ERRORS + freedom


def _noise_beside(
    found: _Candidate,
    left: _Floats,
    errors: _Floats | None,
    floor: float,
    noise: tuple[float, float],
) -> tuple[float, float]:
    """The noise that an event is held against: that of what it leaves over, if that is less.

    An event is itself a part of the differences of neighbours, the more the fewer versions there
    are; but it was chosen to leave little over.
    """
    after, freedom = _noise(left - found.shape, errors, floor)
    chosen = 1 + (_FITTED_OF_WAVE if found.form == "season" else _FITTED_OF_STEP) / len(left)
    return min((after * chosen, freedom), noise)


def _noisier(found: _Candidate, errors: _Floats | None) -> float:
    """By how much noisier than usual the numbers are that an event rests on; 1 at least.

    The size of an event is a sum of numbers, each times its part in the event's shape; its variance
    is that of these numbers.
    """
    if errors is None or not np.median(errors):
        return 1.0
    weights = (found.shape - found.shape.mean()) ** 2
    variances = (errors / np.median(errors)) ** 2
    together = float(weights.sum())
    return max(float(weights @ variances) / together, 1.0) ** 0.5 if together else 1.0


def _p_value(found: _Candidate, noise: float, freedom: float) -> float:
    """How often chance gives as much at any of the places that were tried, by Bonferroni."""
    from scipy.special import fdtrc  # loads slowly

    ratio = found.gain / noise**2 / found.numbers
    return min(1.0, found.tried * float(fdtrc(found.numbers, freedom, ratio)))


def _candidates(left: _Floats, *, smooth: bool) -> Iterator[_Candidate]:
    """The jump, spike, drift and smooth season that explain most of what is left."""
    yield _jump(left)
    yield _spike(left)
    yield _drift(left)
    if smooth and len(left) >= 2 * FEWEST:
        yield _wave(left)


def _jump(left: _Floats) -> _Candidate:
    """Two levels, the second one to the end."""
    n = len(left)
    before = np.arange(1, n)
    total = np.cumsum(left)[:-1]
    means = total / before, (left.sum() - total) / (n - before)
    gain = before * (n - before) / n * (means[1] - means[0]) ** 2
    at = int(np.argmax(gain))
    first, size = at + 1, float(means[1][at] - means[0][at])
    shape = np.where(np.arange(n) < first, means[0][at], means[1][at])
    return _Candidate("jump", first, n - 1, size, shape, float(gain[at]), 1, n - 1)


def _spike(left: _Floats) -> _Candidate:
    """Some neighbours on another level, which is left again.

    Spikes of all lengths are tried, the shorter the more of the chance of a false one is theirs: of
    length m, 1 / (m (m + 1)), as parts of a whole.
    """
    n = len(left)
    best: _Candidate | None = None
    longest = max(1, int(_LONGEST_SPIKE * n))
    sums = np.concatenate(([0.0], np.cumsum(left)))
    for length in range(1, longest + 1):
        inside = (sums[length:-1] - sums[: -length - 1]) / length  # not up to the last
        others = (sums[-1] - inside * length) / (n - length)
        gain = length * (n - length) / n * (inside - others) ** 2
        if not len(gain):
            continue
        at = int(np.argmax(gain))
        if best is not None and gain[at] <= best.gain:
            continue
        places = np.arange(n)
        shape = np.where((places >= at) & (places < at + length), inside[at], others[at])
        size = float(inside[at] - others[at])
        tried = round(n * length * (length + 1) * longest / (longest + 1))
        best = _Candidate("spike", at, at + length - 1, size, shape, float(gain[at]), 1, tried)
    assert best is not None
    return best


def _drift(left: _Floats) -> _Candidate:
    """A level up to some place, and a line from there to the end."""
    n = len(left)
    places = np.arange(n, dtype=float)
    starts = places[: max(n - FEWEST + 1, 1)]
    centred = left - left.mean()
    behind = np.cumsum(centred[::-1])[::-1], np.cumsum((places * centred)[::-1])[::-1]
    with_line = behind[1][: len(starts)] - starts * behind[0][: len(starts)]
    steps = n - starts  # of the line, the first of them 0
    squares = steps * (steps - 1) * (2 * steps - 1) / 6 - (steps * (steps - 1) / 2) ** 2 / n
    gain = with_line**2 / squares
    at = int(np.argmax(gain))
    slope = float(with_line[at] / squares[at])
    line = np.maximum(places - at, 0.0)
    shape = left.mean() + slope * (line - line.mean())
    return _Candidate("drift", at, n - 1, slope, shape, float(gain[at]), 1, n)


#: Between two seasons that are tried, so many finer ones are looked at next to the best.
_FINER = np.linspace(-0.25, 0.25, 21)


@lru_cache(maxsize=16)
def _waves(n: int) -> tuple[_Floats, _Floats, _Floats]:
    """Seasons that are tried: how often they go up and down, and two waves of each."""
    cycles = np.arange(_WAVES, n / 3, 0.25)
    return cycles, *_pairs_of_waves(cycles, n)


def _pairs_of_waves(cycles: _Floats, n: int) -> tuple[_Floats, _Floats]:
    """Waves at n places, centred, of length 1, and orthogonal to each other."""
    angles = 2 * np.pi / n * np.outer(cycles, np.arange(n))
    one, other = (w - w.mean(axis=1, keepdims=True) for w in (np.cos(angles), np.sin(angles)))
    one /= np.linalg.norm(one, axis=1, keepdims=True)
    other -= (one * other).sum(axis=1, keepdims=True) * one
    other /= np.linalg.norm(other, axis=1, keepdims=True)
    return one, other


def _wave(left: _Floats) -> _Candidate:
    """A season that goes up and down evenly."""
    n = len(left)
    tried, one, other = _waves(n)
    at = int(np.argmax((one @ left) ** 2 + (other @ left) ** 2))
    cycles = tried[at] + _FINER
    one, other = _pairs_of_waves(cycles, n)
    parts = one @ left, other @ left
    gain = parts[0] ** 2 + parts[1] ** 2
    at = int(np.argmax(gain))
    shape = parts[0][at] * one[at] + parts[1][at] * other[at]
    return _Candidate(
        "season",
        0,
        n - 1,
        float(np.ptp(shape)),
        shape + left.mean(),
        float(gain[at]),
        2,
        len(tried),
        period=float(n / cycles[at]),
    )


def _phases(series: _Floats, noise: float, floor: float) -> tuple[float, _Candidate] | None:
    """A season whose phases jump, such as weekdays, and how often chance gives as much of it.

    Each phase is like itself a period before.
    """
    from scipy.special import fdtrc  # loads slowly

    n = len(series)
    quiet: list[tuple[float, int]] = []
    for period in _PHASES:
        if n < _PERIODS * period:
            continue
        away = (biweight_variance(series[period:] - series[:-period]) / 2) ** 0.5
        quiet.append((max(away, floor), period))
    if not quiet:
        return None
    least = min(away for away, _ in quiet)
    # Multiples of a period are as quiet; it is the shortest.
    period = next(period for away, period in quiet if away <= 1.25 * least)
    if least > _QUIETER * noise:
        return None
    phase = np.arange(n) % period
    middles = np.array([np.median(series[phase == each]) for each in range(period)])
    shape = middles[phase] - np.median(series)
    left = series - np.median(series) - shape
    # What the phases explain beside what is left within them.
    rows = n - period
    within = max((biweight_variance(left - np.median(left)) * n / rows) ** 0.5, floor)
    between = float(((shape - shape.mean()) ** 2).sum()) / max(period - 1, 1)
    ratio = between / within**2
    freedom = max(_SURENESS * rows, 1.0)
    p_value = min(1.0, len(_PHASES) * float(fdtrc(period - 1, freedom, ratio)))
    size = float(np.ptp(middles))
    return p_value, _Candidate(
        "season", 0, n - 1, size, shape, 0.0, period, 1, period=float(period)
    )
