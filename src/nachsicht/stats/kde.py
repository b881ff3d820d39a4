"""A density from the fine histogram."""

from __future__ import annotations

import math

import numpy as np

from nachsicht.model.column import Density, Histogram, QuantitySummary
from nachsicht.model.statistics import known
from nachsicht.stats.histogram import edges_of

#: Heights are kept at so many places.
PLACES = 128


def density_of(histogram: Histogram | None, summary: QuantitySummary) -> Density | None:
    """Gaussian kernel density, the rows of a bin taken at its middle.

    The bandwidth is Silverman's (*Density Estimation*, 1986, eq. 3.31): 0.9 times the smaller
    of sd and IQR / 1.34, times n**-0.2; but never below the width of a bin. None for discrete
    quantities and where nothing varies. The bins move the curve by less than a bin's width.
    """
    if histogram is None or summary.discrete or not (known(summary.std) and known(summary.iqr)):
        return None
    last = histogram.first + len(histogram.counts) - 1
    edges = edges_of(histogram.first, last, histogram.exponent, histogram.decimals)
    width = float(edges[1] - edges[0])
    spread = min(summary.std, summary.iqr / 1.34) if summary.iqr else summary.std
    bandwidth = max(0.9 * spread * summary.n_finite**-0.2, width)
    reach = float(edges[-1]) - float(edges[0])
    if not (0 < bandwidth < np.inf and math.isfinite(reach)):
        return None
    # In units of the bandwidth, so that extreme values neither overflow nor vanish.
    middles = edges[:-1] / bandwidth + width / bandwidth / 2
    places = np.linspace(edges[0], edges[-1], PLACES)
    with np.errstate(under="ignore"):
        kernels = np.exp(-0.5 * (places[:, None] / bandwidth - middles[None, :]) ** 2)
        weights = np.asarray(histogram.counts) / summary.n_finite
        heights = kernels @ weights / math.sqrt(2 * math.pi) / bandwidth
    if not np.isfinite(heights).all():
        return None
    return Density(
        float(places[0]), float(places[1] - places[0]), float(bandwidth), tuple(heights.tolist())
    )
