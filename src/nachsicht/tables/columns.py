"""The summary of all columns, and one column on its own."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Sequence
from functools import singledispatch
from typing import Any

from nachsicht.errors import SettingsError
from nachsicht.i18n import phrase
from nachsicht.model.column import CategorySummary, ColumnSummary, DatetimeSummary, QuantitySummary
from nachsicht.model.comparison import ColumnComparison, summaries_of
from nachsicht.model.parts import ComparisonParts
from nachsicht.model.profile import SampledRows
from nachsicht.model.statistics import Absent, known
from nachsicht.tables.base import Columns, Part, frame_of, with_versions

#: Statistics of a quantity, in the order of the page.
STATISTICS = (
    *("mean", "std", "minimum", "median", "maximum", "range", "iqr", "mad"),
    *("variance", "cv", "skewness", "kurtosis", "sum"),
)


class Summary(Part):
    """Every column in one line, of every version."""

    _name = "columns"

    def __init__(self, across: ComparisonParts) -> None:
        self._across = across

    def columns(self) -> Columns:
        """Name, kind, missing, distinct, statistics, rows and stored type.

        ``mean``, ``std`` and quantiles are those of quantities; ``top_value`` is the most frequent
        value of any kind, with ``top_value_rows``; ``first`` and ``last`` are those of datetimes.
        """
        versions = self._across.versions
        return with_versions([v.label for v in versions], [summary_of(v.columns) for v in versions])


def summary_of(columns: tuple[ColumnSummary, ...]) -> Columns:
    """A line for every column: what the summary of a version says."""
    found: dict[str, list[Any]] = {
        "column": [c.name for c in columns],
        "kind": [str(c.kind) for c in columns],
        "missing": [c.missing for c in columns],
        "missing_share": [c.missing_share for c in columns],
        "distinct": [c.distinct for c in columns],
    }
    for name in ("mean", "std", "minimum", "median", "maximum"):
        found[name] = [_number(c, name) for c in columns]
    moments = [c.stats if isinstance(c.stats, DatetimeSummary) else None for c in columns]
    if any(moments):
        found["first"] = [m.minimum if m else None for m in moments]
        found["last"] = [m.maximum if m else None for m in moments]
    found["top_value"] = [c.top_values[0].value if c.top_values else None for c in columns]
    found["top_value_rows"] = [c.top_values[0].count if c.top_values else None for c in columns]
    found["rows"] = [c.rows for c in columns]
    found["dtype"] = [c.dtype for c in columns]
    return found


def _number(column: ColumnSummary, name: str) -> float | None:
    if not isinstance(column.stats, QuantitySummary):
        return None
    value = getattr(column.stats, name)
    return float(value) if known(value) else None


class Column(Part):
    """One column, in every version that has it.

    Attributes
    ----------
    summaries : tuple of ColumnSummary or None
        All that is known of it, one entry a version; None where it does not occur.
    """

    def __init__(
        self,
        across: ColumnComparison,
        labels: Sequence[str],
        summaries: Sequence[ColumnSummary | None],
        drawn: Callable[[], Sequence[SampledRows | None]] = tuple,
    ) -> None:
        self._across, self._labels, self._drawn = across, tuple(labels), drawn
        self.summaries = tuple(summaries)

    @property
    def title(self) -> str:
        """Its name."""
        return self.name

    @property
    def name(self) -> str:
        """Its name in the newest version."""
        return self._across.name

    @property
    def kind(self) -> str:
        """Its kind: quantity, category, flag, moment and so on."""
        return str(self._across.kind)

    def __getattr__(self, name: str) -> Any:
        """What the newest version that has it says of it, such as ``mean`` or ``missing``.

        None where a figure cannot be had.
        """
        if not name.startswith("_"):
            newest = next((s for s in reversed(self.summaries) if s is not None), None)
            for held in (newest, newest.stats if newest else None):
                if name in getattr(held, "__struct_fields__", ()):
                    value = getattr(held, name)
                    return None if isinstance(value, Absent) else value
        raise AttributeError(f"{type(self).__name__!r} object has no attribute {name!r}")

    def columns(self) -> Columns:
        """Its statistics: one line each, one column a version."""
        tables = [_statistics(summary) if summary else {} for summary in self.summaries]
        names = list(dict.fromkeys(name for table in tables for name in table))
        found: dict[str, list[Any]] = {"statistic": names}
        for label, table in zip(self._labels, tables, strict=True):
            found[label] = [table.get(name) for name in names]
        return found

    def top_values(self, library: str = "pandas") -> Any:
        """The most frequent values with their rows and shares of the rows that have a value."""
        return frame_of(self._of_all(_frequent), library)

    def quantiles(self, library: str = "pandas") -> Any:
        """Quantiles of a quantity: share of the rows, value. Empty for other kinds."""
        return frame_of(self._of_all(_quantiles), library)

    def distribution(self, library: str = "pandas") -> Any:
        """What the page draws: bins, values, levels or calendar units, with their rows.

        Bins begin at ``start``, without their end.
        """
        from nachsicht.tables.distribution import distribution_table

        return frame_of(distribution_table(self._across.distribution, self._labels), library)

    def figure(self, kind: str = "bars", ax: Any = None, by: str | None = None) -> Any:
        """Draw it in all versions: the newest filled, older ones outlined.

        Parameters
        ----------
        kind : str
            ``bars`` or ``top_values``; of quantities also ``density``, ``cumulative``,
            ``box``, ``normal`` (against the normal) and ``quantiles`` (over the versions).
        ax : Matplotlib axes, optional
            Where to draw.
        by : str, optional
            A category or flag: a quantity is drawn in each of its most frequent levels, as
            ``bars``, ``box`` or ``normal``, from the evenly drawn rows that the result keeps.

        Returns
        -------
        The axes that were given, or a figure of its own.

        Raises
        ------
        SettingsError
            If the column cannot be drawn that way.
        OutputError
            If Matplotlib is not installed.
        """
        if by is not None:
            from nachsicht.figures.by_level import draw_by_level

            return draw_by_level(self._across.names, by, self._drawn(), self._labels, kind, ax)
        from nachsicht.figures.column import draw_column

        return draw_column(self._across, self.summaries, self._labels, kind, ax)

    def _of_all(self, table: Any) -> Columns:
        tables = [table(summary) if summary else {} for summary in self.summaries]
        return with_versions(self._labels, tables)


def _statistics(column: ColumnSummary) -> dict[str, float]:
    found: dict[str, Any] = {
        "rows": column.rows,
        "missing": column.missing,
        "missing_share": column.missing_share,
        "distinct": column.distinct,
        "unique_once": column.unique_once,
    }
    found |= numbers_of(column.stats)
    return {name: float(value) for name, value in found.items() if known(value)}


@singledispatch
def numbers_of(_detail: Any) -> dict[str, Any]:
    """The statistics of a summary that are numbers, by name; a kind registers its own."""
    return {}


@numbers_of.register
def _quantity(detail: QuantitySummary) -> dict[str, Any]:
    found = {name: getattr(detail, name) for name in STATISTICS}
    return found | {"zeros": detail.zeros, "negatives": detail.negatives}


@numbers_of.register
def _category(detail: CategorySummary) -> dict[str, Any]:
    return {"evenness": detail.evenness, "rare_levels": detail.rare_levels}


def _frequent(column: ColumnSummary) -> Columns:
    return {
        "value": [level.value for level in column.top_values],
        "rows": [level.count for level in column.top_values],
        "share": [level.count / max(column.present, 1) for level in column.top_values],
    }


def _quantiles(column: ColumnSummary) -> Columns:
    points = column.stats.quantiles if isinstance(column.stats, QuantitySummary) else ()
    return {"share": [p.share for p in points], "value": [float(p.value) for p in points]}


def column_of(
    name: str,
    document: ComparisonParts,
    drawn: Callable[[], Sequence[SampledRows | None]] = tuple,
) -> Column:
    """The column of that name, in any version, and what gives the drawn rows of the versions.

    Raises
    ------
    SettingsError
        If there is none; the nearest name is reported.
    """
    for across in document.columns:
        if name in across.names:
            labels = [version.label for version in document.versions]
            return Column(across, labels, summaries_of(across, document.versions), drawn)
    raise unknown_column(name, [across.name for across in document.columns])


def unknown_column(name: str, names: Sequence[str]) -> SettingsError:
    """The error for a column that is not there; it tells the nearest that is."""
    near = difflib.get_close_matches(name, names, n=1)
    todo = phrase("hints.did_you_mean", name=near[0]) if near else phrase("hints.summary_lists")
    return SettingsError("no_column", where="column", todo=todo, name=name)
