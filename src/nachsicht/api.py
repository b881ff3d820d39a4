"""What users call: `profile`, `compare`, `read` and what goes with them."""

from __future__ import annotations

from collections.abc import Sequence
from os import PathLike
from pathlib import Path
from typing import Any, Unpack

from nachsicht._util.progress import ProgressListener
from nachsicht.config.files import settings_from, settings_in
from nachsicht.config.options import Options
from nachsicht.config.settings import Settings
from nachsicht.errors import SettingsError
from nachsicht.i18n import DEFAULT
from nachsicht.model.codec import read_document
from nachsicht.model.findings import Severity
from nachsicht.model.plan import Plan
from nachsicht.model.profile import ProfileDocument
from nachsicht.results import Comparison, Profile


def profile(
    data: Any,
    *,
    label: str | None = None,
    settings: Settings | str | PathLike[str] | None = None,
    progress: ProgressListener | bool | None = None,
    **options: Unpack[Options],
) -> Profile:
    """Describe one version of a dataset.

    Parameters
    ----------
    data : path, frame or Arrow data
        A file or folder; a frame; any object with the Arrow PyCapsule interface (Polars,
        PyArrow, DuckDB …); a list of records, a dictionary of columns, or an array.
    label : str, optional
        What to call the version; by default the file's name.
    settings : Settings or path, optional
        Settings to start from, or the TOML file that holds them.
    progress : bool or callable, optional
        True shows a bar, in a notebook too, where the work takes more than a second; a
        callable is called with a `Progress` from time to time.
    **options
        Single settings by name, on top of ``settings``.

    Returns
    -------
    Profile

    Raises
    ------
    SourceError
        If the data cannot be read.
    SettingsError
        If a setting or the label is wrong.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa
    >>> page = nachsicht.profile(pa.table({"mites": [3, 4, None]}), label="may")
    >>> page.document.columns[0].missing
    1
    """
    from nachsicht.pipeline.run import run_profile

    chosen = settings_from(settings, options)
    made = run_profile(data, label, chosen, _listener(progress))
    # What is to be shared comes from the whole, which alone has been made safe.
    return Profile(made.whole() if chosen.share else made, chosen.language)


def _listener(progress: ProgressListener | bool | None) -> ProgressListener | None:
    if isinstance(progress, bool):
        from nachsicht._util.progress import ProgressBar

        return ProgressBar(quiet=not progress)
    return progress


def compare(
    old: Any,
    new: Any,
    *newer: Any,
    labels: Sequence[str] | None = None,
    settings: Settings | str | PathLike[str] | None = None,
    progress: ProgressListener | bool | None = None,
    **options: Unpack[Options],
) -> Comparison:
    """Tell what changed between two or more versions of a dataset, in order.

    Parameters
    ----------
    old, new, *newer : path, frame, Arrow data, Profile or path of a profile's document
        The versions, the oldest first.
    labels : sequence of str, optional
        What to call them; by default what tells their files' names apart.
    settings, progress, **options
        As for `profile`.

    Returns
    -------
    Comparison

    Raises
    ------
    SourceError
        If a version cannot be read.
    SettingsError
        If a setting is wrong, or labels are of another number or repeat.
    DocumentError
        If a document is damaged or newer than this package.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa
    >>> page = nachsicht.compare(pa.table({"n": [1, 2]}), pa.table({"n": [1, 2], "new": [0, 1]}))
    >>> [finding.code for finding in page.findings]
    ['added']
    """
    from nachsicht.pipeline.run import run_comparison

    chosen = settings_from(settings, options)
    made = run_comparison([old, new, *newer], labels, chosen, _listener(progress))
    found = Comparison(made.whole() if chosen.share else made, chosen.language)
    found.accepted = chosen.accepted
    return found


