"""One map that explains a change of a whole spread: a factor, a shift, a known conversion."""

from __future__ import annotations

import math
from collections.abc import Iterator

import msgspec
import numpy as np

from nachsicht.arrow.numeric import LARGEST
from nachsicht.stats.ecdf import Curve, largest_difference
from nachsicht.stats.hypothesis_tests import usual_distance

#: Quantiles between which a factor or shift is looked for; the tails are left to outliers.
_SHARES = np.linspace(0.05, 0.95, 37)
#: Factors nearer to 1 than this are only believed where they are known conversions.
_NEAREST_FACTOR = 1.05
#: Factors of usual conversions; a catalogue of words has a line for each of them.
FACTORS = (
    "2.20462",
    "0.453592",
    "3.28084",
    "0.3048",
    "0.621371",
    "1.609344",
    "2.54",
    "0.393701",
    "1000",
    "0.001",
    "100",
    "0.01",
    "60",
    "3600",
    "0.0166667",
    "1000000",
    "0.000001",
    "10",
    "0.1",
    "12",
    "24",
    "0.264172",
    "3.78541",
    "28.3495",
    "0.035274",
)
#: Those that move the decimal point, and the part of the distance that they may leave over.
_POINTS, _LEFT_BY_POINT = {"1000", "0.001", "100", "0.01", "1000000", "0.000001", "10", "0.1"}, 0.25
#: How far a factor as it is measured may be from a conversion, in logarithms.
_NEAR, _NEAR_POINT = 0.03, 0.25
#: Conversions with an offset: factor, offset, name in the catalogue of words.
OFFSETS = (
    (1.8, 32.0, "celsius_fahrenheit"),
    (1 / 1.8, -32 / 1.8, "fahrenheit_celsius"),
    (1.0, 273.15, "celsius_kelvin"),
    (1.0, -273.15, "kelvin_celsius"),
)
#: A map must leave over less than this part of the distance.
_LEFT_OVER = 1 / 3
_LEFT_OVER_OF_PART = 0.15
#: A conversion of a smaller part of the rows is left to outliers.
_SMALLEST_PART, _CLEAR, _FAR = 0.03, 10.0, 0.25
#: Where curves are compared while maps of a part are tried, and shifts in standard deviations.
_PLACES, _SHIFTS = np.linspace(0.001, 0.999, 200), np.linspace(1.5, 10, 18)
#: A stretch has two free numbers: fewer rows, or a smaller one, may be chance.
_FEWEST_FOR_STRETCH, _NEAREST_STRETCH = 150, 1.15
#: And of fewer different values, nearly any two may be stretched to each other.
_FEWEST_VALUES = 20
#: What it leaves over is less than this part of what chance gives; values are the same that lie no
#: farther apart than this part of the middle half.
_OF_USUAL, _SAME = 0.8, 0.02


class AffineMap(msgspec.Struct, frozen=True):
    """``new = factor * old + offset`` for a part of the rows, and the distance left over."""

    factor: float
    offset: float
    known: str | None
    left_over: float
    part: float = 1.0

    @property
    def free(self) -> int:
        """How many numbers were chosen to fit."""
        if self.known:
            return int(self.part < 1)
        turned = self.factor == -1.0 and self.offset == 0.0
        chosen = (self.factor not in (1.0, -1.0)) + (self.offset != 0.0)
        return (0 if turned else chosen) + (self.part < 1)

    @property
    def is_shift(self) -> bool:
        """Whether all values moved by a constant."""
        return self.factor == 1.0

    @property
    def is_turned(self) -> bool:
        """Whether all values changed their sign."""
        return self.factor == -1.0 and self.offset == 0.0


def map_between(
    a: Curve,
    b: Curve,
    distance: float,
    decimals: tuple[int | None, int | None],
    *,
    known_only: bool = False,
) -> AffineMap | None:
    """The map that takes the old spread to the new one; None if none explains the change.

    It must leave over no more than chance gives, and less than a third of the distance. Known
    conversions go before guesses; of several the one that leaves over least is taken. A moved
    decimal point parts the values so far that it may leave over what else changed. Values are
    given half a unit of their last decimal.

    Parameters
    ----------
    a, b : Curve
        The old and the new spread.
    distance : float
        Kolmogorov-Smirnov distance between them.
    decimals : (int or None, int or None)
        With how many decimals the old and the new values are written.
    known_only : bool
        Whether guesses are left out.
    """
    if min(a.rows, b.rows) < 20 or len(a.values) < 3 or len(b.values) < 3:
        return None
    if _too_large(a) or _too_large(b):
        return None
    p_value = usual_distance(a.rows, b.rows) + a.uncertainty + b.uncertainty
    enough = min(max(p_value, 0.1 * distance), _LEFT_OVER * distance)
    step = 0.0 if decimals[1] is None else 10.0 ** -decimals[1]
    spread = float(np.ptp(b.quantiles(np.array([0.25, 0.75]))))
    coarse = step > spread / 8
    best: AffineMap | None = None
    for factor, offset, known in _candidates(a, b, step):
        guessed = known is None and factor not in (1.0, -1.0)
        if (guessed and coarse) or (known is None and known_only):
            continue
        tolerance = step / 2 if factor != 1.0 or offset % max(step, 1e-300) else step / 1e6
        if best and best.known and not known:
            break  # a conversion that fits needs no better guess
        left = largest_difference(a.mapped(factor, offset), b, tolerance)
        allowed = max(enough, _LEFT_BY_POINT * distance) if known in _POINTS else enough
        if left <= allowed and (best is None or left < best.left_over):
            best = AffineMap(factor, offset, known, left)
    return best


