"""Relations: the matrix, what changed in it, a pair, and the plane of the components."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from nachsicht.errors import SettingsError
from nachsicht.figures.column import draw_box
from nachsicht.figures.style import (
    GHOST,
    INK,
    OCHRE,
    PAPER,
    TEXT,
    axes_of,
    dates,
    grid,
    label,
    plain,
)
from nachsicht.figures.time_series import draw_time
from nachsicht.i18n import percent, phrase
from nachsicht.model.pair_plots import (
    BOX_SHARES,
    Axis,
    BoxesView,
    GridView,
    PairView,
    SharesView,
)
from nachsicht.model.parts import ComparisonParts, ProfileParts

#: Columns of a matrix that can be read.
MOST = 60
#: Matplotlib counts days since 1970; in milliseconds.
_DAY = 86_400_000.0


def draw_matrix(document: ComparisonParts, difference: bool, ax: Any) -> Any:
    """Strengths of all pairs in the order of their groups."""
    newest = document.versions[-1]
    names = newest.relations.order[:MOST]
    values = _matrix(newest, names, {})
    if difference:
        if len(document.versions) < 2:
            raise SettingsError("no_difference", where="figure")
        renamed = {c.names[-2]: c.names[-1] for c in document.columns if c.names[-2]}
        values = values - _matrix(document.versions[-2], names, renamed)
    size = 1.8 + 0.24 * len(names)
    axes, made = axes_of(ax, height=size, width=size + 1)
    image = axes.imshow(values, cmap=_colours(OCHRE, INK), vmin=-1, vmax=1)
    axes.set_xticks(range(len(names)), [label(n, 20) for n in names], rotation=90)
    axes.set_yticks(range(len(names)), [label(n, 20) for n in names])
    bar = axes.figure.colorbar(image, ax=axes, shrink=0.6)
    bar.outline.set_visible(False)
    bar.set_label(phrase("figures.difference") if difference else phrase("page.strength"))
    return made


def _matrix(version: ProfileParts, names: Sequence[str], renamed: dict[Any, Any]) -> Any:
    places = {name: i for i, name in enumerate(names)}
    found = np.full((len(names), len(names)), np.nan)
    for pair in version.relations.pairs:
        one = places.get(renamed.get(pair.x, pair.x))
        other = places.get(renamed.get(pair.y, pair.y))
        if one is not None and other is not None:
            found[one, other] = found[other, one] = pair.value
    return found


def _colours(low: str, high: str) -> Any:
    from matplotlib.colors import LinearSegmentedColormap

    return LinearSegmentedColormap.from_list("nachsicht", [low, PAPER, high])


def draw_pair(pair: PairView, *, older: bool, ax: Any) -> Any:
    """A pair as suits its kinds."""
    view = pair.view
    if isinstance(view, GridView):
        axes, made = axes_of(ax)
        _grid(axes, view, older)
        axes.set_xlabel(label(pair.x))
        axes.set_ylabel(label(pair.y))
        return made
    if isinstance(view, BoxesView):
        return _boxes(pair, view, older, ax)
    if isinstance(view, SharesView):
        return _shares(pair, view, older, ax)
    return draw_time([view], pair.y, ax)


def draw_plane(plane: GridView, explained: Sequence[float], older: bool, ax: Any) -> Any:
    """Rows in the plane of the first two components."""
    axes, made = axes_of(ax)
    _grid(axes, plane, older)
    names = [phrase("figures.component", n=k + 1, share=percent(explained[k])) for k in range(2)]
    axes.set_xlabel(names[0])
    axes.set_ylabel(names[1])
    return made


def _edges(axis: Axis) -> Any:
    edges = axis.start + axis.width * np.arange(axis.bins + 1)
    return plain(edges, time=axis.is_time)


def _grid(axes: Any, view: GridView, older: bool) -> None:
    counts = np.array(view.counts, np.float64).reshape(view.x.bins, view.y.bins).T
    shown = np.ma.masked_equal(np.sqrt(counts), 0)
    colours = _shades(GHOST if older else INK)
    across, up = _edges(view.x), _edges(view.y)
    axes.pcolormesh(across, up, shown, cmap=colours, vmin=0)
    dates(axes, across)
    dates(axes, up, "y")
    if len(view.line) > 1:
        x, y, low, high = np.array([[p.x, p.y, p.low, p.high] for p in view.line]).T
        x = x.astype(across.dtype)
        y, low, high = (values.astype(up.dtype) for values in (y, low, high))
        axes.fill_between(x, low, high, color=TEXT, alpha=0.18, linewidth=0)
        axes.plot(x, y, color=TEXT, linewidth=1.6)


def _shades(colour: str) -> Any:
    from matplotlib.colors import LinearSegmentedColormap

    return LinearSegmentedColormap.from_list("nachsicht", [PAPER, colour])


def _boxes(pair: PairView, view: BoxesView, older: bool, ax: Any) -> Any:
    axes, made = axes_of(ax, height=0.9 + 0.36 * len(view.boxes))
    middle = {share: i for i, share in enumerate(BOX_SHARES)}
    across = _edges(view.axis)
    for row, box in enumerate(view.boxes):
        numbers = {
            "whislo": box.low_whisker,
            "q1": box.quantiles[middle[0.25]],
            "med": box.quantiles[middle[0.5]],
            "q3": box.quantiles[middle[0.75]],
            "whishi": box.high_whisker,
        }
        if across.dtype.kind == "M":
            numbers = {name: value / _DAY for name, value in numbers.items()}
        draw_box(axes, numbers, row, 0.6, newest=not older)
    dates(axes, across)
    axes.set_yticks(range(len(view.boxes)), [label(box.level, 24) for box in view.boxes])
    axes.set_ylim(len(view.boxes) - 0.5, -0.5)
    axes.set_xlabel(label(pair.y))
    grid(axes, "x")
    return made


def draw_by_level(pair: PairView, ax: Any) -> Any:
    """Quantiles of each level against those of all rows: on the diagonal they are the same."""
    view = pair.view
    if not isinstance(view, BoxesView):
        raise SettingsError("no_quantiles_by_level", where="figure")
    axes, made = axes_of(ax)
    for i, box in enumerate(view.boxes):
        shade = 0.35 + 0.65 * (i + 1) / len(view.boxes)
        look: dict[str, Any] = {"color": INK, "alpha": shade, "label": label(box.level, 24)}
        axes.plot(view.overall, box.quantiles, "o-", ms=3, linewidth=1, **look)
    ends = [view.overall[0], view.overall[-1]]
    axes.plot(ends, ends, "--", color=GHOST, linewidth=1)
    axes.set_xlabel(f"{label(pair.y)}, {phrase('page.all_rows')}")
    axes.set_ylabel(f"{label(pair.y)}, {phrase('page.split_by', column=label(pair.x))}")
    axes.legend(frameon=False, fontsize=8)
    return made


def _shares(pair: PairView, view: SharesView, older: bool, ax: Any) -> Any:
    counts = np.array(view.counts, np.float64).reshape(len(view.x_levels), len(view.y_levels))
    shares = counts / np.maximum(counts.sum(axis=1, keepdims=True), 1)
    axes, made = axes_of(ax, height=1.2 + 0.32 * len(view.x_levels))
    colours = _shades(GHOST if older else INK)
    axes.imshow(shares, cmap=colours, vmin=0, vmax=1, aspect="auto")
    axes.set_xticks(range(len(view.y_levels)), [label(name, 12) for name in view.y_levels])
    axes.set_yticks(range(len(view.x_levels)), [label(name, 20) for name in view.x_levels])
    axes.set_xlabel(label(pair.y))
    axes.set_ylabel(label(pair.x))
    if shares.size <= 80:
        for (row, place), share in np.ndenumerate(shares):
            colour = PAPER if share > 0.5 else TEXT
            text = f"{100 * share:.0f} %"
            axes.text(place, row, text, ha="center", va="center", fontsize=8, color=colour)
    return made
