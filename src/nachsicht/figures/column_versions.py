"""A column across versions: its most frequent values, and its quantiles as a ribbon."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from nachsicht.errors import SettingsError
from nachsicht.figures.style import INK, axes_of, bar_look, grid, label, legend, percents
from nachsicht.i18n import phrase
from nachsicht.model.column import ColumnSummary, QuantitySummary
from nachsicht.model.comparison import ColumnComparison

#: A column in every version; None where it does not occur.
Summaries = Sequence[ColumnSummary | None]


def frequent(across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any) -> Any:
    """The most frequent values of the newest version that has any, in all versions."""
    newest = next((s for s in reversed(summaries) if s and s.top_values), None)
    if newest is None:
        raise SettingsError("no_values", where="figure", name=across.name)
    values = [level.value for level in newest.top_values]
    axes, made = axes_of(ax, height=0.9 + 0.28 * len(values))
    for i, summary in enumerate(summaries):
        counts = {level.value: level.count for level in summary.top_values} if summary else {}
        present = max(summary.present, 1) if summary else 1
        shares = [counts.get(value, 0) / present for value in values]
        look = bar_look(i, len(summaries))
        axes.barh(range(len(values)), shares, 0.72, label=label(labels[i]), **look)
    axes.set_yticks(range(len(values)), [label(value, 24) for value in values])
    axes.invert_yaxis()
    axes.set_xlabel(f"{label(across.name)}, {phrase('figures.share_of_present')}")
    percents(axes, "x")
    grid(axes, "x")
    legend(axes, labels)
    return made


def quantiles(
    across: ColumnComparison, summaries: Summaries, labels: Sequence[str], ax: Any
) -> Any:
    """The median of every version, with the middle half and the middle nine tenths around it."""
    details = [s.stats if s else None for s in summaries]
    known = [(i, d) for i, d in enumerate(details) if isinstance(d, QuantitySummary) and d.n_finite]
    if not known:
        raise SettingsError("not_a_quantity", where="figure", name=across.name)
    points = [{q.share: float(q.value) for q in detail.quantiles} for _, detail in known]
    places = np.array([i for i, _ in known])
    axes, made = axes_of(ax)
    for low, high, alpha in ((0.05, 0.95, 0.12), (0.25, 0.75, 0.25)):
        below, above = ([q[share] for q in points] for share in (low, high))
        if len(places) > 1:
            axes.fill_between(places, below, above, color=INK, alpha=alpha, linewidth=0)
        axes.vlines(places, below, above, color=INK, alpha=4 * alpha, linewidth=1)
    axes.plot(places, [q[0.5] for q in points], "o-", ms=4, color=INK)
    axes.set_xticks(range(len(labels)), [label(name, 16) for name in labels])
    axes.set_ylabel(label(across.name))
    grid(axes, "y")
    return made
