"""Settings as keyword options: what editors complete and type checkers hold calls to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, TypedDict

from nachsicht.config.settings import ReadOptions, ThemeChoice, Thresholds
from nachsicht.model.kinds import Kind

#: One name, or several.
Names = str | Sequence[str]
KindName = Literal[
    "quantity",
    "category",
    "flag",
    "datetime",
    "duration",
    "text",
    "identifier",
    "nested",
    "empty",
]


class ReadKeywords(TypedDict, total=False):
    """As `ReadOptions`, by keyword."""

    delimiter: str | None
    widths: Sequence[int] | None
    quote: str | None
    decimal: str | None
    encoding: str | None
    header: bool | None
    sheet: str | None
    columns: Sequence[str] | None
    only: Names | None
    where: Names | None
    table: str | None
    query: str | None
    description: str | None


class ThemeKeywords(TypedDict, total=False):
    """As `ThemeChoice`, by keyword."""

    ink: str | None
    ghost: str | None
    logo: str | None


class ThresholdKeywords(TypedDict, total=False):
    """As `Thresholds`, by keyword."""

    note: float | None
    check: float | None
    act: float | None
    off: bool


class Options(ReadKeywords, total=False):
    """As `Settings` but its labels, by keyword: the plain values that a file would hold will do.

    How data is read can be said by itself, too: ``sheet="2025"`` is ``reading={"sheet": "2025"}``.
    """

    title: str | None
    top_values: int
    max_levels: int
    na_values: Names
    na_values_by_column: Mapping[str, Sequence[str]]
    level_orders: Mapping[str, Sequence[str]]
    histogram_bins: int
    max_discrete_values: int
    explore_rows: int
    memory_bytes: int
    spill_folder: str | None
    threads: int
    engine: Literal["local", "dask", "spark", "sql"]
    language: Names
    omit: Names
    kinds: Mapping[str, Kind | KindName]
    key: Names
    outcome: str | None
    high_missing_share: float
    mostly_missing_share: float
    duplicates_in: Names
    time_column: str | None
    mask: Names
    alpha: float
    findings: Mapping[str, Thresholds | ThresholdKeywords]
    accepted: str | None
    share: int | None
    theme: ThemeChoice | ThemeKeywords | None
    notes: Mapping[str, str]
    reading: ReadOptions | ReadKeywords
    reading_by_version: Sequence[ReadOptions | ReadKeywords]
