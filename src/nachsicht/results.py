"""What the calls return: a profile of one version, and a comparison of several."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

from nachsicht._util.atomic_write import write_atomically
from nachsicht._util.background import run_in_background
from nachsicht.config.files import settings_in
from nachsicht.errors import OutputError, SettingsError
from nachsicht.i18n import DEFAULT, phrase, printable, use_language
from nachsicht.model.codec import encode, pack
from nachsicht.model.comparison import ColumnComparison, ComparisonDocument
from nachsicht.model.pair_plots import Components, GridView
from nachsicht.model.parts import ComparisonParts, ProfileParts
from nachsicht.model.profile import ProfileDocument, SampledRows

if TYPE_CHECKING:
    from nachsicht.output.history_report import HistoryReport
    from nachsicht.pipeline.lazy_comparison import OnDemand
    from nachsicht.table.result import RetainedData
    from nachsicht.tables.changed_rows import RowsPart
    from nachsicht.tables.columns import Column, Summary
    from nachsicht.tables.findings import Findings
    from nachsicht.tables.whole_table import (
        ComponentsPart,
        DuplicatesPart,
        MissingPart,
        OutcomePart,
        RelationsPart,
        TimePart,
    )


class _Result:
    """What a profile and a comparison have in common."""

    def __init__(
        self, made: ComparisonDocument | OnDemand, languages: Sequence[str] = (DEFAULT,)
    ) -> None:
        self._made, self._languages = made, tuple(languages)

    @property
    def _across(self) -> ComparisonDocument:
        """Everything; what was not computed so far is, once."""
        if not isinstance(self._made, ComparisonDocument):
            made = self._made
            self._made = made.whole()
            self._keep(made.data)
        return self._made

    def _keep(self, data: tuple[RetainedData | None, ...]) -> None:
        """Keep what is wanted of the versions' data, which goes otherwise."""

    @property
    def _parts(self) -> ComparisonParts:
        """What parts are made from: the document, or what stands for it until all is computed."""
        made = self._made
        return made if isinstance(made, ComparisonDocument) else _Parts(self, made)

    @property
    def document(self) -> ProfileDocument | ComparisonDocument:
        """Everything that was computed, as frozen values."""
        raise NotImplementedError

    @property
    def title(self) -> str:
        """The title of the page."""
        return self._made.title

    @property
    def verdict(self) -> str:
        """The verdict, in plain words."""
        with use_language(self._languages[0]):
            return f"{self._across.verdict.headline} {self._across.verdict.detail}".rstrip()

    @property
    def findings(self) -> Findings:
        """What is worth your time, the most urgent first: a tuple of `Finding`, and a table."""
        from nachsicht.tables.findings import Findings

        return Findings(self._across.findings, self._languages[0])

    @property
    def summary(self) -> Summary:
        """Every column in one line."""
        from nachsicht.tables.columns import Summary

        return Summary(self._parts)

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of the columns, in the order of the newest version."""
        return tuple(self._made.versions[-1].names)

    def __iter__(self) -> Iterator[str]:
        return iter(self.columns)

    def __contains__(self, name: object) -> bool:
        return name in self.columns

    def __getitem__(self, name: str) -> Column:
        return self.column(name)

    def column(self, name: str) -> Column:
        """One column: its statistics, frequent values, quantiles, spread, and figures of it.

        Raises
        ------
        SettingsError
            If no version has a column of that name.
        """
        from nachsicht.tables.columns import Column, column_of

        made = self._made
        across = None if isinstance(made, ComparisonDocument) else made.one_column(name)
        if isinstance(made, ComparisonDocument) or across is None:
            return column_of(name, self._across, self._drawn)  # a version may call it otherwise
        labels = [version.label for version in made.versions]
        summaries = [version.column(name) for version in made.versions]
        return Column(across, labels, summaries, self._drawn)

    def _drawn(self) -> list[SampledRows | None]:
        """The rows of each version that can be explored."""
        return [version.sampled_rows for version in self._across.versions]

    @property
    def relations(self) -> RelationsPart:
        """How strongly any two columns go together."""
        from nachsicht.tables.whole_table import RelationsPart

        return RelationsPart(self._parts)

    @property
    def missing(self) -> MissingPart:
        """What is missing, with what else, and where."""
        from nachsicht.tables.whole_table import MissingPart

        return MissingPart(self._parts)

    @property
    def duplicates(self) -> DuplicatesPart:
        """Rows that equal an earlier row."""
        from nachsicht.tables.whole_table import DuplicatesPart

        return DuplicatesPart(self._parts)

    @property
    def outcome(self) -> OutcomePart:
        """Every column against the outcome, if one was named."""
        from nachsicht.tables.whole_table import OutcomePart

        return OutcomePart(self._parts)

    @property
    def components(self) -> ComponentsPart:
        """Principal components of the standardised quantities."""
        from nachsicht.tables.whole_table import ComponentsPart

        return ComponentsPart(self._parts)

    @property
    def time(self) -> TimePart:
        """Every column over the datetime column."""
        from nachsicht.tables.whole_table import TimePart

        return TimePart(self._parts)

    def remedies(self, library: str = "pandas") -> str:
        """A script that mends what the findings speak of, one step with a switch for each.

        Run it as ``python mend.py SOURCE TARGET``. Steps that are right only where the analyst
        says so are written, but switched off.

        Parameters
        ----------
        library : str
            ``pandas`` or ``polars``.

        Raises
        ------
        SettingsError
            If the library is another.
        """
        from nachsicht.remedies.build import remedies_of
        from nachsicht.remedies.script import script_of

        source = self._across.versions[-1].origin.source
        with use_language(self._languages[0]):
            return script_of(remedies_of(self._across), source, library)

    def share_safe(self, smallest_group: int = 10) -> Self:
        """The same, made safe to share with those who must not see the rows.

        It has no rows and no single values, and tells nothing of groups of fewer rows; counts are
        rounded to multiples of that size. It is not differential privacy.

        Parameters
        ----------
        smallest_group : int
            How many rows a group must have to be told of.

        Raises
        ------
        SettingsError
            If that is less than 3.
        DocumentError
            If it is share-safe already.
        """
        from nachsicht.config.settings import settings_of
        from nachsicht.pipeline.check_hidden import refuse_share_safe
        from nachsicht.sharing.comparison import share_safe

        settings_of({"share": smallest_group})
        refuse_share_safe(self._across.versions)
        return type(self)(share_safe(self._across, smallest_group), self._languages)

    def to_html(self) -> str:
        """The page, whole, as text: one file that needs no network."""
        run_in_background(_prepare_page)
        across = self._across
        from nachsicht.output.html.page import page_of

        return page_of(across, self._languages)

    def to_markdown(self) -> str:
        """The summary in Markdown, fit for a merge request."""
        from nachsicht.output.markdown import summary_markdown

        with use_language(self._languages[0]):
            return summary_markdown(self._across)

    def to_junit(self) -> bytes:
        """The findings of the newest version as a test report in the XML of JUnit, in UTF-8."""
        from nachsicht.output.ci.junit import junit_xml

        with use_language(self._languages[0]):
            return junit_xml(self._across)

    def to_sarif(self) -> bytes:
        """The findings of the newest version in SARIF 2.1.0: JSON in UTF-8."""
        from nachsicht.output.ci.sarif import sarif_json

        with use_language(self._languages[0]):
            return sarif_json(self._across)

    def to_openlineage(self) -> bytes:
        """Facets of OpenLineage for the newest version (data quality): JSON in UTF-8."""
        from nachsicht.output.ci.openlineage import openlineage_json

        with use_language(self._languages[0]):
            return openlineage_json(self._across)

    def to_description(self, csvw: bool = False) -> bytes:
        """The columns of the newest version as a Table Schema, or in CSVW: JSON in UTF-8.

        It says what the data keeps to now: types, levels, what is never missing and never repeats.
        """
        from nachsicht.output.schema_export import csvw_of, encoded, table_schema_of

        newest = self._across.versions[-1]
        return encoded(csvw_of(newest) if csvw else table_schema_of(newest))

    def to_json_schema(self) -> bytes:
        """What a row keeps to now, as a JSON Schema (draft 2020-12) of it as an object."""
        from nachsicht.output.row_rules import json_schema_of
        from nachsicht.output.schema_export import encoded

        return encoded(json_schema_of(self._across.versions[-1]))

    def to_sql(self, table: str | None = None) -> str:
        """A ``CREATE TABLE`` with the types, keys and constraints that the data keeps to now.

        Parameters
        ----------
        table : str, optional
            Its name; by default the label of the newest version.
        """
        from nachsicht.output.row_rules import create_table

        newest = self._across.versions[-1]
        return create_table(newest, table or newest.label)

    def to_json(self) -> bytes:
        """The document, as JSON in UTF-8."""
        return encode(self.document)

    def write(self, path: str | PathLike[str]) -> Path:
        """Write the page, the summary or the document, by the suffix.

        ``.html`` is the page, ``.md`` the summary in Markdown, ``.json`` and ``.json.gz`` the
        document. ``.xml`` is a test report as JUnit writes it, and ``.sarif`` holds the findings as
        results of static analysis. ``.schema.json`` is a description of the columns as a Table
        Schema, and ``-metadata.json`` one in CSVW: by these names they are found beside the data.
        ``.jsonschema`` is a JSON Schema of a row, ``.sql`` a ``CREATE TABLE``, and
        ``.openlineage.json`` holds facets of OpenLineage.

        The file appears whole or not at all.

        Returns
        -------
        Path
            Where it was written.

        Raises
        ------
        OutputError
            If the suffix is another, the folder is not there, or the disk refuses.
        """
        from nachsicht.sources.schemas.discover import is_description

        target = Path(path)
        suffix = target.suffix.lower()
        if is_description(target):
            write_atomically(
                target, self.to_description(target.name.lower().endswith("-metadata.json"))
            )
        elif suffix in (".html", ".htm"):
            write_atomically(target, self.to_html().encode("utf-8"))
        elif suffix == ".md":
            write_atomically(target, self.to_markdown().encode("utf-8"))
        elif suffix == ".jsonschema":
            write_atomically(target, self.to_json_schema())
        elif suffix == ".sql":
            write_atomically(target, self.to_sql(target.stem).encode("utf-8"))
        elif suffix == ".xml":
            write_atomically(target, self.to_junit())
        elif suffix == ".sarif":
            write_atomically(target, self.to_sarif())
        elif target.name.lower().endswith(".openlineage.json"):
            write_atomically(target, self.to_openlineage())
        elif suffix == ".json":
            write_atomically(target, self.to_json())
        elif target.name.lower().endswith(".json.gz"):
            write_atomically(target, pack(self.to_json()))
        else:
            raise OutputError("unknown_suffix", where=str(target), value=suffix or "(none)")
        return target

    def __getstate__(self) -> dict[str, Any]:
        kept = {n: value for n, value in vars(self).items() if n not in ("_made", "_data")}
        return {**kept, "_made": self._across}  # the data itself stays here

    def __repr__(self) -> str:
        """The summary, or a line where nothing was computed yet: looking must not compute."""
        if isinstance(self._made, ComparisonDocument):
            return str(self)
        about = phrase("parts.not_computed")
        return printable(f"<{type(self).__name__} “{self.title}”, {about}>")

    def _repr_pretty_(self, printer: Any, cycle: bool) -> None:
        """What an interactive shell shows, where showing is asked for."""
        printer.text(str(self))

    def __str__(self) -> str:
        from nachsicht.output.terminal import summary_text

        with use_language(self._languages[0]):
            return summary_text(self._across)

    def _repr_html_(self) -> str:
        from nachsicht.output.html.page import notebook_frame

        return notebook_frame(self.to_html(), self._across, self._languages[0])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, type(self)) and self.document == other.document

    def __hash__(self) -> int:
        return hash(self.title)


class _Parts:
    """Stands for the document of versions whose parts are computed on demand."""

    def __init__(self, result: _Result, made: OnDemand) -> None:
        self._versions, self._result = made.versions, result

    @property
    def versions(self) -> Sequence[ProfileParts]:
        """The versions, in order."""
        return self._versions

    @property
    def components(self) -> Components | None:
        """Of one version its own; of several those of all of them together."""
        alone = len(self._versions) == 1
        return self._versions[0].components if alone else self._result._across.components

    @property
    def pca_scores(self) -> tuple[GridView | None, ...]:
        """The rows of several versions in the plane of the components."""
        return () if len(self._versions) == 1 else self._result._across.pca_scores

    @property
    def columns(self) -> tuple[ColumnComparison, ...]:
        """What only all versions together tell of the columns."""
        return self._result._across.columns


class Profile(_Result):
    """What was computed of one version. Made by `nachsicht.profile`.

    Where the data is in memory, parts are computed when they are asked for, and kept: the missing
    values cost no more than themselves. The page, the document and the findings need all of them.
    """

    @property
    def document(self) -> ProfileDocument:
        """Everything that was computed, as frozen values."""
        return self._across.versions[0]

    @property
    def label(self) -> str:
        """The version's label."""
        return self._parts.versions[0].label