def _too_large(curve: Curve) -> bool:
    """Whether multiples of the values may be beyond what a float holds."""
    return max(abs(float(curve.values[end])) for end in (0, -1)) > LARGEST


def map_of_a_part(
    a: Curve, b: Curve, distance: float, ratios: tuple[float, float] | None
) -> AffineMap | None:
    """A known conversion of a part of the rows; None if none explains the change.

    The part is that which leaves over least by squares; what it leaves over must be no more
    than chance often gives. ``ratios`` are those of the means and standard deviations in the
    level that holds the change, if one does; both must be the factor.
    """
    if min(a.rows, b.rows) < 100 or len(a.values) < 20 or _too_large(a) or _too_large(b):
        return None
    # With a free part and many factors to choose from, little may be left over, unless the
    # factor is known from the level, or the distance is more than a mixture by chance makes.
    often = 0.01 if ratios or distance >= _FAR else 0.2
    p_value = usual_distance(a.rows, b.rows, often) + a.uncertainty + b.uncertainty
    usual = min(p_value, _LEFT_OVER_OF_PART * distance)
    # A factor of ten or more parts the rows in two, which no noise does.
    clear = min(p_value, _LEFT_OVER * distance)
    places = np.unique(np.concatenate([side.quantiles(_PLACES) for side in (a, b)]))
    best: AffineMap | None = None
    for factor, offset, name in _maps_of_a_part(a, b, places, free=ratios is None):
        if ratios and not _alike(factor, ratios):
            continue
        here = np.unique(np.concatenate((places, places * factor + offset)))
        part, left = _part_mapped(a, b, here, factor, offset)
        # A shift was chosen among many, and has to fit the better.
        allowed = clear if max(abs(factor), 1 / abs(factor)) >= _CLEAR else usual
        enough = allowed if name else 0.8 * allowed
        if not _SMALLEST_PART <= part <= 1 - _SMALLEST_PART or left > enough:
            continue
        if best is None or left < best.left_over:
            best = AffineMap(factor, offset, name, left, part)
    return best


def _maps_of_a_part(
    a: Curve, b: Curve, places: np.ndarray, *, free: bool
) -> Iterator[tuple[float, float, str | None]]:
    """Conversions, a turned sign, and the shift of a part that leaves over least."""
    for name in FACTORS:
        yield float(name), 0.0, name
    yield from OFFSETS
    yield -1.0, 0.0, "turned"
    low, high = a.quantiles(np.array([0.25, 0.75]))
    size = float(high - low) / 1.349
    if not free or size <= 0:
        return
    steps = np.concatenate((_SHIFTS, -_SHIFTS)) * size
    tried = [(_part_mapped(a, b, places, 1.0, step)[1], step) for step in steps.tolist()]
    _, nearest = min(tried)
    fine = nearest + np.linspace(-0.25, 0.25, 41) * size
    yield (
        1.0,
        min((_part_mapped(a, b, places, 1.0, step)[1], step) for step in fine.tolist())[1],
        None,
    )


def _part_mapped(
    a: Curve, b: Curve, places: np.ndarray, factor: float, offset: float
) -> tuple[float, float]:
    """The part that leaves over least by squares if mapped, and the largest distance then."""
    back = (places - offset) / factor
    turned = a.shares(back)[1] if factor > 0 else 1 - a.shares(back)[0]
    old, new = a.shares(places)[1], b.shares(places)[1]
    apart = turned - old
    part = float((apart @ (new - old)) / max(float(apart @ apart), 1e-12))
    return part, float(np.abs(new - old - part * apart).max())


