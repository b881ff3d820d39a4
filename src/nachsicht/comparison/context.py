"""Two versions side by side, and one column of both, with what was measured between them."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht._util.cached import kept
from nachsicht.associations.all_pairs import AllPairs
from nachsicht.associations.encode import EncodedColumn
from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.distances import Measured
from nachsicht.config.settings import Settings
from nachsicht.findings.build import make_finding
from nachsicht.model.column import ColumnSummary, DatetimeSummary, QuantitySummary
from nachsicht.model.findings import Fact, Finding, FindingCode, Severity
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument
from nachsicht.stats.ecdf import Curve
from nachsicht.stats.hypothesis_tests import levels_p_value
from nachsicht.table.matched import MatchableRows
from nachsicht.table.reader import TableReader
from nachsicht.table.result import RetainedData


class Version(msgspec.Struct, frozen=True):
    """A profile, and its data where that is still at hand, can be read again, or asked for."""

    profile: ProfileDocument
    data: RetainedData | None = None
    reader: TableReader | None = None
    in_database: MatchableRows | None = None

    @property
    def table(self) -> Any:
        """All rows, or else the evenly drawn ones; None where there are none."""
        if self.data is not None:
            return self.data.table
        return self.reader.drawn.table if self.reader is not None else None

    @property
    def pairs(self) -> AllPairs | None:
        """All relations, of all rows or of the drawn ones; None where there are no rows."""
        if self.data is not None:
            return self.data.pairs
        return self.reader.drawn.pairs if self.reader is not None else None

    @property
    def drawn(self) -> tuple[EncodedColumn, ...]:
        """The columns with numbers or levels in the drawn rows; none where there are no rows."""
        if self.data is not None:
            return self.data.drawn
        return self.reader.drawn.columns if self.reader is not None else ()

    def curve(self, column: ColumnSummary) -> Curve | None:
        """The cumulative distribution of a quantity or moment; None for other kinds."""
        detail = column.stats
        if isinstance(detail, QuantitySummary) and detail.n_finite:
            exact = self.data.quantities.get(column.position) if self.data else None
            if exact is not None and not detail.ecdf.exact:
                return Curve.of_values(exact)
            return Curve.of_knots(detail.ecdf)
        return Curve.of_knots(detail.ecdf) if isinstance(detail, DatetimeSummary) else None


class VersionPair(msgspec.Struct, frozen=True):
    """Two versions, in order, and the settings by which they are compared.

    Groups of one dataset are not ``in_time``: nothing was done to one that made the other of
    it, so differences are reported and no causes looked for. Slices of one dataset by a datetime
    are in time, but have other rows by their nature (``slices``), so rows are not compared.
    ``other_rows`` says that they were, and hardly a row of one is in the other.
    """

    old: Version
    new: Version
    settings: Settings
    in_time: bool = True
    slices: bool = False
    other_rows: bool = False

    @property
    def labels(self) -> tuple[str, str]:
        """Labels of the two versions."""
        return (self.old.profile.label, self.new.profile.label)

    @property
    def have_rows(self) -> bool:
        """Whether rows of both are at hand, if only the drawn ones."""
        return self.old.table is not None and self.new.table is not None

    @property
    def rows(self) -> tuple[int, int]:
        """Rows of the two versions."""
        return (self.old.profile.rows, self.new.profile.rows)

    def unlikely(self, p_value: float | None, tests: int = 1) -> bool:
        """Whether chance hardly explains it, in one of so many columns and tests of each."""
        of = max(len(self.new.profile.columns), 1) * max(tests, 1)
        return p_value is not None and p_value < self.settings.alpha / of

    def finding(
        self,
        code: FindingCode,
        columns: tuple[str, ...],
        size: float,
        evidence: dict[str, Fact],
        *,
        form: str = "",
        at_least: Severity | None = None,
        at_most: Severity | None = None,
    ) -> Finding | None:
        """A finding between the two versions."""
        return make_finding(
            code,
            columns,
            self.labels,
            size=size,
            evidence=evidence,
            settings=self.settings,
            form=form,
            at_least=at_least,
            at_most=at_most,
        )


def frequent_p_value(old: ColumnSummary, new: ColumnSummary) -> float:
    """How often chance gives such different counts of the frequent values of both."""
    counts = [{level.value: level.count for level in side.top_values} for side in (old, new)]
    full = [len(side.top_values) < side.distinct for side in (old, new)]
    # A value that is not listed does not occur, unless there are more than are listed.
    names = [
        name
        for name in sorted({*counts[0], *counts[1]})
        if all(name in listed or not more for listed, more in zip(counts, full, strict=True))
    ]
    tables = []
    for side, listed in zip((old, new), counts, strict=True):
        table = {name: listed.get(name, 0) for name in names}
        tables.append({**table, "\0rest": side.present - sum(table.values())})
    if not set(counts[0]) & set(counts[1]) and _telling(old, new):
        return 0.0
    p_value = levels_p_value(*tables)
    return 1.0 if p_value is None else p_value


def _telling(old: ColumnSummary, new: ColumnSummary) -> bool:
    """Whether the frequent values of one would have to be among those of the other."""
    return any(
        side.top_values and side.top_values[0].count > 0.05 * side.present for side in (old, new)
    )


class ColumnChange(msgspec.Struct, frozen=True, dict=True):
    """A column that both versions have, with what was measured between them."""

    pair: Pair
    between: VersionPair
    measured: Measured | None
    not_significant: bool

    @kept
    def old(self) -> ColumnSummary:
        """The column in the older version."""
        assert self.pair.old is not None
        return self.pair.old

    @kept
    def new(self) -> ColumnSummary:
        """The column in the newer version."""
        assert self.pair.new is not None
        return self.pair.new

    @property
    def name(self) -> str:
        """The newest name of the column."""
        return self.new.name

    @kept
    def curves(self) -> tuple[Curve, Curve] | None:
        """Both cumulative distributions of a quantity or moment."""
        old = self.between.old.curve(self.old)
        new = self.between.new.curve(self.new)
        return (old, new) if old is not None and new is not None else None

    @kept
    def kind_changed(self) -> bool:
        """Whether the column means something else now.

        Kinds are inferred from the values, so a rare value can make a quantity of what was a
        flag. Stored alike and with the same frequent values, it is still the same.
        """
        old, new = self.old, self.new
        if old.kind is new.kind:
            return False
        if (old.text_format is None) is not (new.text_format is None):
            return True
        if Kind.DATETIME in (old.kind, new.kind) or Kind.EMPTY in (old.kind, new.kind):
            return True
        if old.kind is Kind.IDENTIFIER and new.kind is Kind.QUANTITY and not new.missing:
            # Whole numbers become floats where some are missing, or because they are measured.
            measured = new.dtype in ("float", "double")
            if measured and old.dtype.lstrip("u").startswith("int"):
                return True
        return self.between.unlikely(frequent_p_value(old, new))

    @property
    def distance(self) -> float:
        """How far the spread moved; 0 where chance explains it or nothing was measured."""
        if self.measured is None or self.measured.distance is None or self.not_significant:
            return 0.0
        return self.measured.distance

    def finding(
        self,
        code: FindingCode,
        size: float,
        evidence: dict[str, Fact],
        *,
        form: str = "",
        at_least: Severity | None = None,
        at_most: Severity | None = None,
    ) -> Finding | None:
        """A finding about this column."""
        return self.between.finding(
            code,
            (self.name,),
            size,
            evidence,
            form=form,
            at_least=at_least,
            at_most=at_most,
        )
