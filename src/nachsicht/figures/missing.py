"""Missing values and duplicate rows: which columns go together, and where the rows lie."""

from __future__ import annotations

from typing import Any

import numpy as np

from nachsicht.errors import SettingsError
from nachsicht.figures.style import INK, LINE, axes_of, grid, label, percents
from nachsicht.i18n import count, phrase
from nachsicht.model.parts import ProfileParts
from nachsicht.model.profile import Duplicates

#: Patterns, and columns, that are drawn.
_MOST = 20


def draw_missing(version: ProfileParts, kind: str, ax: Any) -> Any:
    """Patterns of missing columns with their rows, or missing values along the rows."""
    if kind == "patterns":
        return _patterns(version, ax)
    if kind == "places":
        return _places(version, ax)
    raise SettingsError("unknown_missing_figure", where="figure", kind=kind)


def _patterns(version: ProfileParts, ax: Any) -> Any:
    patterns = [p for p in version.missing_patterns.patterns if p.columns][:_MOST]
    if not patterns:
        raise SettingsError("nothing_missing", where="figure")
    names = list(dict.fromkeys(name for p in patterns for name in p.columns))
    axes, made = axes_of(ax, height=1.2 + 0.28 * len(patterns))
    for row, pattern in enumerate(patterns):
        for place, name in enumerate(names):
            colour = INK if name in pattern.columns else LINE
            axes.plot(place, row, "s", ms=8, color=colour)
        rows_text = phrase("figures.rows", n=count(pattern.rows))
        axes.text(len(names) - 0.3, row, rows_text, va="center", fontsize=8)
    axes.set_xticks(range(len(names)), [label(name, 20) for name in names], rotation=30, ha="right")
    axes.set_yticks([])
    axes.set_xlim(-0.6, len(names) + 1.2)
    axes.set_ylim(len(patterns) - 0.4, -0.6)
    return made


def _places(version: ProfileParts, ax: Any) -> Any:
    places = version.missing_patterns.counts_by_block[:_MOST]
    if not places:
        raise SettingsError("nothing_missing", where="figure")
    axes, made = axes_of(ax, height=1.2 + 0.3 * len(places))
    for row, place in enumerate(places):
        shares = np.array(place.missing) / place.block_rows
        starts = np.arange(len(shares)) * place.block_rows
        heights = 0.8 * shares / max(float(shares.max()), 1e-9)
        axes.bar(starts, heights, place.block_rows, bottom=row, align="edge", color=INK)
    axes.set_yticks(np.arange(len(places)) + 0.4, [label(p.column, 24) for p in places])
    axes.set_xlabel(phrase("page.row_number"))
    return made


def draw_duplicates(duplicates: Duplicates, ax: Any) -> Any:
    """The share of repeated rows in every block of rows."""
    if not duplicates.counts_by_block:
        raise SettingsError("no_duplicates", where="figure")
    axes, made = axes_of(ax, height=1.8)
    shares = np.array(duplicates.counts_by_block) / duplicates.block_rows
    starts = np.arange(len(shares)) * duplicates.block_rows + 1
    axes.bar(starts, shares, duplicates.block_rows, align="edge", color=INK)
    axes.set_xlabel(phrase("page.row_number"))
    axes.set_ylabel(phrase("page.duplicate_rows"))
    percents(axes)
    grid(axes, "y")
    return made
