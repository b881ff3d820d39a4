"""A column against the outcome."""

from __future__ import annotations

from typing import Any

import numpy as np

from nachsicht.figures.style import GHOST, INK, TEXT, axes_of, grid, label, percents
from nachsicht.i18n import phrase
from nachsicht.model.outcome import Outcome, OutcomeView, bin_label


def draw_outcome(outcome: Outcome, view: OutcomeView, ax: Any) -> Any:
    """The outcome by bin with 95 % intervals, over how many rows each bin has."""
    axes, made = axes_of(ax)
    places = np.arange(len(view.bins))
    rows = np.array([b.rows for b in view.bins], np.float64)
    value, low, high = np.array([[b.value, b.low, b.high] for b in view.bins]).T
    reach = max(float(high.max() - min(low.min(), 0)), 1e-9)
    floor = min(float(low.min()), 0.0) - 0.2 * reach
    axes.bar(places, 0.16 * reach * rows / rows.max(), 0.86, bottom=floor, color=GHOST, alpha=0.55)
    axes.errorbar(
        places, value, [value - low, high - value], fmt="o", ms=5, color=INK, elinewidth=1.4
    )
    axes.axhline(outcome.overall, color=TEXT, linewidth=0.8, linestyle="--")
    axes.set_ylim(floor, None)
    axes.set_xticks(places, [label(bin_label(b), 16) for b in view.bins], rotation=30, ha="right")
    axes.set_xlabel(label(view.column))
    share = phrase("figures.share_of", level=label(outcome.level or ""))
    measure = share if outcome.level is not None else phrase("statistics.mean")
    axes.set_ylabel(f"{label(outcome.column)}: {measure}")
    if outcome.level is not None:
        percents(axes)
    grid(axes, "y")
    return made
