"""Files appear whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

from nachsicht.errors import OutputError


def check_folder(target: Path) -> None:
    """Make sure, before long work, that a file could be written there.

    Raises
    ------
    OutputError
        If the folder is not there or is no folder.
    """
    folder = target.parent
    if not folder.is_dir():
        raise OutputError(
            "the folder to write to is not there",
            where=str(folder),
            todo="Make the folder, or choose another with --out.",
        )
    if target.is_dir():
        raise OutputError(
            "there is a folder of that name", where=str(target), todo="Choose a file name."
        )


def write_whole(target: Path, data: bytes) -> None:
    """Write beside the target, then rename over it.

    Raises
    ------
    OutputError
        If the folder is not there or the disk refuses; nothing is left behind.
    """
    check_folder(target)
    try:
        handle, name = tempfile.mkstemp(
            dir=target.parent, prefix=f".{target.name}.", suffix=".part"
        )
    except OSError as error:
        raise _refused(target, error) from error
    part = Path(name)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        # mkstemp makes files for the owner only; the result is an ordinary file.
        umask = os.umask(0)
        os.umask(umask)
        part.chmod(0o666 & ~umask)
        part.replace(target)
    except BaseException as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise _refused(target, error) from error
        raise


def _refused(target: Path, error: OSError) -> OutputError:
    return OutputError(
        f"the file cannot be written ({error.strerror})",
        where=str(target),
        todo="Choose another place with --out.",
    )
