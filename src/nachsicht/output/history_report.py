"""What a history shows: the course of every column, as a page, in Markdown, or as a table."""

from __future__ import annotations

from collections.abc import Sequence
from os import PathLike
from pathlib import Path

from nachsicht._util.atomic_write import write_atomically
from nachsicht.comparison.courses.course import Courses
from nachsicht.errors import OutputError
from nachsicht.i18n import use_language
from nachsicht.model.findings import Finding
from nachsicht.model.theme import Theme
from nachsicht.tables.courses import CoursesPart


class HistoryReport(CoursesPart):
    """What happened along a history.

    Parameters
    ----------
    found : Courses
        What happened, and the course of every column.
    title : str
        Of the page and the summary.
    moments : sequence of str
        Of the versions, in ISO 8601.
    languages : sequence of str
        In which the page is written; the first is that of the summary too.
    theme : Theme, optional
        The house's colours and logo.
    step : sequence of Finding
        Of the newest version, and what changed from the one before it, where that is known.
    """

    def __init__(
        self,
        found: Courses,
        title: str,
        moments: Sequence[str],
        languages: Sequence[str],
        theme: Theme | None = None,
        step: Sequence[Finding] = (),
    ) -> None:
        super().__init__(found)
        self.heading, self._moments, self.languages = title, tuple(moments), tuple(languages)
        self._theme, self._step = theme, tuple(step)

    def to_html(self) -> str:
        """The page, whole, as text: one file that needs no network."""
        from nachsicht.output.html.page import rendered_page
        from nachsicht.output.html.payload.history import history_payload

        logo = self._theme.logo if self._theme else None
        return rendered_page(
            "history",
            lambda: history_payload(self, self.heading, self._moments, logo, self._step),
            self.languages,
            self._theme,
        )

    def to_markdown(self) -> str:
        """The summary in Markdown, fit for a merge request: at most 40 lines."""
        from nachsicht.output.markdown import history_markdown

        with use_language(self.languages[0]):
            return history_markdown(self, self.heading)

    def write(self, path: str | PathLike[str]) -> Path:
        """Write the page (``.html``) or the summary (``.md``); it appears whole or not at all.

        Returns
        -------
        Path
            Where it was written.

        Raises
        ------
        OutputError
            If the suffix is another, the folder is not there, or the disk refuses.
        """
        target = Path(path)
        suffix = target.suffix.lower()
        if suffix in (".html", ".htm"):
            write_atomically(target, self.to_html().encode("utf-8"))
        elif suffix == ".md":
            write_atomically(target, self.to_markdown().encode("utf-8"))
        else:
            raise OutputError("unknown_suffix", where=str(target), value=suffix or "(none)")
        return target
