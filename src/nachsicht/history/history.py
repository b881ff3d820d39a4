"""What users call for a history: record a version, compare with those before, read them all."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, datetime
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack

from nachsicht.api import compare, profile
from nachsicht.config.files import settings_from
from nachsicht.config.options import Options
from nachsicht.config.settings import Settings
from nachsicht.config.theme import theme_of
from nachsicht.errors import SettingsError
from nachsicht.history.store import (
    RecordedVersion,
    add,
    check_label,
    document_of,
    followed_in,
    versions_in,
)
from nachsicht.i18n import phrase, use_language
from nachsicht.pipeline.moment import moment_of, moment_of_profile
from nachsicht.results import Comparison, Profile

if TYPE_CHECKING:
    from nachsicht.output.history_report import HistoryReport


class History:
    """Profiles of one dataset in a folder: a version each, in the order of their moments.

    Parameters
    ----------
    folder : path
        Of the history. It is made with the first version that is recorded.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa, tempfile
    >>> history = nachsicht.History(tempfile.mkdtemp())
    >>> for week, weights in (("2025-W20", [31, 40]), ("2025-W21", [33, 39])):
    ...     _ = history.record(pa.table({"weight": weights}), label=week)
    >>> [version.label for version in history]
    ['2025-W20', '2025-W21']
    """

    def __init__(self, folder: str | PathLike[str]) -> None:
        self.folder = Path(folder)

    def __repr__(self) -> str:
        return f"History({str(self.folder)!r})"

    def __len__(self) -> int:
        return len(self.versions)

    def __iter__(self) -> Iterator[RecordedVersion]:
        return iter(self.versions)

    @property
    def versions(self) -> tuple[RecordedVersion, ...]:
        """What is recorded, in the order of its moments.

        Raises
        ------
        DocumentError
            If the index is damaged, or of a newer format.
        """
        return versions_in(self.folder)

    def record(
        self,
        data: Any,
        *,
        label: str | None = None,
        moment: datetime | date | str | None = None,
        settings: Settings | str | PathLike[str] | None = None,
        progress: Any = None,
        **options: Unpack[Options],
    ) -> RecordedVersion:
        """Profile a version and add its document. No document of another version is read.

        Parameters
        ----------
        data : path, frame, Arrow data, Profile or path of a profile's document
            As for `compare`.
        label : str, optional
            What to call the version; by default the file's name.
        moment : datetime, date or str, optional
            When the version is of; by default the date, week or month in its label, or that of its
            commit, table snapshot or time axis, or else now.
        settings, progress, **options
            As for `profile`.

        Raises
        ------
        SettingsError
            If a version of this label is recorded already, or the moment is no date.
        SourceError
            If the data cannot be read.
        OutputError
            If the folder cannot be written to.
        """
        _refuse_share(settings_from(settings, options))
        if label is not None:
            check_label(self.folder, label)
        if moment is not None:
            moment_of(moment, "", "")  # what is wrong with it is said before long work
        made = profile(data, label=label, settings=settings, progress=progress, **options)
        check_label(self.folder, made.label)
        document = made.document
        return add(self.folder, document, moment_of_profile(document, moment))

    def profiles(self, last: int | None = None) -> tuple[Profile, ...]:
        """The profiles of all versions, or of the last few.

        Raises
        ------
        DocumentError
            If a document is gone, damaged, or was changed since it was recorded.
        """
        from nachsicht.comparison.versions import compare_profiles
        from nachsicht.config.files import settings_in

        documents = [document_of(self.folder, version) for version in self._last(last)]
        return tuple(
            Profile(compare_profiles([each], each.title, settings_in(each))) for each in documents
        )

    def compare(
        self,
        new: Any = None,
        *,
        label: str | None = None,
        last: int | None = None,
        settings: Settings | str | PathLike[str] | None = None,
        progress: Any = None,
        **options: Unpack[Options],
    ) -> Comparison:
        """Compare the recorded versions, and a new one after them, each with the one before.

        Parameters
        ----------
        new : as ``data`` of `record`, optional
            A version that is not recorded.
        label : str, optional
            What to call it; by default the file's name.
        last : int, optional
            Take only so many of the recorded versions, the last ones.
        settings, progress, **options
            As for `profile`.

        Raises
        ------
        SettingsError
            If there are fewer than two versions, or a label is there twice.
        """
        chosen = self._last(last)
        versions: list[Any] = [document_of(self.folder, version) for version in chosen]
        labels = [version.label for version in chosen]
        if new is not None:
            versions.append(new)
            labels.append(label or _label_of(new))
        if len(versions) < 2:
            raise SettingsError("too_few_recorded", where=str(self.folder), n=len(chosen))
        made = compare(*versions, labels=labels, settings=settings, progress=progress, **options)
        moments = [version.moment for version in chosen]
        if new is not None:
            moments.append(moment_of(None, labels[-1], datetime.now().isoformat()).at.isoformat())
        made.moments = tuple(moments)
        return made

    def courses(
        self,
        last: int | None = None,
        *,
        new: Profile | None = None,
        settings: Settings | str | PathLike[str] | None = None,
        **options: Unpack[Options],
    ) -> HistoryReport:
        """What happened along the versions: columns that jumped, drifted, or had a bad version.

        Each number of a column (its median, its missing share, the share of a level …) is judged
        against its own past, with the noise that it had; a season is found and allowed for. One
        correction is made over all of them. Fewer than five versions show nothing.

        Parameters
        ----------
        last : int, optional
            Look at only so many of the versions, the last ones.
        new : Profile, optional
            A version that is not recorded, behind them.
        settings, **options
            As for `profile`; language, title and theme are those of the page, and ``accepted`` is
            the file of what is accepted and does not count.

        Raises
        ------
        SettingsError
            If nothing is recorded.
        """
        from nachsicht.comparison.courses.course import courses_of
        from nachsicht.comparison.courses.followed import followed_of
        from nachsicht.config.baseline_file import in_force, read_accepted
        from nachsicht.output.history_report import HistoryReport

        given = settings_from(settings, options)
        _refuse_share(given)
        versions = self._last(last)
        followed = [followed_in(self.folder, version) for version in versions]
        moments = [version.moment for version in versions]
        if new is not None:
            followed.append(followed_of(new.document))
            moments.append(moment_of_profile(new.document).at.isoformat())
        if not followed:
            raise SettingsError("too_few_recorded", where=str(self.folder), n=0)
        with use_language(given.language[0]):
            usual = phrase("courses.title", name=self.folder.resolve().name, n=len(followed))
        theme = theme_of(given.theme)
        return HistoryReport(
            courses_of(followed, in_force(read_accepted(given.accepted))),
            given.title or usual,
            moments,
            given.language,
            theme,
        )

    def to_frame(self, library: str = "pandas") -> Any:
        """A row for every column of every version: what its summary says, and the moment.

        Parameters
        ----------
        library : str
            ``pandas``, ``polars``, or ``arrow`` for a PyArrow table.
        """
        from nachsicht.tables.base import frame_of
        from nachsicht.tables.columns import summary_of

        found: list[dict[str, Sequence[Any]]] = []
        for version in self.versions:
            lines = summary_of(document_of(self.folder, version).columns)
            n = len(lines["column"])
            moments = [datetime.fromisoformat(version.moment)] * n
            found.append({"version": [version.label] * n, "moment": moments, **lines})
        names = dict.fromkeys(name for lines in found for name in lines)
        whole = {
            name: [
                value
                for lines in found
                for value in lines.get(name, [None] * len(lines["version"]))
            ]
            for name in names
        }
        return frame_of(whole, library)

    def _last(self, last: int | None) -> tuple[RecordedVersion, ...]:
        if last is not None and last < 1:
            raise SettingsError("too_few_last", where="last", n=last)
        return self.versions[-last:] if last else self.versions


def _refuse_share(settings: Settings) -> None:
    """Courses are made of medians and quantiles, which are single values."""
    if settings.share:
        raise SettingsError("history_not_shared", where="share")


def _label_of(data: Any) -> str:
    """What a version calls itself: the name of its file, where it has one."""
    label = getattr(data, "label", None)
    if isinstance(label, str):
        return label
    return Path(data).stem if isinstance(data, str | PathLike) else phrase("labels.new")
