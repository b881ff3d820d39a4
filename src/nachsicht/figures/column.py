"""A column's distribution: bars, density, cumulative share, box, against the normal."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from nachsicht.columns.datetime import unit_starts
from nachsicht.errors import SettingsError
from nachsicht.figures.column_versions import Summaries, frequent, quantiles
from nachsicht.figures.style import (
    INK,
    PAPER,
    axes_of,
    bar_look,
    dates,
    grid,
    label,
    legend,
    percents,
    tone,
)
from nachsicht.i18n import phrase
from nachsicht.model.column import QuantitySummary, TextSummary
from nachsicht.model.comparison import (
    BinnedDistribution,
    ColumnComparison,
    LevelsDistribution,
    TimeDistribution,
    ValuesDistribution,
)

#: At most so many bars are drawn; neighbouring bins are put together.
MOST_BARS = 72


def draw_column(
    across: ColumnComparison, summaries: Summaries, labels: Sequence[str], kind: str, ax: Any
) -> Any:
    """Draw a column in all versions that have it."""
    if kind not in WAYS:
        raise SettingsError("unknown_figure_kind", where="figure", kind=kind, list=", ".join(WAYS))
    return WAYS[kind](across, summaries, labels, ax)


def _bars(across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any) -> Any:
    distribution = across.distribution
    if distribution is None:
        raise SettingsError("no_distribution", where="figure", name=across.name)
    present = [s.present if s else 0 for s in summaries]
    shares = [np.array(c) / max(n, 1) for c, n in zip(distribution.counts, present, strict=True)]
    if isinstance(distribution, LevelsDistribution):
        return _levels(across.name, distribution, shares, labels, ax)
    axes, made = axes_of(ax)
    if isinstance(distribution, ValuesDistribution):
        gap = float(np.diff(distribution.values).min()) if len(distribution.values) > 1 else 1.0
        middles = np.array(distribution.values)
        for i, heights in enumerate(shares):
            look = bar_look(i, len(shares))
            axes.bar(middles, heights, 0.72 * gap, label=label(labels[i]), **look)
    else:
        edges = _edges(distribution)
        by = -(-(len(edges) - 1) // MOST_BARS)
        places = [*range(0, len(edges) - 1, by)]
        coarse = edges[[*places, len(edges) - 1]]
        for i, heights in enumerate(shares):
            summed = np.add.reduceat(heights, places)
            _steps(axes, coarse, summed, label(labels[i]), tone(i, len(shares)))
        dates(axes, coarse)
    axes.set_ylim(bottom=0)
    axes.set_xlabel(label(across.name))
    axes.set_ylabel(phrase("page.share_of_rows"))
    percents(axes)
    grid(axes, "y")
    legend(axes, labels)
    return made


def _steps(axes: Any, edges: Any, heights: Any, name: str, look: dict[str, Any]) -> None:
    """Filled for the newest version, which is inked; outlined above it for older ones."""
    if look["color"] == INK:
        axes.stairs(heights, edges, fill=True, color=INK, alpha=0.85, label=name)
    else:
        axes.stairs(heights, edges, linewidth=1.5, label=name, zorder=3, **look)


def _edges(distribution: BinnedDistribution | TimeDistribution) -> Any:
    n = len(distribution.counts[0])
    if isinstance(distribution, TimeDistribution):
        return unit_starts(
            np.arange(distribution.first, distribution.first + n + 1), distribution.unit
        ).astype("datetime64[us]")
    return distribution.start + distribution.width * np.arange(n + 1) - (distribution.step or 0) / 2


def _levels(
    name: str, distribution: LevelsDistribution, shares: list[Any], labels: Sequence[str], ax: Any
) -> Any:
    axes, made = axes_of(ax, height=0.9 + 0.28 * len(distribution.levels))
    places = np.arange(len(distribution.levels))
    for i, widths in enumerate(shares):
        axes.barh(places, widths, 0.72, label=label(labels[i]), **bar_look(i, len(shares)))
    axes.set_yticks(places, [label(level, 24) for level in distribution.levels])
    axes.invert_yaxis()
    axes.set_xlabel(f"{label(name)}, {phrase('page.share_of_rows')}")
    percents(axes, "x")
    grid(axes, "x")
    legend(axes, labels)
    return made


def _quantities(across: ColumnComparison, summaries: Summaries) -> list[QuantitySummary | None]:
    details = [s.stats if s else None for s in summaries]
    own = [d.char_count if isinstance(d, TextSummary) else d for d in details]
    found = [d if isinstance(d, QuantitySummary) and d.n_finite else None for d in own]
    if not any(found):
        raise SettingsError("not_a_quantity_draw_bars", where="figure", name=across.name)
    return found


def _density(across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any) -> Any:
    quantities = _quantities(across, summaries)
    found = [d.density if d else None for d in quantities]
    if not any(found):
        code = "no_density" if any(d and d.discrete for d in quantities) else "not_drawn_so"
        raise SettingsError(code, where="figure", name=across.name, kind="density")
    axes, made = axes_of(ax)
    for i, density in enumerate(found):
        if density is None:
            continue
        x = density.start + density.step * np.arange(len(density.heights))
        axes.plot(x, density.heights, label=label(labels[i]), **tone(i, len(found)))
        if i == len(found) - 1:
            axes.fill_between(x, density.heights, color=INK, alpha=0.14, linewidth=0)
    axes.set_ylim(bottom=0)
    axes.set_xlabel(label(across.name))
    axes.set_ylabel(phrase("page.density"))
    grid(axes, "y")
    legend(axes, labels)
    return made


def _cumulative(
    across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any
) -> Any:
    axes, made = axes_of(ax)
    found = _quantities(across, summaries)
    for i, detail in enumerate(found):
        if detail is not None:
            shares = np.array(detail.ecdf.le) / detail.n_finite
            look = tone(i, len(found))
            axes.step(detail.ecdf.values, shares, where="post", label=label(labels[i]), **look)
    axes.set_ylim(0, 1)
    axes.set_xlabel(label(across.name))
    axes.set_ylabel(phrase("page.cumulative_share"))
    percents(axes)
    grid(axes, "y")
    legend(axes, labels)
    return made


def _box(across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any) -> Any:
    found = [
        (i, detail)
        for i, detail in enumerate(_quantities(across, summaries))
        if detail and detail.outliers
    ]
    if not found:
        raise SettingsError("not_drawn_so", where="figure", name=across.name, kind="box")
    axes, made = axes_of(ax, height=0.9 + 0.5 * len(found))
    for row, (i, detail) in enumerate(found):
        outliers = detail.outliers
        assert outliers is not None
        quartiles = {point.share: point.value for point in detail.quantiles}
        box = {
            "med": quartiles[0.5],
            "q1": quartiles[0.25],
            "q3": quartiles[0.75],
            "whislo": outliers.low_whisker,
            "whishi": outliers.high_whisker,
        }
        draw_box(axes, box, row, 0.56, newest=i == len(labels) - 1)
        for count, x, side in (
            (outliers.below, outliers.low_whisker, "right"),
            (outliers.above, outliers.high_whisker, "left"),
        ):
            if count:
                away = (6 if side == "left" else -6, 0)
                axes.annotate(
                    f"+{count:,}",
                    (x, row),
                    away,
                    textcoords="offset points",
                    ha=side,
                    va="center",
                    fontsize=8,
                    color=tone(0, 2)["color"],
                )
    axes.set_yticks(range(len(found)), [label(labels[i]) for i, _ in found])
    axes.set_ylim(len(found) - 0.5, -0.5)
    axes.margins(x=0.12)
    axes.set_xlabel(label(across.name))
    grid(axes, "x")
    return made


def draw_box(axes: Any, box: dict[str, float], row: float, height: float, *, newest: bool) -> None:
    """One lying box: filled for the newest version, outlined for older ones."""
    look = tone(int(newest), 2)
    axes.bxp(
        [{**box, "fliers": []}],
        positions=[row],
        widths=height,
        orientation="horizontal",
        patch_artist=True,
        showfliers=False,
        manage_ticks=False,
        boxprops={
            "facecolor": INK if newest else "none",
            "edgecolor": look["color"],
            "alpha": 0.85,
        },
        medianprops={"color": PAPER if newest else look["color"], "linewidth": 2},
        whiskerprops=look,
        capprops={"linewidth": 0},
    )


def _normal(across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any) -> Any:
    found = [d.normal if d else None for d in _quantities(across, summaries)]
    if not any(found):
        raise SettingsError("not_drawn_so", where="figure", name=across.name, kind="normal")
    axes, made = axes_of(ax)
    for i, fit in enumerate(found):
        if fit is None:
            continue
        scores, values = np.array(fit.points).T
        look = tone(i, len(found))
        fill = look["color"] if i == len(found) - 1 else "none"
        axes.plot(scores, values, "o", ms=3.5, mfc=fill, label=label(labels[i]), **look)
        low, high = (int(np.abs(scores - score).argmin()) for score in (-0.6745, 0.6745))
        if scores[high] > scores[low]:
            slope = (values[high] - values[low]) / (scores[high] - scores[low])
            ends = scores[[0, -1]]
            straight = values[low] + slope * (ends - scores[low])
            axes.plot(ends, straight, "--", linewidth=1, **look)
    axes.set_xlabel(phrase("page.normal_score"))
    axes.set_ylabel(label(across.name))
    grid(axes, "y")
    legend(axes, labels)
    return made


#: Ways to draw a column.
WAYS: dict[str, Callable[[ColumnComparison, Summaries, Sequence[str], Any], Any]] = {
    "bars": _bars,
    "density": _density,
    "cumulative": _cumulative,
    "box": _box,
    "normal": _normal,
    "top_values": frequent,
    "quantiles": quantiles,
}
