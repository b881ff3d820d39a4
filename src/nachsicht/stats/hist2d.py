"""Two quantities as counts in a grid of bins, with a smooth line."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.kernels.ranks import order_of
from nachsicht.model.pair_plots import Axis, GridView, LinePoint
from nachsicht.stats.quantiles import quantile

_Floats = NDArray[np.float64]

#: Bins along each axis, points of a line.
MOST_BINS, LINE_POINTS = 24, 25
#: Where the whole range is wider than so many times that of the middle 99 %, the ends are cut.
_LONG_TAIL = 1.5
#: A point of a line needs so many rows near it.
_FEWEST_NEAR = 10
#: Half the width of a 95 % interval, in standard errors.
_Z = 1.959963984540054


def axis_of(values: NDArray[Any], *, time: bool = False) -> Axis:
    """Equal bins over the values; whole numbers get bins of as many of them each."""
    ordered = np.sort(values)
    low, high = float(ordered[0]), float(ordered[-1])
    inner_low, inner_high = quantile(ordered, 0.005), quantile(ordered, 0.995)
    if high - low > _LONG_TAIL * (inner_high - inner_low) > 0:
        low, high = inner_low, inner_high
    if values.dtype.kind in "iu" or (abs(low) < 2**53 and bool((values == np.rint(values)).all())):
        low, high = math.floor(low), math.ceil(high)
        step = max(1, math.ceil((high - low + 1) / MOST_BINS))
        bins = math.ceil((high - low + 1) / step)
        return Axis(low - 0.5, float(step), bins, time)
    width = (high - low) / MOST_BINS
    if not (math.isfinite(width) and width > 0):
        return Axis(low, max(abs(low), 1.0) * 1e-9, 1, time)
    return Axis(low, width, MOST_BINS, time)


def places_on(axis: Axis, values: _Floats) -> NDArray[np.int64]:
    """The bin of each value, -1 beyond the axis."""
    places = np.floor((values - axis.start) / axis.width)
    # The highest value lies on the edge of the last bin.
    ends = axis.start + axis.bins * axis.width
    places[(places == axis.bins) & (values <= ends * (1 + 1e-12) + 1e-300)] = axis.bins - 1
    places[(places < 0) | (places >= axis.bins)] = -1
    return places.astype(np.int64)


def grid_of(
    x: NDArray[Any], y: NDArray[Any], axes: tuple[Axis, Axis] | None = None, *, line: bool = True
) -> GridView:
    """Counts of rows by the bins of two columns, and the line of the second on the first.

    Parameters
    ----------
    x : array
        Without missing values.
    y : array
        Of the same rows.
    axes : pair of Axis, optional
        To count on; by default they are made of the values.
    line : bool
        Whether a line is wanted.
    """
    one, other = axes or (axis_of(x), axis_of(y))
    x, y = x.astype(np.float64), y.astype(np.float64)
    along, up = places_on(one, x), places_on(other, y)
    inside = (along >= 0) & (up >= 0)
    counts = np.bincount(along[inside] * other.bins + up[inside], minlength=one.bins * other.bins)
    return GridView(
        x=one,
        y=other,
        counts=tuple(counts.tolist()),
        outside=int((~inside).sum()),
        line=smooth_line(x, y, one) if line else (),
    )


def smooth_line(x: _Floats, y: _Floats, axis: Axis) -> tuple[LinePoint, ...]:
    """Local linear regression with normal weights, and its pointwise 95 % band.

    The bandwidth is that of Silverman's rule for x (1986, 3.31), at least half a bin; the
    band comes from the squared residuals of the rows near by (White 1980).
    """
    n = len(x)
    order = order_of(x)
    x, y = x[order], y[order]
    away = float(x.std())
    spread = min(away, (quantile(x, 0.75) - quantile(x, 0.25)) / 1.34) or away
    width = max(1.2 * spread * n**-0.2, axis.width / 2)
    places = np.linspace(axis.start, axis.start + axis.bins * axis.width, LINE_POINTS)
    first = np.searchsorted(x, places - 4 * width, "right")
    last = np.searchsorted(x, places + 4 * width, "left")
    points = []
    for at, start, stop in zip(places.tolist(), first, last, strict=True):
        if stop - start >= _FEWEST_NEAR:
            point = _point(x[start:stop] - at, y[start:stop], width)
            if point:
                points.append(LinePoint(at, *point))
    return tuple(points)


def _point(away: _Floats, y: _Floats, width: float) -> tuple[float, float, float] | None:
    """Height of the line where ``away`` is 0, and the ends of its band."""
    weights = np.exp(-0.5 * (away / width) ** 2)
    total, first, second = weights.sum(), weights @ away, weights @ away**2
    spread = total * second - first**2
    if total**2 < _FEWEST_NEAR / 2 * (weights @ weights):
        return None
    # Where x hardly varies near by, the mean.
    pull = weights * (second - first * away) / spread if spread > 1e-12 * total * second else None
    if pull is None:
        pull = weights / total
        fitted = np.full(len(y), pull @ y)
    else:
        slope = (total * (weights @ (away * y)) - first * (weights @ y)) / spread
        fitted = pull @ y + slope * away
    height = float(pull @ y)
    half = _Z * math.sqrt(float((pull**2) @ (y - fitted) ** 2))
    return (height, height - half, height + half) if math.isfinite(height + half) else None
