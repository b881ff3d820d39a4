"""The one place that ties sources, engine, computation and findings together."""

from __future__ import annotations

import os
import platform
import time
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from nachsicht.compute.changes.across import compare_profiles
from nachsicht.compute.tables import put_together
from nachsicht.contracts import ProgressListener, Source, ignore_progress
from nachsicht.errors import DocumentError
from nachsicht.labels import labels_for, title_for
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.documents import could_be_document, read_document
from nachsicht.model.profile import Origin, ProfileDocument
from nachsicht.settings import Settings
from nachsicht.sources import source_of
from nachsicht.version import VERSION


def run_profile(
    data: object, label: str | None, settings: Settings, listener: ProgressListener | None = None
) -> ComparisonDocument:
    """Profile one version; the result is a comparison of one."""
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
    ready = [_ready(version) for version in data]
    sources = [
        None if done else source_of(version, settings.reading)
        for version, done in zip(data, ready, strict=True)
    ]
    names = [
        done.label if done else source.label if source else ""
        for done, source in zip(ready, sources, strict=True)
    ]
    chosen = labels_for(names, labels)
    profiles = [
        _relabelled(done, label)
        if done
        else _profile(source, label, settings, listener or ignore_progress)
        for done, source, label in zip(ready, sources, chosen, strict=True)
    ]
    title = settings.title or (
        profiles[0].title if len(profiles) == 1 else title_for(names, chosen)
    )
    return compare_profiles(profiles, title, settings)


def _profile(
    source: Source | None, label: str, settings: Settings, listener: ProgressListener
) -> ProfileDocument:
    from nachsicht.engines.local import run_local

    assert source is not None
    started = time.perf_counter()
    opened = source.open()
    now = int(_now().timestamp() * 1e6)
    rows, columns, repeats, gaps = run_local(opened, settings, listener, now)
    facts = opened.facts
    origin = Origin(
        source=facts.name,
        format=facts.format,
        source_bytes=facts.size_bytes,
        notes=tuple(facts.notes),
        unread_lines=facts.unread_lines,
        made_at=_now().isoformat(timespec="seconds"),
        seconds=_seconds_since(started),
        nachsicht_version=VERSION,
        python_version=platform.python_version(),
    )
    title = title_for([source.label], [label])
    return put_together(label, title, columns, rows, repeats, gaps, origin, settings)


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
    import msgspec

    if profile.label == label:
        return profile
    findings = tuple(
        msgspec.structs.replace(finding, versions=(label,)) for finding in profile.findings
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
