"""The one place that ties sources, engine, computation and findings together."""

from __future__ import annotations

import os
import platform
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import msgspec

from nachsicht.accepted import read_accepted
from nachsicht.compute.arrays import taken
from nachsicht.compute.at_hand import AtHand
from nachsicht.compute.changes.across import alone, compare_versions, compare_with_rest
from nachsicht.compute.changes.change import Version
from nachsicht.compute.clean import prepared
from nachsicht.compute.computed import Computed
from nachsicht.compute.findings.shown import Shower, with_rows
from nachsicht.compute.groups import groups_in, slices_at, slices_in
from nachsicht.compute.tables import put_together
from nachsicht.contracts import Opened, ProgressListener, ignore_progress
from nachsicht.errors import DocumentError, SettingsError
from nachsicht.labels import labels_for, title_for
from nachsicht.model.column import ColumnSummary
from nachsicht.model.comparison import ColumnAcross, ComparisonDocument
from nachsicht.model.description import Description
from nachsicht.model.documents import could_be_document, read_document
from nachsicht.model.kinds import Kind
from nachsicht.model.plan import Plan
from nachsicht.model.profile import Origin, ProfileDocument
from nachsicht.model.theme import Theme
from nachsicht.settings import Settings, as_described, check_name, settings_text
from nachsicht.sources import source_of
from nachsicht.sources.frames import detached
from nachsicht.themes import theme_of
from nachsicht.version import VERSION
from nachsicht.words import phrase

#: What the work can be about.
_OUTCOMES = (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.EMPTY)


def run_profile(
    data: object, label: str | None, settings: Settings, listener: ProgressListener | None = None
) -> ComparisonDocument | OnDemand:
    """Profile one version: as parts on demand where the data is in memory, else at once.

    The whole is a comparison of one version.
    """
    from nachsicht.engines.local import fits

    if _ready(data) is None:
        source = source_of(data, settings.reading)
        opened = source.open()
        if fits(opened, settings):
            (chosen,) = labels_for([source.label], [label] if label else (settings.labels or None))
            return OnDemand(opened, chosen, title_for([source.label], [chosen]), settings, listener)
    return run_comparison([data], [label] if label else None, settings, listener)


def run_comparison(
    data: Sequence[object],
    labels: Sequence[str] | None,
    settings: Settings,
    listener: ProgressListener | None = None,
) -> ComparisonDocument:
    """Profile every version and compare each with the one before.

    Documents of profiles, and profiles that were computed before, are taken as they are.
    """
    theme = theme_of(settings.theme)
    ready = [_ready(version) for version in data]
    sources = [
        None if done else source_of(version, settings.reading)
        for version, done in zip(data, ready, strict=True)
    ]
    names = [
        done.label if done else source.label if source else ""
        for done, source in zip(ready, sources, strict=True)
    ]
    chosen = labels_for(names, labels or settings.labels or None)
    versions = []
    for done, source, label in zip(ready, sources, chosen, strict=True):
        if done is not None:
            versions.append(Version(_relabelled(done, label)))
        elif source is not None:
            title = title_for([source.label], [label])
            versions.append(_version(source.open, label, title, settings, listener))
    _check_columns([version.profile for version in versions], settings)
    profiles = [version.profile for version in versions]
    title = settings.title or (
        profiles[0].title if len(profiles) == 1 else title_for(names, chosen)
    )
    accepted = read_accepted(settings.accepted)
    settings = _with_key(settings, profiles)
    with _threads(settings) as spread:
        return _themed(compare_versions(versions, title, settings, accepted, spread), theme)


def _with_key(settings: Settings, profiles: Sequence[ProfileDocument]) -> Settings:
    """The settings with the key that the newest version's description names, if all have it."""
    described = profiles[-1].description
    key = described.key if described else ()
    if settings.key or not key or not all({*key} <= {*p.names} for p in profiles):
        return settings
    return msgspec.structs.replace(settings, key=key)


def plan_run(data: object, settings: Settings) -> Plan:
    """What computing a profile of the data would take."""
    from nachsicht.engines.planning import plan_of

    opened = source_of(data, settings.reading).open()
    return plan_of(opened, as_described(settings, opened.description))


