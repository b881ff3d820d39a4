"""Profiles kept in a folder: a document for each version, and an index of them all.

The index is JSON, ``history.json``; the documents beside it are those that `Profile.write` makes,
compressed. A document is there whole before the index names it, and the index is replaced as a
whole, under a lock: a writer that is killed leaves the history as it was.
"""

from __future__ import annotations

import hashlib
import re
from pathlib import Path
from typing import Literal

import msgspec
from filelock import FileLock, Timeout

from nachsicht._util.atomic_write import write_atomically
from nachsicht.comparison.courses.followed import FollowedProfile, read_followed
from nachsicht.errors import DocumentError, OutputError, SettingsError
from nachsicht.model.codec import encode, pack, read_document
from nachsicht.model.profile import ProfileDocument
from nachsicht.pipeline.moment import Moment

INDEX, _LOCK = "history.json", "history.lock"
#: Rises when a reader of the former format would misread the new one.
INDEX_VERSION = 1
#: Seconds until a writer no longer waits for others.
_PATIENCE = 120.0
_LONGEST_NAME = 60


class RecordedVersion(msgspec.Struct, frozen=True, kw_only=True):
    """A version in a history.

    ``moment`` is a time in ISO 8601 without zone; ``moment_source`` says whether it was ``given``,
    is in the version's ``name``, of its ``source`` or ``data``, or when it was ``recorded``.
    ``sha256`` is that of the file ``document``.
    """

    number: int
    label: str
    moment: str
    moment_source: str
    rows: int
    document: str
    sha256: str


class HistoryIndex(msgspec.Struct, frozen=True, kw_only=True):
    """All versions of a history, in the order in which they were recorded."""

    type: Literal["history"] = "history"
    format_version: int = INDEX_VERSION
    versions: tuple[RecordedVersion, ...] = ()


def versions_in(folder: Path) -> tuple[RecordedVersion, ...]:
    """The versions of a history in the order of their moments; none where there is no history.

    Raises
    ------
    DocumentError
        If the index is damaged, or of a newer format.
    """
    recorded = _index_in(folder).versions
    return tuple(sorted(recorded, key=lambda version: (version.moment, version.number)))


def document_of(folder: Path, version: RecordedVersion) -> ProfileDocument:
    """The profile of a version.

    Raises
    ------
    DocumentError
        If the document is gone, was changed since it was recorded, or is damaged.
    """
    document = read_document(_checked(folder, version))
    if not isinstance(document, ProfileDocument):
        raise DocumentError("comparison_for_profile", where=version.document)
    return document


def followed_in(folder: Path, version: RecordedVersion) -> FollowedProfile:
    """What a history follows of a version; raises as `document_of`."""
    found = read_followed(_checked(folder, version))
    return msgspec.structs.replace(found, label=version.label)


def _checked(folder: Path, version: RecordedVersion) -> Path:
    """The document of a version, as it was recorded."""
    path = folder / version.document
    try:
        found = hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError as error:
        raise DocumentError(
            "document_not_opened", where=str(path), reason=error.strerror
        ) from error
    if found != version.sha256:
        raise DocumentError("history_changed", where=str(path), label=version.label)
    return path


def check_label(folder: Path, label: str) -> None:
    """Make sure, before long work, that no version has the label.

    Raises
    ------
    SettingsError
        If one has.
    """
    if any(version.label == label for version in _index_in(folder).versions):
        raise SettingsError("label_recorded", where=str(folder), label=label)


def add(folder: Path, document: ProfileDocument, moment: Moment) -> RecordedVersion:
    """Add a profile to a history; the folder is made where there is none.

    Raises
    ------
    SettingsError
        If a version has the label already.
    OutputError
        If the folder cannot be written to, or another writer does not end.
    """
    data = pack(encode(document))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with FileLock(folder / _LOCK, timeout=_PATIENCE):
            check_label(folder, document.label)
            index = _index_in(folder)
            number = max((version.number for version in index.versions), default=0) + 1
            name = f"{number:05d}_{_file_name(document.label)}.json.gz"
            added = RecordedVersion(
                number=number,
                label=document.label,
                moment=moment.at.isoformat(),
                moment_source=moment.source,
                rows=document.rows,
                document=name,
                sha256=hashlib.sha256(data).hexdigest(),
            )
            write_atomically(folder / name, data)
            whole = msgspec.structs.replace(index, versions=(*index.versions, added))
            text = msgspec.json.format(msgspec.json.encode(whole), indent=1)
            write_atomically(folder / INDEX, text)
    except Timeout as error:
        raise OutputError("history_locked", where=str(folder)) from error
    except OSError as error:
        raise OutputError("not_written", where=str(folder), strerror=error.strerror) from error
    return added


def _index_in(folder: Path) -> HistoryIndex:
    path = folder / INDEX
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        return HistoryIndex()
    except OSError as error:
        raise DocumentError(
            "document_not_opened", where=str(path), reason=error.strerror
        ) from error
    try:
        index = msgspec.json.decode(data, type=HistoryIndex)
    except (msgspec.DecodeError, UnicodeError) as error:
        raise DocumentError("history_damaged", where=str(path), error=error) from error
    if index.format_version > INDEX_VERSION:
        raise DocumentError(
            "document_newer",
            where=str(path),
            format_version=index.format_version,
            format_version2=INDEX_VERSION,
        )
    names = [version.document for version in index.versions]
    if len({*names}) < len(names) or any(Path(name).name != name for name in names):
        raise DocumentError("history_damaged", where=str(path), error="document")
    return index


def _file_name(label: str) -> str:
    """A label as a part of a file's name on any system."""
    return re.sub(r"[^A-Za-z0-9._-]+", "-", label)[:_LONGEST_NAME].strip("-.") or "version"
