"""All settings, as one frozen tree with its defaults; names carry their units."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, get_args

import msgspec
import tomli_w

from nachsicht.config.analyst_notes import unknown_address
from nachsicht.errors import SettingsError
from nachsicht.i18n import DEFAULT, languages, phrase
from nachsicht.model.dataset_schema import Description
from nachsicht.model.findings import FindingCode
from nachsicht.model.kinds import Kind

#: From nothing to all.
Share = Annotated[float, msgspec.Meta(ge=0, le=1)]


class Thresholds(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """From which size on (0 to 1) a finding of one code has which severity.

    What is None stays as the catalogue of findings has it; ``off`` leaves the finding out.
    """

    note: Share | None = None
    check: Share | None = None
    act: Share | None = None
    off: bool = False


class ReadOptions(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """How files are read; what is None is found out.

    Attributes
    ----------
    delimiter, quote, decimal : str, optional
        Single characters of delimited text.
    widths : tuple of int, optional
        Of the columns of text that stand below each other, in characters.
    encoding : str, optional
        Name of the encoding of text.
    header : bool, optional
        Whether the first line of delimited text or of a sheet holds the names.
    sheet : str, optional
        Name of the sheet of a workbook; by default the first that is not empty.
    columns : tuple of str, optional
        Names of the columns of an array of NumPy, which has none of its own.
    only : tuple of str, optional
        Names or patterns of the columns that are read; by default all.
    where : tuple of str, optional
        Conditions that every row fulfils which is read: ``hive_type = long``, ``mites >= 3``,
        ``note is missing``.
    table, query : str, optional
        Of a database: the table (``schema.name`` where it has a schema), or a query.
    description : str, optional
        Path of a file that describes the columns (Table Schema, Data Package, CSVW); by default
        one beside the data that has one of the usual names. Empty: none is looked for.
    """

    delimiter: str | None = None
    widths: tuple[int, ...] | None = None
    quote: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    header: bool | None = None
    sheet: str | None = None
    columns: tuple[str, ...] | None = None
    only: tuple[str, ...] | None = None
    where: tuple[str, ...] | None = None
    table: str | None = None
    query: str | None = None
    description: str | None = None


class ThemeChoice(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The house's colours (#rrggbb) and logo (path of a .png, .jpg or .svg file)."""

    ink: str | None = None
    ghost: str | None = None
    logo: str | None = None


