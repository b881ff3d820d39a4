"""All versions of a source since one of them: commits of a file, snapshots of a table."""

from __future__ import annotations

from pathlib import Path

from nachsicht.errors import UnreadableSourceError

#: More versions than these are not compared at once.
MOST_VERSIONS = 400


def versions_since(path: Path, first: str) -> list[str]:
    """Addresses of a version, and of every one that came after it.

    Parameters
    ----------
    path : Path
        A file in a git repository, or the folder of a Delta Lake or Iceberg table.
    first : str
        A revision; a snapshot's number, or a date.

    Raises
    ------
    SourceError
        If there is no such version, nothing changed since, or there are too many versions.
    """
    from nachsicht.sources.versions.snapshots import is_table, snapshots_since

    if is_table(path):
        found = snapshots_since(path, first)
    else:
        from nachsicht.sources.versions.git import revisions_since

        found = revisions_since(path, first)
    if len(found) > MOST_VERSIONS:
        raise UnreadableSourceError(
            "too_many_versions",
            where=str(path),
            n=len(found) - 1,
            revision=first,
            most_versions=MOST_VERSIONS,
        )
    return found
