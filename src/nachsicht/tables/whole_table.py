"""Relations, missing values, duplicates, outcome, components and time, each on its own."""

from __future__ import annotations

from typing import Any

from nachsicht.errors import SettingsError
from nachsicht.i18n import phrase
from nachsicht.model.outcome import bin_label
from nachsicht.model.pair_plots import TimeView
from nachsicht.model.parts import ComparisonParts, ProfileParts
from nachsicht.model.profile import Relation
from nachsicht.tables.base import Columns, Part, frame_of, with_versions


class _OfVersions(Part):
    """A part with a table for each version."""

    def __init__(self, document: ComparisonParts) -> None:
        self._document = document

    def _table(self, version: ProfileParts) -> Columns:
        raise NotImplementedError

    def columns(self) -> Columns:
        """The tables of all versions, one after the other."""
        versions = self._document.versions
        return with_versions([v.label for v in versions], [self._table(v) for v in versions])


class RelationsPart(_OfVersions):
    """How strongly any two columns go together."""

    _name = "relations"

    def _table(self, version: ProfileParts) -> Columns:
        pairs = sorted(version.relations.pairs, key=lambda p: (-abs(p.value), p.x, p.y))
        names = Relation.__struct_fields__
        return {name: [getattr(pair, name) for pair in pairs] for name in names}

    def matrix(self, version: int = -1, library: str = "pandas") -> Any:
        """Strengths by column and column, in the order of their groups; NaN where there is none."""
        relations = self._document.versions[version].relations
        places = {name: i for i, name in enumerate(relations.order)}
        rows: list[list[float | None]] = [[None] * len(places) for _ in places]
        for pair in relations.pairs:
            one, other = places[pair.x], places[pair.y]
            rows[one][other] = rows[other][one] = pair.value
        found: dict[str, Any] = {"column": list(places)}
        found |= {name: [row[i] for row in rows] for name, i in places.items()}
        return frame_of(found, library)

    def figure(self, difference: bool = False, ax: Any = None) -> Any:
        """The matrix of the newest version, or what changed from the version before.

        Parameters
        ----------
        difference : bool
            Draw newer less older strengths.
        ax : Matplotlib axes, optional
            Where to draw.
        """
        from nachsicht.figures.associations import draw_matrix

        return draw_matrix(self._document, difference, ax)

    def pair(self, one: str, other: str) -> PairPart:
        """Two columns against each other.

        Raises
        ------
        SettingsError
            If the pair is not among those that were drawn.
        """
        return PairPart(self._document, one, other)


class PairPart(Part):
    """Two columns against each other, in every version that draws them."""

    def __init__(self, document: ComparisonParts, one: str, other: str) -> None:
        self._document = document
        self.views = tuple(
            next((p for p in v.pairs if {p.x, p.y} == {one, other}), None)
            for v in document.versions
        )
        if not any(self.views):
            raise SettingsError("pair_not_drawn", where="pair", one=one, other=other)
        self._names = (one, other)

    @property
    def title(self) -> str:
        """The two columns."""
        return " × ".join(self._names)

    def columns(self) -> Columns:
        """Strengths of the pair, a line a version."""
        found = []
        for version in self._document.versions:
            pairs = version.relations.pairs
            own = [p for p in pairs if {p.x, p.y} == set(self._names)]
            names = Relation.__struct_fields__
            found.append({name: [getattr(pair, name) for pair in own] for name in names})
        return with_versions([v.label for v in self._document.versions], found)

    def figure(self, kind: str = "counts", version: int = -1, ax: Any = None) -> Any:
        """The pair in one version, as suits the kinds.

        Parameters
        ----------
        kind : str
            ``counts``: a grid of counts with a smooth line, boxes, shares, or a line over time.
            ``by_level``: of a quantity by level, its quantiles against those of all rows.
        version : int
            Place of the version; by default the newest.
        ax : Matplotlib axes, optional
            Where to draw.
        """
        from nachsicht.figures.associations import draw_by_level, draw_pair

        view = self.views[version]
        if view is None:
            raise SettingsError("pair_not_drawn_in_version", where="version")
        if kind == "by_level":
            return draw_by_level(view, ax)
        if kind != "counts":
            raise SettingsError("unknown_pair_figure", where="figure", kind=kind)
        return draw_pair(view, older=version not in (-1, len(self.views) - 1), ax=ax)


class MissingPart(_OfVersions):
    """What is missing, with what else, and where."""

    _name = "missing"

    def _table(self, version: ProfileParts) -> Columns:
        missing = sorted((-n, name) for name, n in version.missing.items() if n)
        only = version.missing_patterns.sole_missing
        return {
            "column": [name for _, name in missing],
            "missing": [-n for n, _ in missing],
            "share": [-n / version.rows for n, _ in missing],
            "sole_missing": [only.get(name, 0) for _, name in missing],
        }

    @property
    def complete_rows(self) -> tuple[int, ...]:
        """Rows with a value in every column, of each version."""
        return tuple(version.missing_patterns.complete_rows for version in self._document.versions)

    def patterns(self, library: str = "pandas") -> Any:
        """Columns that go missing together, and in how many rows nothing else does."""
        tables: list[Columns] = [
            {
                "missing": [list(p.columns) for p in v.missing_patterns.patterns],
                "rows": [p.rows for p in v.missing_patterns.patterns],
            }
            for v in self._document.versions
        ]
        return frame_of(with_versions([v.label for v in self._document.versions], tables), library)

    def figure(self, kind: str = "patterns", ax: Any = None) -> Any:
        """Which columns go missing together (``patterns``), or in which rows (``places``)."""
        from nachsicht.figures.missing import draw_missing

        return draw_missing(self._document.versions[-1], kind, ax)


