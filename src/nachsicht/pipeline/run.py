"""The one place that ties sources, engine, computation and findings together.

What computes takes a third of a second to be imported. Data is read meanwhile, so nothing of
that is imported here before it is needed.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from nachsicht._util.background import run_in_background
from nachsicht._util.progress import ProgressListener
from nachsicht.config.baseline_file import read_accepted
from nachsicht.config.settings import Settings, as_described, settings_by_version
from nachsicht.config.theme import theme_of
from nachsicht.errors import DocumentError
from nachsicht.i18n import catalogue
from nachsicht.model.codec import could_be_document, read_document
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.plan import Plan
from nachsicht.model.profile import ProfileDocument
from nachsicht.pipeline.labels import labels_for, title_for
from nachsicht.pipeline.open import Held, held
from nachsicht.sources import source_of

if TYPE_CHECKING:
    from nachsicht.comparison.context import Version
    from nachsicht.pipeline.lazy_comparison import OnDemand
    from nachsicht.pipeline.lazy_version import VersionOnDemand
    from nachsicht.sources.protocol import Source


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
    # What is wrong with these is reported before long work.
    theme, accepted = theme_of(settings.theme), read_accepted(settings.accepted)
    ready = [_ready(version) for version in data]
    own_settings = settings_by_version(settings, len(data))
    sources = [
        None if done else source_of(version, own.reading)
        for version, done, own in zip(data, ready, own_settings, strict=True)
    ]
    names = [
        done.label if done else _name(source, settings, own)
        for done, source, own in zip(ready, sources, own_settings, strict=True)
    ]
    chosen = labels_for(names, labels or settings.labels or None)
    # These import parts of each other in circles, which two threads must not begin at a time.
    import_module("pyarrow")
    run_in_background(_prepare)
    opened = [
        held(source, own) if source else None
        for source, own in zip(sources, own_settings, strict=True)
    ]
    versions: list[VersionOnDemand | ProfileDocument] = []
    elsewhere: dict[int, Version] = {}
    told = zip(ready, names, opened, chosen, own_settings, strict=True)
    for done, name, read, label, of_version in told:
        if done is not None:
            versions.append(_relabelled(done, label))
        elif read is not None:
            title = title_for([name], [label])
            own, kept = _version(read, label, title, of_version, listener)
            if kept is not None:
                elsewhere[len(versions)] = kept
            versions.append(own)
    from nachsicht.pipeline.lazy_comparison import OnDemand

    title = settings.title or (
        versions[0].title if len(versions) == 1 else title_for(names, chosen)
    )
    return OnDemand(versions, title, settings, theme, accepted, elsewhere)


def _name(source: Source | None, settings: Settings, own: Settings) -> str:
    """What a source calls itself; of sheets of one workbook, what tells them apart."""
    sheet = own.reading.sheet if settings.reading_by_version else None
    return sheet or (source.label if source else "")


def _prepare() -> None:
    """Load what computes and tells, and look for the libraries that have threads of their own."""
    import_module("nachsicht.pipeline.lazy_comparison")
    from nachsicht._util.blas_threads import libraries

    libraries()
    catalogue()


def _version(
    read: Held, label: str, title: str, settings: Settings, listener: ProgressListener | None
) -> tuple[VersionOnDemand | ProfileDocument, Version | None]:
    """A version, and with it what gives its rows again where they are not in memory."""
    from nachsicht.pipeline.lazy_version import VersionOnDemand, version_of

    if read.table is not None:
        return VersionOnDemand(read, label, title, settings, listener), None
    made = version_of(read.opened, label, title, settings, listener)
    return made.profile, made


def plan_run(data: object, settings: Settings) -> Plan:
    """What computing a profile of the data would take."""
    from nachsicht.engines.plan import plan_of

    opened = source_of(data, settings.reading).open()
    return plan_of(opened, as_described(settings, opened.description))


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
            raise DocumentError("comparison_for_profile", where=str(path))
    return None


def _relabelled(profile: ProfileDocument, label: str) -> ProfileDocument:
    if profile.label == label:
        return profile
    findings = tuple(
        msgspec.structs.replace(
            finding,
            versions=(label,),
            example_rows=tuple(
                msgspec.structs.replace(rows, version=label) for rows in finding.example_rows
            ),
        )
        for finding in profile.findings
    )
    return msgspec.structs.replace(profile, label=label, title=label, findings=findings)
