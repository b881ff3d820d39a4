"""One look for all figures: the colours of the page, and axes that carry them.

Nothing of Matplotlib's own state is used or changed: no pyplot, no rcParams.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from nachsicht.errors import OutputError
from nachsicht.i18n import printable

if TYPE_CHECKING:
    from matplotlib.axes import Axes

PAPER, TEXT, MUTED, LINE = "#fbfaf7", "#22211f", "#6f6a60", "#e4dfd5"
INK, GHOST, ACT, OCHRE = "#0f4c4a", "#8d8577", "#8a1f4b", "#9a6a00"
#: Inches.
WIDTH, HEIGHT = 6.4, 3.6
_SIZE = 9.0


def axes_of(ax: Any, height: float = HEIGHT, width: float = WIDTH) -> tuple[Axes, Any]:
    """Axes to draw into, and what is returned in the end: those given, or a new figure.

    Raises
    ------
    OutputError
        If Matplotlib is not installed.
    """
    if ax is not None:
        _clean(ax)
        return ax, ax
    figure = _new_figure(width, height)
    new = figure.add_subplot()
    _clean(new)
    return new, figure


def _new_figure(width: float, height: float) -> Any:
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ImportError as error:
        raise OutputError("no_matplotlib", where="figure") from error

    class Drawing(Figure):
        """A Matplotlib figure that shows itself in a notebook, without pyplot."""

        def _repr_png_(self) -> bytes:
            kept = io.BytesIO()
            self.savefig(kept, format="png", dpi=144)
            return kept.getvalue()

    figure = Drawing(figsize=(width, height), layout="constrained", facecolor=PAPER)
    FigureCanvasAgg(figure)
    return figure


def _clean(ax: Axes) -> None:
    """Few lines, muted; the data is what is seen."""
    ax.set_facecolor(PAPER)
    for name, spine in ax.spines.items():
        spine.set_visible(name == "bottom")
        spine.set_color(LINE)
    ax.tick_params(colors=MUTED, labelsize=_SIZE, length=0)
    ax.xaxis.label.set(color=MUTED, fontsize=_SIZE)
    ax.yaxis.label.set(color=MUTED, fontsize=_SIZE)
    ax.set_axisbelow(True)


def grid(ax: Axes, axis: str) -> None:
    """Thin lines across one axis."""
    ax.grid(axis=axis, color=LINE, linewidth=0.7)  # type: ignore[arg-type]


def percents(ax: Axes, axis: str = "y") -> None:
    """Label an axis of shares in per cent."""
    from matplotlib.ticker import FuncFormatter

    chosen = ax.yaxis if axis == "y" else ax.xaxis
    chosen.set_major_formatter(FuncFormatter(lambda share, _: f"{100 * share:.3g} %"))


def plain(values: Any, *, time: bool) -> Any:
    """Numbers as they are; milliseconds since 1970 as datetimes."""
    array = np.asarray(values, np.float64)
    return array.astype("datetime64[ms]") if time else array


def dates(ax: Axes, values: Any, axis: str = "x") -> None:
    """Label an axis of datetimes shortly, where that is what the values are."""
    if np.asarray(values).dtype.kind != "M":
        return
    from matplotlib.dates import AutoDateLocator, ConciseDateFormatter

    locator: Any = AutoDateLocator(maxticks=7)  # type: ignore[no-untyped-call]
    formatter: Any = ConciseDateFormatter(locator)  # type: ignore[no-untyped-call]
    chosen = ax.xaxis if axis == "x" else ax.yaxis
    chosen.set_major_locator(locator)
    chosen.set_major_formatter(formatter)


def tone(version: int, versions: int) -> dict[str, Any]:
    """Ink for the newest version; older ones pale with age."""
    age = versions - 1 - version
    return {"color": INK if age == 0 else GHOST, "alpha": (1.0, 1.0, 0.7)[age] if age < 3 else 0.45}


def bar_look(version: int, versions: int) -> dict[str, Any]:
    """Bars of the newest version are filled, those of older ones outlined above them."""
    if version == versions - 1:
        return {"color": INK, "alpha": 0.85}
    look = tone(version, versions)
    return {
        "fill": False,
        "linewidth": 1.5,
        "edgecolor": look["color"],
        "alpha": look["alpha"],
        "zorder": 3,
    }


def label(text: str, most: int = 40) -> str:
    """A name of the data as a label: literal, not too long, no mathematics."""
    shown = printable(text)
    return (shown if len(shown) <= most else f"{shown[: most - 1]}…").replace("$", "\\$")


def legend(ax: Axes, labels: Sequence[str]) -> None:
    """Names of versions, where there are several."""
    if len(labels) > 1:
        ax.legend(frameon=False, fontsize=_SIZE, labelcolor=TEXT)
