"""Columns over time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from nachsicht.columns.datetime import unit_starts
from nachsicht.figures.style import ACT, axes_of, dates, grid, label, legend, percents, plain, tone
from nachsicht.model.pair_plots import TimeView

#: Levels that are drawn, the most frequent.
_LEVELS = 5
_STROKES = ("-", "--", "-.", ":", (0, (6, 2, 1, 2, 1, 2)))


def draw_time(views: Sequence[TimeView | None], column: str, ax: Any) -> Any:
    """The median and the middle half of a quantity, or the shares of levels, in all versions."""
    axes, made = axes_of(ax)
    names: list[str] = []
    for i, view in enumerate(views):
        if view is None:
            continue
        look = tone(i, len(views))
        starts = unit_starts(
            np.arange(view.first, view.first + len(view.rows) + 1), view.unit
        ).astype("datetime64[us]")
        middles = starts[:-1] + np.diff(starts) // 2
        if view.quartiles:
            known = [(t, q) for t, q in zip(middles, view.quartiles, strict=True) if q]
            when = [t for t, _ in known]
            low, median, high = plain(np.array([q for _, q in known]), time=view.is_time).T
            axes.fill_between(when, low, high, color=look["color"], alpha=0.18, linewidth=0)
            axes.plot(when, median, "o-", ms=3, linewidth=1.6, **look)
        else:
            names = _levels(axes, view, middles, look, named=i == len(views) - 1)
        for jump in view.jumps:
            axes.axvline(starts[jump], color=ACT, linestyle=":", linewidth=1)
    axes.set_ylabel(label(column))
    if names:
        percents(axes)
        legend(axes, [*names, ""])
    grid(axes, "y")
    dates(axes, np.empty(0, "M8[s]"))
    return made


def _levels(
    axes: Any, view: TimeView, middles: Any, look: dict[str, Any], *, named: bool
) -> list[str]:
    held = np.array(view.rows) - np.array(view.missing)
    for place, level in enumerate(view.levels[:_LEVELS]):
        shares = np.array(view.counts[place]) / np.maximum(held, 1)
        axes.plot(
            middles[held > 0],
            shares[held > 0],
            linestyle=_STROKES[place],
            linewidth=1.6,
            label=label(level, 20) if named else None,
            **look,
        )
    return list(view.levels[:_LEVELS])
