"""A file as it was at a revision of the git repository that it lies in: ``checks.csv@v1.2``."""

from __future__ import annotations

import subprocess
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import BinaryIO

import msgspec

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import SourceNotFoundError, UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.protocol import Opened
from nachsicht.sources.stdin import open_copied

#: How a file begins whose content git keeps elsewhere.
_POINTER = b"version https://git-lfs"


def names_revision(path: Path) -> bool:
    """Whether an address is a file at a revision, and no file that is called so."""
    name, sign, revision = path.name.rpartition("@")
    return bool(name and sign and revision) and not path.exists()


class RevisionSource(msgspec.Struct, frozen=True, dict=True):
    """A file at a revision; ``path`` is the file's with ``@`` and the revision behind it."""

    path: Path
    reading: ReadOptions

    @cached_property
    def _file(self) -> Path:
        return self.path.with_name(self.path.name.rpartition("@")[0])

    @cached_property
    def _revision(self) -> str:
        return self.path.name.rpartition("@")[2]

    @property
    def label(self) -> str:
        """The tag, else the day of the commit."""
        if _git(self._file, "tag", "--list", "--", self._revision) == self._revision:
            return self._revision
        return _git(self._file, "show", "-s", "--format=%cs", _commit(self._file, self._revision))

    def open(self) -> Opened:
        """Let git write the file to a place of its own, and open it there."""
        commit = _commit(self._file, self._revision)
        where = f"{commit}:./{self._file.name}"
        if _run(self._file, "cat-file", "-e", where).returncode:
            raise SourceNotFoundError(
                "no_file_at_revision", where=str(self._file), revision=self._revision
            )

        def write(file: BinaryIO) -> None:
            command = ["git", "-C", str(_folder(self._file)), "cat-file", "blob", where]
            if subprocess.run(
                command, stdout=file, stderr=subprocess.DEVNULL, check=False
            ).returncode:
                raise UnreadableSourceError(
                    "git_failed", where=str(self._file), revision=self._revision
                )
            with Path(file.name).open("rb") as written:
                pointer = written.read(len(_POINTER)) == _POINTER
            if pointer:
                raise UnreadableSourceError(
                    "large_file_in_git", where=str(self._file), revision=self._revision
                )

        name = self._file.name
        opened = open_copied(write, name, f"{name}@{self._revision}", self.reading)
        opened.facts.notes.append(Note("commit", {"hash": commit[:12]}))
        opened.facts.moment = _moment(self._file, commit)
        return opened


def revisions_since(path: Path, revision: str) -> list[str]:
    """Addresses of the file at a revision and at every commit that changed it afterwards.

    Raises
    ------
    SourceError
        If there is no such revision, or nothing changed since.
    """
    first = _commit(path, revision)
    log = _git(path, "log", "--format=%H", "--reverse", f"{first}..HEAD", "--", f"./{path.name}")
    commits = log.split()
    if not commits:
        raise SourceNotFoundError("no_commits", where=str(path), revision=revision)
    return [f"{path}@{revision}", *(f"{path}@{commit[:12]}" for commit in commits)]


def _moment(path: Path, commit: str) -> str:
    """When a commit was made, in UTC."""
    at = datetime.fromisoformat(_git(path, "show", "-s", "--format=%cI", commit))
    return at.astimezone(UTC).replace(tzinfo=None).isoformat()


def _commit(path: Path, revision: str) -> str:
    """The commit that a revision names."""
    named = f"{revision}^{{commit}}"
    done = _run(path, "rev-parse", "--verify", "--quiet", "--end-of-options", named)
    if done.returncode:
        raise SourceNotFoundError("no_revision", where=str(path), revision=revision)
    return done.stdout.split()[-1]


def in_repository(path: Path) -> bool:
    """Whether a file lies in a git repository."""
    return _run(path, "rev-parse", "--git-dir").returncode == 0


def _git(path: Path, *words: str) -> str:
    return _run(path, *words).stdout.strip()


def _run(path: Path, *words: str) -> subprocess.CompletedProcess[str]:
    """Ask git about a file; its own settings and pagers stay out of it."""
    folder = _folder(path)
    try:
        inside = ["git", "-C", str(folder), "rev-parse", "--is-inside-work-tree"]
        if subprocess.run(inside, capture_output=True, check=False).returncode:
            raise SourceNotFoundError("no_file_nor_repository", where=str(path))
        command = ["git", "-C", str(folder), "--no-pager", *words]
        return subprocess.run(command, capture_output=True, text=True, check=False)
    except FileNotFoundError as error:
        raise UnreadableSourceError("no_git", where=str(path)) from error


def _folder(path: Path) -> Path:
    """Where git is asked: the nearest folder that still exists."""
    return next((p for p in (path.parent, *path.parent.parents) if p.is_dir()), Path())