def run_groups(
    data: object,
    by: str,
    names: Sequence[str],
    settings: Settings,
    listener: ProgressListener | None = None,
    cuts: Sequence[str] = (),
) -> ComparisonDocument:
    """Compare the groups of one dataset: two that are named, or each with all the others.

    By a moment column, its months or years are compared one after the other, as versions are.
    """
    theme = theme_of(settings.theme)
    source = source_of(data, settings.reading)
    opened = source.open()
    settings = as_described(settings, opened.description)
    table = prepared(opened.table(), settings)
    slices = slices_at(table, by, cuts) if cuts else None if names else slices_in(table, by)
    groups = slices or groups_in(table, by, names)
    facts = opened.facts
    # The column that made the groups would only say that they are groups; and what was
    # prepared once is not prepared again.
    kept = [i for i, name in enumerate(table.schema.names) if name != by]
    table = table.select(kept)
    settings = msgspec.structs.replace(
        settings, omit=(), mask=(), missing_marks=(), missing_marks_in={}
    )

    def version(rows: Any, label: str) -> Version:
        part = Opened(facts, rows.nbytes, lambda: rows, lambda: iter(()))
        enough = max(4 * rows.nbytes, 1 << 30)  # what is in memory already is not streamed
        roomy = msgspec.structs.replace(settings, memory_bytes=enough, engine="local")
        return _version(lambda: part, label, label, roomy, listener)

    words = "verdict.slices_title" if slices else "verdict.groups_title"
    title = settings.title or phrase(words, by=by)
    accepted = read_accepted(settings.accepted)
    versions = [version(taken(table, group.rows), group.label) for group in groups]
    _check_columns([version.profile for version in versions], settings)
    with _threads(settings) as spread:
        if slices:
            found = compare_versions(versions, title, settings, accepted, spread, sliced_by=by)
            return _themed(found, theme)
        if len(names) == 2:
            found = compare_versions(versions, title, settings, accepted, spread, by)
            return _themed(found, theme)
        rests = [version(taken(table, group.others), phrase("verdict.rest")) for group in groups]
        found = compare_with_rest(versions, rests, by, title, settings, accepted, spread)
        return _themed(found, theme)


def _themed(document: ComparisonDocument, theme: Theme | None) -> ComparisonDocument:
    return msgspec.structs.replace(document, theme=theme) if theme else document


@contextmanager
def _threads(settings: Settings) -> Iterator[Callable[..., Iterable[Any]]]:
    """What applies a function to many things, on as many threads as the settings say."""
    with ThreadPoolExecutor(settings.threads or os.cpu_count() or 1) as pool:
        yield pool.map


def _version(
    open_source: Callable[[], Opened],
    label: str,
    title: str,
    settings: Settings,
    listener: ProgressListener | None,
) -> Version:
    from nachsicht.engines import run_engine

    started = time.perf_counter()
    opened = open_source()
    own = as_described(settings, opened.description)
    now = int(_now().timestamp() * 1e6)
    computed, at_hand = run_engine(opened, own, listener or ignore_progress, now)
    origin = _origin(opened, settings, _seconds_since(started))
    return _put_together(label, title, computed, at_hand, origin, own, opened.description)


def _origin(opened: Opened, settings: Settings, seconds: float) -> Origin:
    facts = opened.facts
    return Origin(
        source=facts.name,
        format=facts.format,
        source_bytes=facts.size_bytes,
        notes=tuple(facts.notes),
        unread_lines=facts.unread_lines,
        settings=settings_text(settings),
        made_at=_now().isoformat(timespec="seconds"),
        seconds=seconds,
        nachsicht_version=VERSION,
        python_version=platform.python_version(),
    )


def _put_together(
    label: str,
    title: str,
    computed: Computed,
    at_hand: AtHand | None,
    origin: Origin,
    settings: Settings,
    description: Description | None,
) -> Version:
    profile = put_together(label, title, computed, origin, settings, description)
    if at_hand is not None:
        shower = Shower(label, at_hand.table, profile.columns)
        findings = with_rows(profile.findings, shower)
        profile = msgspec.structs.replace(profile, findings=findings)
    return Version(profile, at_hand)