def line_through(
    x: np.ndarray, y: np.ndarray, weights: np.ndarray | None = None
) -> tuple[float, float]:
    """Factor and offset of the line that fits best by squares; NaN where there is none."""
    shares = np.ones(len(x)) if weights is None else weights
    with np.errstate(all="ignore"):
        shares = shares / shares.sum()
        middle = float(shares @ x), float(shares @ y)
        away = shares * (x - middle[0])
        factor = float(away @ (y - middle[1]) / (away @ (x - middle[0])))
        return factor, middle[1] - factor * middle[0]


def stretch_between(a: Curve, b: Curve, distance: float) -> AffineMap | None:
    """A factor and an offset of all rows, both free, that leave over hardly anything."""
    if min(a.rows, b.rows) < _FEWEST_FOR_STRETCH or _too_large(a) or _too_large(b):
        return None
    before, after = a.quantiles(_SHARES), b.quantiles(_SHARES)
    if len(a.values) < _FEWEST_VALUES:
        return None
    tolerance = _SAME * float(np.ptp(b.quantiles(np.array([0.25, 0.75]))))
    best: AffineMap | None = None
    lines = [*_lines(before, after), _by_moments(a, b)]
    for factor, offset in lines:
        if not 0 < factor < np.inf or abs(math.log(factor)) < math.log(_NEAREST_STRETCH):
            continue
        left = largest_difference(a.mapped(factor, offset), b, tolerance)
        if best is None or left < best.left_over:
            best = AffineMap(factor, offset, None, left)
    enough = _OF_USUAL * usual_distance(a.rows, b.rows) + a.uncertainty + b.uncertainty
    return best if best and best.left_over <= min(enough, distance / 3) else None


def _lines(before: np.ndarray, after: np.ndarray) -> Iterator[tuple[float, float]]:
    """Lines through quantiles: by squares, by as many rows on either side, through two of them."""
    yield line_through(before, after)
    # A quantile is the surer, the more rows lie near it.
    spacing = np.gradient(before)
    weights = 1 / np.maximum(spacing, np.median(spacing) / 10) ** 2
    yield line_through(before, after, weights)
    middle = len(before) // 2
    for low, high in ((len(before) // 4, 3 * len(before) // 4), (2, -3)):
        with np.errstate(all="ignore"):
            factor = float((after[high] - after[low]) / (before[high] - before[low]))
        yield factor, float(after[middle] - factor * before[middle])


def _by_moments(a: Curve, b: Curve) -> tuple[float, float]:
    """By means and standard deviations, which many rows of equal values do not disturb."""
    (mean, std), (other_mean, other_std) = _moments(a), _moments(b)
    with np.errstate(all="ignore"):
        factor = float(np.divide(other_std, std))
    return factor, other_mean - factor * mean


def _moments(curve: Curve) -> tuple[float, float]:
    rows = curve.at_most - curve.below
    mean = float(np.average(curve.values, weights=rows))
    return mean, float(np.average((curve.values - mean) ** 2, weights=rows) ** 0.5)


def _alike(factor: float, ratios: tuple[float, float]) -> bool:
    """Whether means went by the factor, and standard deviations nearly so."""
    return abs(ratios[0] / factor - 1) < 0.05 and abs(ratios[1] / factor - 1) < 0.15


def _candidates(a: Curve, b: Curve, step: float) -> Iterator[tuple[float, float, str | None]]:
    yield from OFFSETS
    before, after = a.quantiles(_SHARES), b.quantiles(_SHARES)
    if ((before > 0).all() and (after < 0).all()) or ((before < 0).all() and (after > 0).all()):
        yield -1.0, 0.0, "turned"
    factor = _middle_factor(before, after)
    if factor:
        known = _known_factor(factor)
        if known:
            yield float(known), 0.0, known
        if abs(math.log(factor)) >= math.log(_NEAREST_FACTOR):
            yield factor, 0.0, None
    shift = float(np.median(after - before))
    yield 1.0, round(shift / step) * step if step else shift, None
    if (before < 0).any() and (before > 0).any():
        yield -1.0, 0.0, None


def _middle_factor(before: np.ndarray, after: np.ndarray) -> float | None:
    usable = (np.abs(before) > 1e-12) & (np.sign(before) == np.sign(after))
    if usable.sum() < len(before) * 0.5:
        return None
    return float(np.exp(np.median(np.log(after[usable] / before[usable]))))


def _known_factor(factor: float) -> str | None:
    """The conversion of units next to a factor: within 3 %, or 25 % for a moved decimal point."""
    near = min(FACTORS, key=lambda text: abs(math.log(float(text) / factor)))
    within = _NEAR_POINT if near in _POINTS else _NEAR
    return str(near) if abs(math.log(float(near) / factor)) < within else None
