"""What the page draws of a quantity beside its bars: density, cumulative share, box, normal."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain
from typing import Any

import msgspec
import numpy as np

from nachsicht.model.column import ColumnSummary, QuantitySummary, TextSummary
from nachsicht.model.statistics import known

#: Points of a curve.
_POINTS = 128
#: No more digits than a drawing can show.
_DIGITS = ".5g"


def shape_of(column: ColumnSummary | None) -> dict[str, Any] | None:
    """The curves of a quantity, or of the lengths of texts; None of other kinds.

    Returns
    -------
    dict or None
        ``density`` (value, height), ``cumulative`` (value, share of the values up to it),
        ``box`` (whiskers, quartiles and median between them, values beyond on both sides, the
        outermost of these), ``normal`` (normal score, value). What there is none of is None.
        Points of curves, of which there are thousands, are JSON already.
    """
    if column is None:
        return None
    detail = column.stats.char_count if isinstance(column.stats, TextSummary) else column.stats
    if not isinstance(detail, QuantitySummary) or not detail.n_finite:
        return None
    return {
        "density": _density(detail),
        "cumulative": _cumulative(detail),
        "box": _box(detail),
        "normal": _points(detail.normal.points) if detail.normal else None,
    }


def _density(detail: QuantitySummary) -> msgspec.Raw | None:
    density = detail.density
    if density is None:
        return None
    heights = enumerate(density.heights)
    return _points([(density.start + i * density.step, height) for i, height in heights])


def _cumulative(detail: QuantitySummary) -> msgspec.Raw:
    knots = detail.ecdf
    last = len(knots.values) - 1
    points = min(last + 1, _POINTS)
    chosen = np.linspace(0, last, points).round().astype(int).tolist()  # all different
    return _points([(knots.values[i], knots.le[i] / detail.n_finite) for i in chosen])


def _box(detail: QuantitySummary) -> list[float] | None:
    outliers = detail.outliers
    quartiles = {point.share: point.value for point in detail.quantiles}
    if outliers is None or not (known(detail.minimum) and known(detail.maximum)):
        return None
    return [
        float(f"{value:{_DIGITS}}")
        for value in (
            outliers.low_whisker,
            quartiles[0.25],
            quartiles[0.5],
            quartiles[0.75],
            outliers.high_whisker,
            outliers.below,
            outliers.above,
            float(detail.minimum),
            float(detail.maximum),
        )
    ]


def _points(pairs: Sequence[tuple[float, float]]) -> msgspec.Raw:
    """Pairs of numbers as JSON, written in one go."""
    each = f"[%{_DIGITS},%{_DIGITS}]"
    written = ",".join([each] * len(pairs)) % tuple(chain.from_iterable(pairs))
    return msgspec.Raw(f"[{written}]".encode())