class DuplicatesPart(_OfVersions):
    """Rows that equal an earlier row: in all columns, and in those that were examined besides."""

    _name = "duplicates"

    def _table(self, version: ProfileParts) -> Columns:
        subsets = (version.duplicates, *version.duplicates_by_subset)
        return {
            "compared_in": [
                ", ".join(subset.columns) or phrase("parts.all_columns") for subset in subsets
            ],
            "duplicate_rows": [subset.duplicate_rows for subset in subsets],
            "distinct_rows": [subset.distinct_rows for subset in subsets],
            "uncertainty": [subset.uncertainty for subset in subsets],
        }

    def groups(self, library: str = "pandas") -> Any:
        """The largest groups of equal rows, with the numbers of the first few (from 1)."""
        tables: list[Columns] = [
            {
                "rows": [group.rows for group in v.duplicates.groups],
                "row_numbers": [list(group.row_numbers) for group in v.duplicates.groups],
            }
            for v in self._document.versions
        ]
        return frame_of(with_versions([v.label for v in self._document.versions], tables), library)

    def figure(self, ax: Any = None) -> Any:
        """Where the repeated rows of the newest version stand, from the first row to the last."""
        from nachsicht.figures.missing import draw_duplicates

        return draw_duplicates(self._document.versions[-1].duplicates, ax)


class OutcomePart(_OfVersions):
    """Every column against the outcome, those that explain most first."""

    _name = "outcome"

    def _table(self, version: ProfileParts) -> Columns:
        outcome = version.outcome
        bins = [(view, b) for view in (outcome.views if outcome else ()) for b in view.bins]
        return {
            "column": [view.column for view, _ in bins],
            "explained_share": [view.explained_share for view, _ in bins],
            "bin": [bin_label(b) for _, b in bins],
            "rows": [b.rows for _, b in bins],
            "outcome": [b.value for _, b in bins],
            "low": [b.low for _, b in bins],
            "high": [b.high for _, b in bins],
        }

    def figure(self, column: str | None = None, ax: Any = None) -> Any:
        """The outcome by the bins of a column with 95 % intervals, over the column's rows.

        By default of the column that explains most.
        """
        from nachsicht.figures.outcome import draw_outcome

        outcome = self._document.versions[-1].outcome
        views = {view.column: view for view in outcome.views} if outcome else {}
        if outcome is None or (column is not None and column not in views):
            raise SettingsError(
                "no_outcome_by" if outcome else "no_outcome", where="outcome", column=column
            )
        return draw_outcome(outcome, views[column] if column else outcome.views[0], ax)


class ComponentsPart(Part):
    """Principal components of the standardised quantities."""

    _name = "components"

    def __init__(self, document: ComparisonParts) -> None:
        self._document = document
        self._own = document.components

    def columns(self) -> Columns:
        """Loadings by column (unit vectors), and nothing where there are too few quantities."""
        own = self._own
        if own is None:
            return {"column": []}
        found: dict[str, Any] = {"column": list(own.columns)}
        return found | {
            f"component_{k + 1}": list(own.loadings[k]) for k in range(len(own.loadings))
        }

    @property
    def explained(self) -> tuple[float, ...]:
        """Share of the variance of each component."""
        return self._own.explained_variance if self._own else ()

    def figure(self, version: int = -1, ax: Any = None) -> Any:
        """The rows of a version in the plane of the first two components."""
        from nachsicht.figures.associations import draw_plane

        planes = self._document.pca_scores or ((self._own.scores,) if self._own else ())
        plane = planes[version] if planes else None
        if plane is None:
            raise SettingsError("no_components", where="components")
        older = version not in (-1, len(planes) - 1)
        return draw_plane(plane, self.explained, older, ax)


class TimePart(_OfVersions):
    """Every column over the datetime column, unit by unit."""

    _name = "time"

    def _table(self, version: ProfileParts) -> Columns:
        from nachsicht.tables.distribution import unit_texts

        over = version.over_time
        lines = [
            (name, unit, view, i)
            for name, view in (over.views.items() if over else ())
            for i, unit in enumerate(unit_texts(view.unit, view.first, len(view.rows)))
        ]
        found: dict[str, Any] = {
            "column": [name for name, _, _, _ in lines],
            "from": [unit for _, unit, _, _ in lines],
            "rows": [view.rows[i] for _, _, view, i in lines],
            "missing": [view.missing[i] for _, _, view, i in lines],
        }
        for k, name in enumerate(("lower_quartile", "median", "upper_quartile")):
            found[name] = [_quartile(view, i, k) for _, _, view, i in lines]
        return found

    def figure(self, column: str, ax: Any = None) -> Any:
        """A column over time in all versions: median and middle half, or shares of levels."""
        from nachsicht.figures.time_series import draw_time

        sides = [version.over_time for version in self._document.versions]
        views = [side.views.get(column) if side else None for side in sides]
        if not any(views):
            raise SettingsError("not_over_time", where="time", column=column)
        return draw_time(views, column, ax)


def _quartile(view: TimeView, unit: int, k: int) -> float | None:
    quartiles = view.quartiles[unit] if view.quartiles else None
    return quartiles[k] if quartiles else None
