"""The one place that ties sources, engine, computation and findings together."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from nachsicht._check_columns import check_columns
from nachsicht._on_demand import OnDemand, themed, threads
from nachsicht._versions import VersionOnDemand, version_of
from nachsicht.accepted import read_accepted
from nachsicht.compute.arrays import taken
from nachsicht.compute.changes.across import compare_versions, compare_with_rest
from nachsicht.compute.changes.change import Version
from nachsicht.compute.clean import prepared
from nachsicht.compute.groups import groups_in, slices_at, slices_in
from nachsicht.contracts import Opened, ProgressListener
from nachsicht.errors import DocumentError
from nachsicht.labels import labels_for, title_for
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.documents import could_be_document, read_document
from nachsicht.model.kinds import Kind
from nachsicht.model.plan import Plan
from nachsicht.model.profile import ProfileDocument
from nachsicht.settings import Settings, as_described
from nachsicht.sources import source_of
from nachsicht.themes import theme_of
from nachsicht.words import phrase

#: What the work can be about.
_OUTCOMES = (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.EMPTY)


def run_profile(
    data: object, label: str | None, settings: Settings, listener: ProgressListener | None = None
) -> OnDemand:
    """Profile one version: a comparison of one."""
    return run_comparison([data], [label] if label else None, settings, listener)


def run_comparison(
    data: Sequence[object],
    labels: Sequence[str] | None,
    settings: Settings,
    listener: ProgressListener | None = None,
) -> OnDemand:
    """Profile every version and compare each with the one before.

    Versions in memory are computed when something is asked of them, others at once. Documents
    of profiles, and profiles that were computed before, are taken as they are.
    """
    # What is wrong with these is told before long work.
    theme, accepted = theme_of(settings.theme), read_accepted(settings.accepted)
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
    versions: list[VersionOnDemand | ProfileDocument] = []
    for done, source, label in zip(ready, sources, chosen, strict=True):
        if done is not None:
            versions.append(_relabelled(done, label))
        elif source is not None:
            title = title_for([source.label], [label])
            versions.append(_version(source.open(), label, title, settings, listener))
    title = settings.title or (
        versions[0].title if len(versions) == 1 else title_for(names, chosen)
    )
    return OnDemand(versions, title, settings, theme, accepted)


def _version(
    opened: Opened, label: str, title: str, settings: Settings, listener: ProgressListener | None
) -> VersionOnDemand | ProfileDocument:
    from nachsicht.engines.local import fits

    if fits(opened, settings):
        return VersionOnDemand(opened, label, title, settings, listener)
    return version_of(lambda: opened, label, title, settings, listener).profile


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
        return version_of(lambda: part, label, label, roomy, listener)

    words = "verdict.slices_title" if slices else "verdict.groups_title"
    title = settings.title or phrase(words, by=by)
    accepted = read_accepted(settings.accepted)
    versions = [version(taken(table, group.rows), group.label) for group in groups]
    check_columns([version.profile for version in versions], settings)
    with threads(settings) as spread:
        if slices:
            found = compare_versions(versions, title, settings, accepted, spread, sliced_by=by)
            return themed(found, theme)
        if len(names) == 2:
            found = compare_versions(versions, title, settings, accepted, spread, by)
            return themed(found, theme)
        rests = [version(taken(table, group.others), phrase("verdict.rest")) for group in groups]
        found = compare_with_rest(versions, rests, by, title, settings, accepted, spread)
        return themed(found, theme)


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
