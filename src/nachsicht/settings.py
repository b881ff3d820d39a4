"""All settings, as one frozen tree with its defaults; names carry their units."""

from __future__ import annotations

import difflib
from typing import Any

import msgspec

from nachsicht.errors import SettingsError


class Bounds(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """From which size on something becomes a finding, and of which weight.

    Shares and distances run from 0 to 1.
    """

    distance_note: float = 0.05
    distance_check: float = 0.10
    distance_act: float = 0.40
    missing_note: float = 0.05
    missing_check: float = 0.40
    missing_rise_check: float = 0.03
    missing_rise_act: float = 0.20
    repeats_check: float = 0.0005
    stand_in_share: float = 0.002
    #: A difference counts only where chance explains it less often than this,
    #: after correction over all columns.
    chance: float = 0.001


class Reading(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """How files are read; what is None is found out.

    Attributes
    ----------
    delimiter, quote, decimal : str, optional
        Single characters of delimited text.
    encoding : str, optional
        Name of the encoding of text.
    header : bool, optional
        Whether the first line of delimited text or of a sheet holds the names.
    sheet : str, optional
        Name of the sheet of a workbook; by default the first that is not empty.
    """

    delimiter: str | None = None
    quote: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    header: bool | None = None
    sheet: str | None = None


class Settings(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """What the user may choose for a profile or a comparison.

    Attributes
    ----------
    title : str, optional
        Title of the page; by default it is made from the labels.
    frequent_values : int
        How many of the most (and least) frequent values are kept for each column.
    level_cap : int
        How many different levels of a category are kept with their counts.
    missing_marks : tuple of str
        Values that stand for missing, besides null, NaN and what a file's format says.
    histogram_bins : int
        Upper limit of the number of fine bins of a quantity.
    discrete_values : int
        A quantity of whole numbers with at most so many different values is discrete.
    memory_bytes : int
        Memory to compute with; 0 means a quarter of the machine's. Data that would take more
        is read in pieces, and some figures become approximate, which they say.
    threads : int
        Threads to compute with; 0 means one for each core.
    reading : Reading
        How files are read, where it shall not be found out.
    bounds : Bounds
        Limits from which on a difference becomes a finding.
    """

    title: str | None = None
    frequent_values: int = 10
    level_cap: int = 1000
    missing_marks: tuple[str, ...] = ()
    histogram_bins: int = 256
    discrete_values: int = 40
    memory_bytes: int = 0
    threads: int = 0
    reading: Reading = msgspec.field(default_factory=Reading)
    bounds: Bounds = msgspec.field(default_factory=Bounds)


def settings_from(base: Settings | None, options: dict[str, Any]) -> Settings:
    """Lay keyword options over settings.

    Raises
    ------
    SettingsError
        If an option is unknown (the nearest right name is told) or has a wrong value.
    """
    settings = base or Settings()
    known = [field.name for field in msgspec.structs.fields(Settings)]
    for name in options:
        if name not in known:
            near = difflib.get_close_matches(name, known, n=1)
            todo = f"Did you mean {near[0]}?" if near else f"Known are: {', '.join(known)}."
            raise SettingsError("unknown setting", where=name, todo=todo)
    merged = {**msgspec.to_builtins(settings), **msgspec.to_builtins(options)}
    try:
        return msgspec.convert(merged, Settings)
    except msgspec.ValidationError as error:
        raise SettingsError("a setting has a wrong value", where=str(error)) from error
