"""Findings: what is worth a reader's time."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any, Literal

import msgspec

from nachsicht.i18n import MissingFact, facts_asked, lookup, phrase, render


class Severity(StrEnum):
    """How urgent a finding is."""

    ACT = "act"
    CHECK = "check"
    NOTE = "note"

    @property
    def rank(self) -> int:
        """0 for the most urgent severity."""
        return list(Severity).index(self)


#: Every code that a finding can have. Documents keep it as a text, since later ones may have more.
FindingCode = Literal[
    "duplicate_rows",
    "reimported_rows",
    "malformed_lines",
    "schema_violation",
    "schema_missing_columns",
    "undocumented_columns",
    "identifier_repeats",
    "sentinel_value",
    "similar_levels",
    "garbled_text",
    "mixed_types",
    "all_missing",
    "missing_values",
    "missing_together",
    "infinite_values",
    "future_dates",
    "leakage",
    "collinear",
    "constant",
    "nearly_constant",
    "imbalance",
    "stored_as_text",
    "skewed",
    "zeros",
    "outliers",
    "blank",
    "rows_lost",
    "period_missing",
    "new_duplicate_rows",
    "key_not_unique",
    "new_duplicate_ids",
    "named_column_lost",
    "renamed",
    "removed",
    "added",
    "reordered",
    "swapped",
    "retyped",
    "numbers_as_text",
    "dates_as_text",
    "format_changed",
    "dtype_changed",
    "became_constant",
    "sentinel_value_new",
    "infinite_values_new",
    "out_of_range",
    "value_spike",
    "missing_imputed",
    "rescaled",
    "shifted",
    "sign_flipped",
    "clipped",
    "rounded",
    "heaped",
    "text_truncated",
    "garbled_text_new",
    "dates_shifted",
    "timezone_shifted",
    "day_month_swapped",
    "time_of_day_lost",
    "relabelled",
    "respelled",
    "new_levels",
    "missing_levels",
    "missing_increased",
    "missing_decreased",
    "distribution_shift",
    "category_shift",
    "length_shift",
    "pattern_shift",
    "dates_redistributed",
    "values_changed",
    "gradual_drift",
    "leakage_new",
    "association_lost",
    "association_reversed",
    "association_new",
]
#: A number, a text, or several; several row numbers may stand together in groups.
Fact = int | float | str | None | tuple[int | float | str | tuple[int, ...] | None, ...]


class ExampleRow(msgspec.Struct, frozen=True):
    """A row by its number, from 1, and its cells as text; long ones are cut."""

    row: int
    cells: tuple[str | None, ...]


class ExampleRows(msgspec.Struct, frozen=True, kw_only=True):
    """A few rows of a version that show a finding, with some of their columns."""

    version: str | None
    columns: tuple[str, ...]
    rows: tuple[ExampleRow, ...]


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """Something worth a reader's time.

    Attributes
    ----------
    code : str
        Which entry of the catalogue it is.
    severity : Severity
        How urgent it is.
    columns : tuple of str
        The columns it speaks of, as the newest version names them; empty for the rows.
    versions : tuple of str
        Labels: one for a finding in a version, two (before, after) for a change; None for all
        other groups together.
    size : float
        How large the effect is, 0 to 1; orders findings of one severity.
    form : str
        Which of the code's titles and sentences it has, where there are several.
    evidence : dict
        The facts and numbers that it rests on.
    accepted : str, optional
        Why it is known and no longer counts.
    example_rows : tuple of ExampleRows
        Rows that show it, of the version before and of its own, where the data was there.
    withheld : tuple of str
        Names of facts that were left out, so that it can be shared.
    wording : tuple of str, optional
        Title, sentence and next step, as documents of format 1 hold them.
    """

    code: str
    severity: Severity
    columns: tuple[str, ...]
    versions: tuple[str | None, ...]
    size: float
    form: str = ""
    evidence: dict[str, Fact]
    accepted: str | None = None
    example_rows: tuple[ExampleRows, ...] = ()
    wording: tuple[str, str, str] | None = None
    withheld: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """What it says in a few words, in the current language."""
        title = self._message("title", 0)
        conditions = self._conditions() if "where_only" in self.evidence else ""
        if self.wording or not conditions:
            return title
        return phrase("conditions.title", title=title, conditions=conditions)

    @property
    def sentence(self) -> str:
        """What it says, with the numbers behind it, in the current language."""
        # A sentence that has lost a fact, or whose title has, could be misunderstood.
        if self.withheld and (self._lacks_a_fact("title") or self._lacks_a_fact("sentence")):
            return ""
        return self._message("sentence", 1) + self._where()

    @property
    def next_step(self) -> str:
        """What to do about it, in the current language."""
        return self._message("next_step", 2)

    @property
    def version_names(self) -> tuple[str, ...]:
        """Labels of its versions; all other groups together by their name."""
        return tuple(label or phrase("verdict.rest") for label in self.versions)

    def _lacks_a_fact(self, part: str) -> bool:
        entry, clauses = self._entry(part)
        return not facts_asked(entry, clauses).isdisjoint(self.withheld)

    def _entry(self, part: str) -> tuple[Any, Any]:
        """What the catalogue has for a part of it, and its clauses."""
        messages = lookup(f"findings.{self.code}") or {}
        return messages.get(f"{part}_{self.form}", messages.get(part)), messages.get("clauses")

    def _message(self, part: str, place: int) -> str:
        if self.wording:
            return self.wording[place]
        entry, clauses = self._entry(part)
        try:
            if entry is not None:
                return render(entry, self._facts(), clauses)
        except MissingFact:
            pass
        # Some documents do not tell what a text asks for. One of a later version of ours may hold
        # what no catalogue here has words for.
        without_facts = lookup(f"sharing.titles.{self.code}") or self.code
        return str(without_facts) if part == "title" else ""

    def _where(self) -> str:
        """The rows that it is about, where conditions tell them from the others."""
        conditions = self._conditions()
        if not conditions:
            return ""
        share = self.evidence.get("where_share")
        if share is None:
            return " " + phrase("conditions.rewritten", conditions=conditions)
        form = "only" if "where_only" in self.evidence else "mostly"
        return " " + phrase(f"conditions.{form}", conditions=conditions, share=share)

    def _conditions(self) -> str:
        """The conditions that tell its rows from the others; empty where there are none."""
        facts = [self.evidence.get(f"where_{name}") for name in _BOUNDS]
        if not all(isinstance(fact, tuple) for fact in facts):
            return ""
        conditions = [
            phrase(f"conditions.{_kind_of(*bounds)}", **dict(zip(_BOUNDS, bounds, strict=True)))
            for bounds in zip(*facts, strict=False)
        ]
        if len(conditions) == 1:
            return conditions[0]
        return phrase("conditions.both", first=conditions[0], second=conditions[1])

    def _facts(self) -> dict[str, Any]:
        names = dict(zip(("column", "other_column"), self.columns, strict=False))
        labels = self.version_names or ("",)
        return {**names, **self.evidence, "old": labels[0], "new": labels[-1]}


#: What a condition consists of, each a fact of its own: ``where_by`` and so on.
_BOUNDS = "by", "level", "first", "last"


def _kind_of(by: Fact, _level: Fact, first: Fact, last: Fact) -> str:
    """Which words a condition is described by."""
    if first is None:
        return "level"
    if not by:
        return "rows"
    return "value" if first == last else "range"


def by_urgency(findings: list[Finding]) -> tuple[Finding, ...]:
    """Order findings by severity, then by size, then by name, so the order is always the same."""
    return tuple(sorted(findings, key=lambda f: (f.severity.rank, -f.size, f.columns, f.code)))


class Accepted(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A finding that is known: its code, its column (empty for the rows), and why.

    ``severity`` is the gravest that it was accepted with; once it is graver it counts again. Of
    what happened along a history the code is its form, such as ``jump``, and ``since`` the version
    that it began with. It counts again after the day ``until`` (ISO 8601); ``ended`` says whether
    that is over.
    """

    code: str
    column: str = ""
    since: str = ""
    reason: str
    severity: Severity = Severity.ACT
    until: Annotated[str, msgspec.Meta(pattern=r"^(\d{4}-\d{2}-\d{2})?$")] = ""
    ended: bool = False