class Comparison(_Result):
    """What was computed of two or more versions. Made by `nachsicht.compare`.

    Where the data is in memory, parts are computed when they are asked for, and kept: the missing
    values of all versions cost no more than themselves. The verdict, the findings, the page and the
    document need all of them.

    Attributes
    ----------
    moments : tuple of str
        What times the versions are of, in ISO 8601; empty where only their labels may say so.
    accepted : str, optional
        The file of accepted findings that was given.
    """

    moments: tuple[str, ...] = ()
    accepted: str | None = None
    _data: tuple[RetainedData | None, ...] = ()

    def _keep(self, data: tuple[RetainedData | None, ...]) -> None:
        self._data = data

    @property
    def rows(self) -> RowsPart:
        """All rows that the last two versions do not share: added, removed, and rewritten ones.

        Raises
        ------
        SettingsError
            If rows were not compared, or a version is not in memory.
        """
        from nachsicht.tables.changed_rows import RowsPart

        return RowsPart(self._across, self._data)

    @property
    def document(self) -> ComparisonDocument:
        """Everything that was computed, as frozen values."""
        return self._across

    @property
    def versions(self) -> tuple[Profile, ...]:
        """The profile of each version, in order."""
        from nachsicht.comparison.versions import compare_profiles

        made = (
            compare_profiles([version], version.title, settings_in(version))
            for version in self._across.versions
        )
        return tuple(Profile(document, self._languages) for document in made)

    def courses(self) -> HistoryReport:
        """What happened along the versions, each judged against all before it.

        Fewer than five versions show nothing, and groups have no order.

        Raises
        ------
        SettingsError
            If the comparison was made safe to share.
        """
        from nachsicht.comparison.courses.course import courses_of
        from nachsicht.comparison.courses.followed import followed_of
        from nachsicht.config.baseline_file import in_force, read_accepted
        from nachsicht.output.history_report import HistoryReport
        from nachsicht.pipeline.moment import moment_of_profile

        document = self._across
        if document.smallest_group:
            raise SettingsError("history_not_shared", where="courses")
        return HistoryReport(
            courses_of(
                [followed_of(version) for version in document.versions],
                in_force(read_accepted(self.accepted)),
            ),
            document.title,
            self.moments or [moment_of_profile(v).at.isoformat() for v in document.versions],
            self._languages,
            document.theme,
            list(document.current_findings),
        )

    def to_html(self) -> str:
        """The page, whole, as text: one file that needs no network.

        From five versions in time on it is the page of a history.
        """
        return self.courses().to_html() if self._across.is_history else super().to_html()


def _prepare_page() -> None:
    from nachsicht.output.html.page import prepare

    prepare()
