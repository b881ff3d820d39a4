"""A quantity by the levels of a category: its distribution, box, and normal plot in each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.errors import SettingsError
from nachsicht.figures.column import draw_box
from nachsicht.figures.style import INK, axes_of, dates, grid, label, legend, plain, tone
from nachsicht.i18n import phrase
from nachsicht.model.profile import SampledColumn, SampledRows
from nachsicht.stats.normality import normal_scores
from nachsicht.table.sampled_rows import levels_of, numbers_in

#: The most frequent levels are drawn, and bins over all of them.
MOST_LEVELS, _BINS = 8, 36
#: Width of a normal plot among its neighbours, in normal scores.
_PANEL = 7.5
#: In a row of its own each level has this height.
_ROW = 0.84

#: By level, then by version, oldest first.
_Groups = dict[str, list[NDArray[np.float64]]]


def draw_by_level(
    names: Sequence[str | None],
    by: str,
    drawn: Sequence[SampledRows | None],
    labels: Sequence[str],
    kind: str,
    ax: Any,
) -> Any:
    """Draw a quantity by the levels of another column, in all versions that have both.

    Parameters
    ----------
    names : sequence of str or None
        Of the quantity in each version.
    by : str
        The category or flag.
    drawn : sequence of SampledRows or None
        Evenly drawn rows of each version.
    labels : sequence of str
        Of the versions.
    kind : str
        ``bars``, ``box`` or ``normal``.
    ax : Matplotlib axes or None
        Where to draw.

    Raises
    ------
    SettingsError
        If it cannot be drawn that way.
    """
    if kind not in _WAYS:
        raise SettingsError("unknown_figure_kind", where="by", kind=kind, list=", ".join(_WAYS))
    name = next(filter(None, reversed(names)))
    groups, is_time = _groups(name, names, by, drawn)
    return _WAYS[kind](name, groups, labels, ax, is_time)


def _groups(
    name: str, names: Sequence[str | None], by: str, drawn: Sequence[SampledRows | None]
) -> tuple[_Groups, bool]:
    """The values in each of the most frequent levels, and whether they are datetimes."""
    if not any(drawn):
        raise SettingsError("no_drawn_rows", where="by")
    pairs = [
        (_column(rows, own), _column(rows, by)) for rows, own in zip(drawn, names, strict=True)
    ]
    if not any(values and not values.levels for values, _ in pairs):
        raise SettingsError("not_a_quantity", where="figure", name=name)
    if not any(levels and levels.levels for _, levels in pairs):
        raise SettingsError("not_a_category", where="by", name=by)
    found: list[dict[str, NDArray[np.float64]]] = []
    for values, levels in pairs:
        if values is None or levels is None or values.levels or not levels.levels:
            found.append({})
            continue
        numbers, held = numbers_in(values), levels_of(levels)
        there = np.isfinite(numbers)
        found.append({one: numbers[there & (held == one)] for one in levels.levels})
    counts: Counter[str] = Counter()
    for side in found:
        counts.update({one: len(numbers) for one, numbers in side.items() if len(numbers)})
    nothing = np.empty(0)
    most = [one for one, _ in counts.most_common(MOST_LEVELS)]
    groups = {one: [side.get(one, nothing) for side in found] for one in most}
    return groups, any(values is not None and values.is_time for values, _ in pairs)


def _column(rows: SampledRows | None, name: str | None) -> SampledColumn | None:
    return next((c for c in rows.columns if c.name == name), None) if rows else None


def _bars(name: str, groups: _Groups, labels: Sequence[str], ax: Any, is_time: bool) -> Any:
    """A row of bars for each level, each as high as its own highest."""
    axes, made = axes_of(ax, height=0.9 + 0.6 * len(groups))
    together = np.concatenate([side for sides in groups.values() for side in sides])
    edges = np.histogram_bin_edges(together, min(_BINS, len(np.unique(together))))
    for row, sides in enumerate(groups.values()):
        for i, values in enumerate(sides):
            if not len(values):
                continue
            heights = np.histogram(values, edges)[0] / len(values)
            tops = row + _ROW / 2 - _ROW * heights / heights.max()
            look, newest = tone(i, len(sides)), i == len(sides) - 1
            style = {"fill": True, "color": INK, "alpha": 0.85} if newest else {"lw": 1.5, **look}
            own = label(labels[i]) if row == 0 else None
            axes.stairs(
                tops, plain(edges, time=is_time), baseline=row + _ROW / 2, label=own, **style
            )
    return _rows(axes, made, name, groups, labels, edges, is_time)


def _box(name: str, groups: _Groups, _labels: Sequence[str], ax: Any, is_time: bool) -> Any:
    """A box for each level and version, the newest below."""
    axes, made = axes_of(ax, height=0.9 + 0.6 * len(groups))
    for row, sides in enumerate(groups.values()):
        height = _ROW / len(sides)
        for i, values in enumerate(sides):
            if not len(values):
                continue
            q1, median, q3 = np.quantile(values, (0.25, 0.5, 0.75))
            reach = 1.5 * (q3 - q1)
            inside = values[(values >= q1 - reach) & (values <= q3 + reach)]
            box = {"med": median, "q1": q1, "q3": q3}
            box |= {"whislo": inside.min(), "whishi": inside.max()}
            place = row - _ROW / 2 + (i + 0.5) * height
            newest = i == len(sides) - 1
            draw_box(axes, box, place, 0.8 * height, newest=newest)
    return _rows(axes, made, name, groups, (), np.empty(0), is_time)


def _rows(
    axes: Any,
    made: Any,
    name: str,
    groups: _Groups,
    labels: Sequence[str],
    values: NDArray[np.float64],
    is_time: bool,
) -> Any:
    axes.set_yticks(range(len(groups)), [label(level, 24) for level in groups])
    axes.set_ylim(len(groups) - 0.5, -0.5)
    axes.set_xlabel(label(name))
    dates(axes, plain(values, time=is_time))
    grid(axes, "x")
    legend(axes, labels)
    return made


def _normal(name: str, groups: _Groups, labels: Sequence[str], ax: Any, is_time: bool) -> Any:
    """A normal plot for each level, side by side on one scale of values."""
    axes, made = axes_of(ax, width=max(6.4, 1.6 * len(groups)))
    for panel, sides in enumerate(groups.values()):
        for i, values in enumerate(sides):
            if len(values) < 3:
                continue
            scores = normal_scores(len(values))
            held = np.sort(values)
            look, newest = tone(i, len(sides)), i == len(sides) - 1
            fill = look["color"] if newest else "none"
            own = label(labels[i]) if panel == 0 else None
            places = panel * _PANEL + scores
            axes.plot(places, plain(held, time=is_time), "o", ms=2.5, mfc=fill, label=own, **look)
            low, high = np.quantile(held, (0.25, 0.75))
            # Through both quartiles: normal values lie on it.
            slope = (high - low) / (2 * 0.6745)
            ends = scores[[0, -1]]
            straight = (low + high) / 2 + slope * ends
            axes.plot(
                panel * _PANEL + ends, plain(straight, time=is_time), "--", linewidth=1, **look
            )
    axes.set_xticks(
        [panel * _PANEL for panel in range(len(groups))], [label(g, 16) for g in groups]
    )
    axes.set_xlabel(phrase("page.normal_score"))
    axes.set_ylabel(label(name))
    grid(axes, "y")
    legend(axes, labels)
    return made


_WAYS: dict[str, Callable[[str, _Groups, Sequence[str], Any, bool], Any]] = {
    "bars": _bars,
    "box": _box,
    "normal": _normal,
}
