"""The demo's files: hive checks as they lie in the package, hive scales made anew."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from nachsicht._util.atomic_write import write_atomically
from nachsicht.demo.scales import make_weeks, week_name
from nachsicht.errors import OutputError

NAMES = (
    "hive_checks_2023.csv",
    "hive_checks_2024.csv",
    "hive_checks_2025.csv",
    "planted.json",
)


def copy_files(folder: Path) -> dict[str, Path]:
    """Copy the three deliveries, and what was planted in them, to a folder.

    Returns
    -------
    dict
        Path of each file by its name.

    Raises
    ------
    OutputError
        If the folder cannot be made or written to.
    """
    _make(folder)
    copied = {}
    for name in NAMES:
        target = folder / name
        write_atomically(target, (files("nachsicht.demo") / "data" / name).read_bytes())
        copied[name] = target
    return copied


def write_weeks(folder: Path) -> dict[str, Path]:
    """Write the weekly readings of the hive scales to a folder.

    Returns
    -------
    dict
        Path of each week's file by the name of the week, in their order.

    Raises
    ------
    OutputError
        If the folder cannot be made or written to.
    """
    _make(folder)
    written = {}
    for week, (name, data) in enumerate(make_weeks()):
        write_atomically(folder / name, data)
        written[week_name(week)] = folder / name
    return written


def _make(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(
            "folder_not_created", where=str(folder), strerror=error.strerror
        ) from error