def compare_groups(
    data: Any,
    by: str,
    *,
    groups: Sequence[str] | None = None,
    split_at: object = None,
    settings: Settings | str | PathLike[str] | None = None,
    progress: ProgressListener | bool | None = None,
    **options: Unpack[Options],
) -> Comparison:
    """Tell what sets the groups of one dataset apart.

    Parameters
    ----------
    data : path, frame or Arrow data
        As for `profile`.
    by : str
        The column whose values are the groups.
    groups : sequence of two str, optional
        Two groups to compare with each other; by default each (of at most twelve, the
        largest) is compared with all other rows, unless there are but two.
    split_at : date, number, str or a sequence of these, optional
        Cut the rows at these values of a datetime or quantity column: those before, and those from
        each on, are compared one after the other, as versions are.
    settings, progress, **options
        As for `profile`.

    Returns
    -------
    Comparison

    Raises
    ------
    SourceError
        If the data cannot be read.
    SettingsError
        If there is no such column or group, or a setting is wrong.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa
    >>> hives = pa.table({"type": ["log", "box"] * 40, "frames": [4, 10] * 40})
    >>> page = nachsicht.compare_groups(hives, by="type")
    >>> sorted({finding.columns[0] for finding in page.findings})
    ['frames']
    """
    from nachsicht.pipeline.run_groups import run_groups

    if groups is not None and len(groups) != 2:
        raise SettingsError("not_two_groups", where="groups", n=len(groups))
    if groups is not None and split_at is not None:
        raise SettingsError("groups_and_cuts", where="groups, split_at")
    values = split_at if isinstance(split_at, list | tuple) else [split_at]
    cuts = tuple(str(value) for value in values if value is not None)
    chosen = settings_from(settings, options)
    listener = _listener(progress)
    made = run_groups(data, by, tuple(groups or ()), chosen, listener, cuts)
    return Comparison(made, chosen.language)


def plan(
    data: Any,
    *,
    settings: Settings | str | PathLike[str] | None = None,
    **options: Unpack[Options],
) -> Plan:
    """How `profile` would go about it: what is read, where it is computed, what will be exact.

    Nothing is computed. What has to be copied or unpacked to be opened is.

    Parameters
    ----------
    data, settings, **options
        As for `profile`.

    Returns
    -------
    Plan
        Its text says all; the facts are its attributes.

    Raises
    ------
    SourceError, SettingsError
        As `profile`.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa
    >>> nachsicht.plan(pa.table({"mites": [2, 3]})).exact
    True
    """
    from nachsicht.pipeline.run import plan_run

    return plan_run(data, settings_from(settings, options))


def assert_steady(
    old: Any,
    new: Any,
    *,
    stop_on: str = "check",
    settings: Settings | str | PathLike[str] | None = None,
    **options: Unpack[Options],
) -> Comparison:
    """For tests of data: fail if a new version differs from the old one in a way that matters.

    Parameters
    ----------
    old, new, settings, **options
        As for `compare`.
    stop_on : str
        ``check`` fails for open findings of that severity or a higher one, ``act`` only for
        the highest.

    Returns
    -------
    Comparison
        What was compared, where nothing stands against the new version.

    Raises
    ------
    AssertionError
        If there are such findings; it tells them.
    SourceError, SettingsError, DocumentError
        As `compare`.

    Examples
    --------
    >>> import nachsicht, pyarrow as pa
    >>> before = pa.table({"mites": [2, 3, 4, 5] * 50})
    >>> nachsicht.assert_steady(before, before).findings
    No findings.
    """
    __tracebackhide__ = True
    if stop_on not in ("check", "act"):
        raise SettingsError("unknown_severity", where="stop_on", stop_on=stop_on)
    made = compare(old, new, settings=settings, **options)
    grave = [f for f in made.findings if f.accepted is None and f.severity.rank <= _rank(stop_on)]
    if grave:
        listed = "\n".join(
            f"  {f.severity}: {f.title} {', '.join(f.columns)}\n    {f.sentence}" for f in grave
        )
        raise AssertionError(f"{made.verdict}\n{listed}")
    return made


def _rank(severity: str) -> int:
    return Severity(severity).rank


def read(
    path: str | PathLike[str], *, language: str | Sequence[str] = DEFAULT
) -> Profile | Comparison:
    """Read a document that `write` made.

    Parameters
    ----------
    path : path
        Of the document, compressed or not.
    language : str or sequence of str
        Of its texts from now on; a page holds all of several.

    Raises
    ------
    DocumentError
        If the file is no document, is damaged, or comes from a newer format.
    """
    from nachsicht.comparison.versions import compare_profiles

    languages = settings_from(None, {"language": language}).language
    document = read_document(Path(path))
    if isinstance(document, ProfileDocument):
        made = compare_profiles([document], document.title, settings_in(document))
        return Profile(made, languages)
    return Comparison(document, languages)
