"""The file of accepted findings: a small TOML that is read, added to, and kept by the user."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from nachsicht._util.atomic_write import write_atomically
from nachsicht._util.clock import now
from nachsicht.errors import SettingsError
from nachsicht.model.findings import Accepted

#: Read where it is there and no other is named.
DEFAULT = "nachsicht-accepted.toml"
_HEAD = "# Findings that are known. Each no longer counts until it grows graver.\n"


class _File(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    accepted: tuple[Accepted, ...] = ()


def read_accepted(path: str | None) -> tuple[Accepted, ...]:
    """The accepted findings of a file; none where no file is named and the usual is not there.

    Raises
    ------
    SettingsError
        If the named file is not there, or holds something else.
    """
    file = Path(path or DEFAULT)
    if path is None and not file.is_file():
        return ()
    try:
        found = msgspec.toml.decode(file.read_bytes(), type=_File).accepted
    except OSError as error:
        raise SettingsError(
            "baseline_not_opened", where=str(file), strerror=error.strerror
        ) from error
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise SettingsError("no_baseline", where=str(file), error=error) from error
    today = now().date().isoformat()
    return tuple(
        msgspec.structs.replace(entry, ended=True) if entry.until and entry.until < today else entry
        for entry in found
    )


def in_force(accepted: Sequence[Accepted]) -> list[Accepted]:
    """Those that have not ended."""
    return [entry for entry in accepted if not entry.ended]


def add_accepted(path: Path, entry: Accepted) -> bool:
    """Write one more accepted finding, in the place of a former one of that code and column.

    Returns
    -------
    Whether it is new to the file.
    """
    known = read_accepted(str(path)) if path.is_file() else ()
    same = (entry.code, entry.column, entry.since)
    kept = [a for a in known if (a.code, a.column, a.since) != same]
    blocks = ["\n[[accepted]]\n" + msgspec.toml.encode(_filled(a)).decode() for a in (*kept, entry)]
    write_atomically(path, (_HEAD + "".join(blocks)).encode())
    return len(kept) == len(known)


def _filled(entry: Accepted) -> dict[str, Any]:
    values: dict[str, Any] = msgspec.to_builtins(entry)
    values.pop("ended")  # which the day tells
    return {name: value for name, value in values.items() if value or name == "column"}