class Settings(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """What the user may choose for a profile or a comparison.

    Attributes
    ----------
    title : str, optional
        Title of the page; by default it is made from the labels.
    top_values : int
        How many of the most (and least) frequent values are kept for each column.
    max_levels : int
        How many different levels of a category are kept with their counts.
    na_values : tuple of str
        Values that stand for missing, besides null, NaN and what a file's format says.
    na_values_by_column : dict
        By the name of a column, values that stand for missing in this one alone.
    level_orders : dict
        By the name of a column, its levels in their order, the lowest first; of ordered
        categories and labelled values it is known.
    histogram_bins : int
        Upper limit of the number of fine bins of a quantity.
    max_discrete_values : int
        A quantity of whole numbers with at most so many different values is discrete.
    explore_rows : int
        Evenly drawn rows of each version that are kept in documents and can be explored on the
        page; 0 for none.
    memory_bytes : int
        Memory to compute with; 0 means a quarter of the machine's. Data that would take more
        is read in pieces, and some figures become approximate, which they say.
    spill_folder : str, optional
        Where rows go for the time being that do not fit in memory; by default the system's folder
        for temporary files.
    threads : int
        Threads to compute with; 0 means one for each core.
    engine : str
        ``local``, or ``dask`` or ``spark``: the pieces of the source are read and computed by the
        workers of the user's own Dask client or Spark session. ``sql``: the database computes,
        and only results are read from it. Dataframes of Dask and Spark are computed where
        they are, whatever this says.
    language : tuple of str
        Languages of the texts (``en``, ``de``): the first is the one that everything is written
        in; a page holds all of them, and can be switched.
    labels : tuple of str
        What to call the versions, in order.
    omit : tuple of str
        Columns to leave out, by name or pattern (``*`` and ``?``). A name must be there in every
        version; a pattern leaves out what fits.
    kinds : dict
        Kinds of columns by name, in place of the inferred ones.
    key : tuple of str
        Columns that together name a row; by default they are found where that is plain.
    outcome : str, optional
        The column that the work is about.
    high_missing_share, mostly_missing_share : float
        Shares of missing values from which on they count as many, and a column as mostly missing.
    duplicates_in : tuple of str
        Columns by which rows are also compared for duplicates, besides all of them.
    time_column : str, optional
        The datetime column over which all others are shown; by default the only one.
    mask : tuple of str
        Columns, by name or pattern, whose values are replaced by pseudonyms at once. Each must
        fit a column of every version.
    alpha : float
        Significance level: a difference counts only where its p-value, corrected over all
        columns, is smaller.
    findings : dict
        Limits by the code of the finding.
    accepted : str, optional
        Path of the file of accepted findings; by default ``nachsicht-accepted.toml``.
    share : int, optional
        Make the result safe to share with those who must not see the rows: no rows and no single
        values, and nothing of groups of fewer rows than this (10 is usual). None: all is shown.
    theme : ThemeChoice, optional
        The house's own colours and logo on the page.
    notes : dict
        Words of the analyst, in Markdown, by what they speak of: ``page``, a section (such as
        ``missing``), ``column/NAME``, ``finding/CODE`` or ``finding/CODE/COLUMN``.
    reading_by_version : tuple of ReadOptions
        How each version of a comparison is read, in their order, where that differs; what stands
        here counts before ``reading``.
    reading : ReadOptions
        How files are read, where it shall not be found out.
    """

    title: str | None = None
    top_values: Annotated[int, msgspec.Meta(ge=1, le=1_000)] = 10
    max_levels: Annotated[int, msgspec.Meta(ge=1, le=100_000)] = 1000
    na_values: tuple[str, ...] = ()
    level_orders: dict[str, tuple[str, ...]] = msgspec.field(default_factory=dict)
    na_values_by_column: dict[str, tuple[str, ...]] = msgspec.field(default_factory=dict)
    histogram_bins: Annotated[int, msgspec.Meta(ge=8, le=4_096)] = 256
    max_discrete_values: Annotated[int, msgspec.Meta(ge=0, le=1_000)] = 40
    explore_rows: Annotated[int, msgspec.Meta(ge=0, le=2_000)] = 2_000
    memory_bytes: Annotated[int, msgspec.Meta(ge=0)] = 0
    spill_folder: str | None = None
    threads: Annotated[int, msgspec.Meta(ge=0, le=1_024)] = 0
    engine: Literal["local", "dask", "spark", "sql"] = "local"
    language: tuple[str, ...] = (DEFAULT,)
    labels: tuple[str, ...] = ()
    omit: tuple[str, ...] = ()
    kinds: dict[str, Kind] = msgspec.field(default_factory=dict)
    key: tuple[str, ...] = ()
    outcome: str | None = None
    high_missing_share: Share = 0.05
    mostly_missing_share: Share = 0.5
    duplicates_in: tuple[str, ...] = ()
    time_column: str | None = None
    mask: tuple[str, ...] = ()
    alpha: Annotated[float, msgspec.Meta(gt=0, lt=1)] = 0.001
    findings: dict[str, Thresholds] = msgspec.field(default_factory=dict)
    accepted: str | None = None
    share: Annotated[int, msgspec.Meta(ge=3, le=100_000)] | None = None
    theme: ThemeChoice | None = None
    notes: dict[str, str] = msgspec.field(default_factory=dict)
    reading: ReadOptions = msgspec.field(default_factory=ReadOptions)
    reading_by_version: tuple[ReadOptions, ...] = ()


#: Names of all settings.
FIELDS = tuple(field.name for field in msgspec.structs.fields(Settings))


#: Settings of which one alone need not stand in a list.
_LISTS = ("omit", "key", "duplicates_in", "mask", "labels", "language", "na_values")


def settings_of(values: dict[str, Any], where: str = "") -> Settings:
    """Settings from plain values, checked.

    Raises
    ------
    SettingsError
        If a value is wrong, or a finding's code unknown.
    """
    values = _with_lists(values, _LISTS)
    if isinstance(values.get("reading"), dict):
        values = {**values, "reading": _with_lists(values["reading"], ("only", "where"))}
    try:
        settings = msgspec.convert(values, Settings)
    except msgspec.ValidationError as error:
        place = f"{where}: {error}" if where else str(error)
        kinds = phrase("hints.kinds_are", names=", ".join(Kind))
        todo = kinds if "`$.kinds" in str(error) else ""
        raise SettingsError("wrong_value", where=place, todo=todo) from error
    for code in settings.findings:
        check_name(code, get_args(FindingCode), where or f"findings.{code}")
    wrong = unknown_address(settings.notes)
    if wrong is not None:
        check_name(*wrong, where or "notes", "note")
    for language in settings.language:
        check_name(language, languages(), where or "language", "language")
    return settings


def _with_lists(values: dict[str, Any], names: Sequence[str]) -> dict[str, Any]:
    """Values of which some are lists, where one alone may be given."""
    alone = {name: [values[name]] for name in names if isinstance(values.get(name), str)}
    return {**values, **alone}


def as_described(settings: Settings, description: Description | None) -> Settings:
    """Settings for a version, with what the description that came with it says beside the user."""
    if description is None:
        return settings
    stated = {column.name: column.na_values for column in description.columns}
    by_column = {name: own for name, own in stated.items() if own} | settings.na_values_by_column
    together = description.key if len(description.key) > 1 else ()
    duplicates_in = settings.duplicates_in or together
    return msgspec.structs.replace(
        settings, na_values_by_column=by_column, duplicates_in=duplicates_in
    )


def check_name(name: str, known: Sequence[str], where: str, what: str = "setting") -> None:
    """Refuse a name that is not known, and tell the nearest that is."""
    if name in known:
        return
    raise SettingsError(f"unknown_{what}", where=where, todo=_nearest(name, known), name=name)


def no_column(name: str, known: Sequence[str], setting: str) -> SettingsError:
    """The error for a setting that names a column which is not there."""
    return SettingsError("no_column", where=setting, todo=_nearest(name, known), name=name)


def _nearest(name: str, known: Sequence[str]) -> str:
    """What may have been meant: a name in other letters, one nearly the same, or any."""
    import difflib  # needed only where a name is wrong

    same = [other for other in known if other.casefold() == name.casefold()]
    near = same or difflib.get_close_matches(name, known, n=1)
    if near:
        return phrase("hints.did_you_mean", name=near[0])
    return phrase("hints.known_are", names=", ".join(known))


def settings_by_version(settings: Settings, versions: int) -> list[Settings]:
    """The settings of each version, which say how that one is read.

    Raises
    ------
    SettingsError
        If it is said of another number of versions.
    """
    each = settings.reading_by_version
    if not each:
        return [settings] * versions
    if len(each) != versions:
        raise SettingsError(
            "readings_for_versions", where="reading_by_version", n=versions, value=len(each)
        )
    found = []
    for own in each:
        said = {
            name: value
            for name in own.__struct_fields__
            if (value := getattr(own, name)) is not None
        }
        reading = msgspec.structs.replace(settings.reading, **said)
        found.append(msgspec.structs.replace(settings, reading=reading, reading_by_version=()))
    return found


def settings_text(settings: Settings) -> str:
    """Settings that differ from the defaults, as the text of a settings file.

    Without what belongs to this machine (paths, threads) or to one page (title, labels, language).
    """
    own = _different(msgspec.to_builtins(settings), msgspec.to_builtins(Settings()))
    of_here = ("accepted", "threads", "engine", "spill_folder")
    for name in (*of_here, "title", "labels", "language", "notes", "share"):
        own.pop(name, None)
    for table, path in (("theme", "logo"), ("reading", "description")):
        own.get(table, {}).pop(path, None)
    return tomli_w.dumps({name: value for name, value in own.items() if value not in ({}, None)})


def _different(values: dict[str, Any], defaults: dict[str, Any]) -> dict[str, Any]:
    """What differs, table by table; what is not set has no place in a file."""
    found = {}
    for name, value in values.items():
        default = defaults.get(name)
        own = _different(value, default or {}) if isinstance(value, dict) else value
        if own not in (None, default, {}):
            found[name] = own
    return found


def schema() -> dict[str, Any]:
    """The JSON Schema of a settings file."""
    return msgspec.json.schema(Settings)
