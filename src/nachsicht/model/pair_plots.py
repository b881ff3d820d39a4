"""Two columns drawn against each other, and columns over time."""

from __future__ import annotations

import msgspec

from nachsicht.model.kinds import CalendarUnit


class Axis(msgspec.Struct, frozen=True, gc=False):
    """Equal bins: bin ``i`` begins at ``start + i * width``.

    With ``is_time`` these are milliseconds since 1970.
    """

    start: float
    width: float
    bins: int
    is_time: bool = False


class LinePoint(msgspec.Struct, frozen=True, gc=False):
    """A point of a smooth line, and the 95 % band around it."""

    x: float
    y: float
    low: float
    high: float


class GridView(msgspec.Struct, frozen=True, kw_only=True, tag="grid"):
    """Two quantities as counts in bins of both: ``counts[i * y.bins + j]``.

    The axes leave out the outermost half percent of rows at each end where tails are long;
    rows that are left out are ``outside``. The ``line`` is a local linear regression of the
    second column on the first.
    """

    x: Axis
    y: Axis
    counts: tuple[int, ...]
    outside: int
    line: tuple[LinePoint, ...]


class Box(msgspec.Struct, frozen=True):
    """A quantity in one level.

    The quantiles are those of ``BOX_SHARES``; whiskers end with the outermost values within
    one and a half interquartile ranges of the quartiles, ``outside`` counts those outside.
    """

    level: str
    rows: int
    low_whisker: float
    high_whisker: float
    outside: int
    quantiles: tuple[float, ...]
    counts: tuple[int, ...]


#: Shares of the quantiles of a box: every twentieth, so also the quartiles and the median.
BOX_SHARES = tuple(i / 20 for i in range(1, 20))


class BoxesView(msgspec.Struct, frozen=True, kw_only=True, tag="boxes"):
    """A quantity in every level of a category, as boxes and as counts in the bins of an axis.

    ``overall`` holds the quantiles of all rows, which those of a level can be compared with.
    """

    axis: Axis
    boxes: tuple[Box, ...]
    overall: tuple[float, ...]


class SharesView(msgspec.Struct, frozen=True, kw_only=True, tag="shares"):
    """Two categories: ``counts[i * len(others) + j]`` rows of level ``i`` of the first."""

    x_levels: tuple[str, ...]
    y_levels: tuple[str, ...]
    counts: tuple[int, ...]


class TimeView(msgspec.Struct, frozen=True, kw_only=True, tag="time"):
    """A column by calendar unit, from unit ``first`` on (as in `DatetimeSummary`).

    Attributes
    ----------
    rows, missing : tuple of int
        Rows that were examined in each unit, and those without a value.
    quartiles : tuple of (float, float, float), or None where no row has a value
        Of quantities and datetimes, for each unit.
    is_time : bool
        Whether quartiles are datetimes, in milliseconds since 1970.
    levels, counts : tuple of str, tuple of tuple of int
        Of categories: the most frequent levels, and ``counts[level][unit]``.
    jumps : tuple of int
        Units (from 0) at which it is suddenly another than in the unit before.
    """

    unit: CalendarUnit
    first: int
    rows: tuple[int, ...]
    missing: tuple[int, ...]
    quartiles: tuple[tuple[float, float, float] | None, ...] = ()
    is_time: bool = False
    levels: tuple[str, ...] = ()
    counts: tuple[tuple[int, ...], ...] = ()
    jumps: tuple[int, ...] = ()


View = GridView | BoxesView | SharesView | TimeView


class Part(msgspec.Struct, frozen=True):
    """A pair in the rows of one level of a third column."""

    level: str
    rows: int
    view: View


class PairView(msgspec.Struct, frozen=True, kw_only=True):
    """Two columns, drawn as suits their kinds, of so many rows where both have a value.

    ``x`` lies along the axis of a grid, divides boxes and shares, or is the moment.
    ``facets`` are the same by the levels of the column ``split_by``.
    """

    x: str
    y: str
    rows: int
    view: View
    split_by: str | None = None
    facets: tuple[Part, ...] = ()


class OverTime(msgspec.Struct, frozen=True, kw_only=True):
    """Every column over a datetime column.

    ``rows`` counts all rows of the data by calendar unit; the ``views`` are computed of the
    evenly drawn rows.
    """

    time_column: str
    unit: CalendarUnit
    first: int
    rows: tuple[int, ...]
    views: dict[str, TimeView]


class Components(msgspec.Struct, frozen=True, kw_only=True):
    """Principal components of the standardised quantities, over rows that have all of them.

    Attributes
    ----------
    columns : tuple of str
        Quantities that take part.
    excluded : tuple of str
        Quantities with too many missing values, constant in these rows, or that come after the
        first 200.
    rows : int
        Rows with a value in all of them.
    centre, scale : tuple of float
        Means and standard deviations (over n) that the columns are standardised by.
    explained_variance : tuple of float
        Shares of the variance, of all components.
    loadings : tuple of tuple of float
        Of the first components, by column; unit vectors whose largest entry is positive.
    scores : GridView
        Rows in the plane of the first two.
    """

    columns: tuple[str, ...]
    excluded: tuple[str, ...]
    rows: int
    centre: tuple[float, ...]
    scale: tuple[float, ...]
    explained_variance: tuple[float, ...]
    loadings: tuple[tuple[float, ...], ...]
    scores: GridView