class OnDemand:
    """A version in memory whose parts are computed when they are asked for.

    It has the names of a `ProfileDocument`, as far as parts need them.
    """

    def __init__(
        self,
        opened: Opened,
        label: str,
        title: str,
        settings: Settings,
        listener: ProgressListener | None,
    ) -> None:
        from nachsicht.engines.in_memory import InMemory

        started = time.perf_counter()
        self.label, self._title, self._settings = label, title, settings
        self._theme, self._accepted = theme_of(settings.theme), read_accepted(settings.accepted)
        self._opened, own = opened, as_described(settings, opened.description)
        # What is computed later must not see what was changed in between.
        table = opened.table()
        table = prepared(detached(table) if opened.facts.format == "pandas" else table, own)
        now = int(_now().timestamp() * 1e6)
        listener = listener or ignore_progress
        self._own = InMemory(table, own, now, listener, opened.description)
        self._seconds = _seconds_since(started)
        _check_columns([self], settings)

    def __getattr__(self, name: str) -> Any:
        """A part, by the name that documents give it."""
        if name.startswith("_"):
            raise AttributeError(name)
        return getattr(self._own, name)

    @property
    def names(self) -> Sequence[str]:
        """Of the columns."""
        return self._own.names

    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None; no other is computed."""
        return self._own.column(self.names.index(name)) if name in self.names else None

    def whole(self) -> ComparisonDocument:
        """Everything, as the document of a comparison of one version."""
        started, settings = time.perf_counter(), self._settings
        computed = self._own.computed
        origin = _origin(self._opened, settings, 0.0)
        seconds = round(self._seconds + _seconds_since(started), 3)
        origin = msgspec.structs.replace(origin, seconds=seconds)
        at_hand = self._own.at_hand
        version = _put_together(
            self.label, self._title, computed, at_hand, origin, settings, self._opened.description
        )
        title = settings.title or self._title
        with _threads(settings) as spread:
            made = compare_versions([version], title, settings, self._accepted, spread)
        return _themed(made, self._theme)

    def one_column(self, name: str) -> ColumnAcross | None:
        """A column as a comparison tells of it; no other is computed."""
        summary = self.column(name)
        return alone(summary, self._settings) if summary else None


def _check_columns(versions: Sequence[ProfileDocument | OnDemand], settings: Settings) -> None:
    """Refuse settings that name a column which no version has.

    Raises
    ------
    SettingsError
        With the nearest name that there is.
    """
    names = [name for version in versions for name in version.names]
    for version in versions:
        outcome = settings.outcome and version.column(settings.outcome)
        if outcome and outcome.kind not in _OUTCOMES:
            raise SettingsError(
                f"{outcome.name} cannot be the outcome, since it is of the kind {outcome.kind}",
                where="outcome",
                todo="Name a quantity, a category or a flag.",
            )
        moment = settings.moment and version.column(settings.moment)
        if moment and moment.kind not in (Kind.MOMENT, Kind.EMPTY):
            raise SettingsError(
                f"{moment.name} cannot be the moment, since it is of the kind {moment.kind}",
                where="moment",
                todo="Name a column of dates or times.",
            )
    named = [("kinds", name) for name in settings.kinds]
    named += [("missing_marks_in", name) for name in settings.missing_marks_in]
    named += [("outcome", settings.outcome)] if settings.outcome else []
    named += [("repeats_in", name) for name in settings.repeats_in]
    named += [("moment", settings.moment)] if settings.moment else []
    named += [("key", name) for name in settings.key]
    for setting, name in named:
        if name not in names:
            try:
                check_name(name, names, setting)
            except SettingsError as error:
                raise SettingsError(
                    f"there is no column {name}", where=setting, todo=error.todo
                ) from None


def _ready(version: object) -> ProfileDocument | None:
    """A profile that needs no computing: the result of a former call, or its document."""
    document = getattr(version, "document", version)
    if isinstance(document, ComparisonDocument) and len(document.versions) == 1:
        document = document.versions[0]
    if isinstance(document, ProfileDocument):
        return document
    if isinstance(version, str | os.PathLike):
        path = Path(version)
        if could_be_document(path):
            read = read_document(path)
            if isinstance(read, ProfileDocument):
                return read
            raise DocumentError(
                "this is the document of a comparison, not of a profile",
                where=str(path),
                todo="Give the documents of the profiles that it was made from.",
            )
    return None


def _relabelled(profile: ProfileDocument, label: str) -> ProfileDocument:
    if profile.label == label:
        return profile
    findings = tuple(
        msgspec.structs.replace(
            finding,
            versions=(label,),
            shown=tuple(msgspec.structs.replace(rows, version=label) for rows in finding.shown),
        )
        for finding in profile.findings
    )
    return msgspec.structs.replace(profile, label=label, title=label, findings=findings)


def _seconds_since(started: float) -> float:
    """Seconds of work; 0 where results shall be made again to the byte."""
    fixed = "SOURCE_DATE_EPOCH" in os.environ
    return 0.0 if fixed else round(time.perf_counter() - started, 3)


def _now() -> datetime:
    """The time of now, or that of SOURCE_DATE_EPOCH for results that can be made again."""
    fixed = os.environ.get("SOURCE_DATE_EPOCH")
    return datetime.fromtimestamp(int(fixed), UTC) if fixed else datetime.now(UTC)
