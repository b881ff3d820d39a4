"""Files appear whole or not at all."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
from collections.abc import Iterator
from pathlib import Path

from nachsicht.errors import OutputError

try:
    import fcntl
except ImportError:  # elsewhere a file that is open cannot be removed
    fcntl = None  # type: ignore[assignment]

_SUFFIX = ".part"


def check_folder(target: Path) -> None:
    """Make sure, before long work, that a file could be written there.

    Raises
    ------
    OutputError
        If the folder is not there or is no folder.
    """
    folder = target.parent
    if not folder.is_dir():
        raise OutputError("no_output_folder", where=str(folder))
    if target.is_dir():
        raise OutputError("is_folder", where=str(target))


def write_atomically(target: Path, data: bytes) -> None:
    """Write beside the target, let that reach the disk, then rename it over the target.

    A file that is replaced keeps its mode; through a link the file that it points to is written.
    What a run that was killed left beside the target is removed. A pipe or device is written to.

    Raises
    ------
    OutputError
        If the folder is not there or the disk refuses; nothing is left behind.
    """
    check_folder(target)
    try:
        if target.exists() and not target.is_file():
            target.write_bytes(data)
            return
        own = target.resolve() if target.is_symlink() else target
        _remove_left(own)
        with _part(own) as part:
            with part.open("wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            part.chmod(_mode(own))
            part.replace(own)
            _settle(own.parent)
    except OSError as error:
        raise OutputError("not_written", where=str(target), strerror=error.strerror) from error


@contextlib.contextmanager
def _part(target: Path) -> Iterator[Path]:
    """A new file beside the target, locked as long as it is written; gone if that fails."""
    while True:
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=_prefix(target), suffix=_SUFFIX)
        part = Path(name)
        try:
            if (
                _locked(handle, otherwise=True) and part.exists()
            ):  # else another run took it for a left one
                yield part
                return
        except BaseException:
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)
            raise
        finally:
            os.close(handle)


def _remove_left(target: Path) -> None:
    """Remove parts of this target that nobody writes any more."""
    prefix = _prefix(target)
    for path in target.parent.iterdir():
        if not (path.name.startswith(prefix) and path.name.endswith(_SUFFIX)):
            continue
        with contextlib.suppress(OSError):
            handle = os.open(path, os.O_RDWR)
            try:
                if _locked(handle, otherwise=False):
                    path.unlink(missing_ok=True)
            finally:
                os.close(handle)


def _prefix(target: Path) -> str:
    return f".{target.name}."


def _locked(handle: int, *, otherwise: bool) -> bool:
    """Lock an open file, unless somebody else has it locked; ``otherwise`` where none can."""
    if fcntl is None:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError:
        return otherwise
    return True


def _mode(target: Path) -> int:
    """Of the file that is replaced, else of any new file; mkstemp's are for the owner only."""
    with contextlib.suppress(OSError):
        return stat.S_IMODE(target.stat().st_mode)
    umask = os.umask(0)
    os.umask(umask)
    return 0o666 & ~umask


def _settle(folder: Path) -> None:
    """Let the new name reach the disk, where a folder can be asked for that."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
