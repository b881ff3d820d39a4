"""Options that several commands share."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

#: Options with the names of settings.
_READING = ("delimiter", "encoding", "decimal", "header", "sheet", "table", "query", "description")
_SETTINGS = (
    *("na_values", "key", "duplicates_in", "omit", "mask", "language"),
    *("memory_bytes", "title", "outcome", "time_column", "accepted"),
)
_UNITS = {"kb": 10**3, "mb": 10**6, "gb": 10**9, "": 1}


if TYPE_CHECKING:
    _Sized = click.ParamType[int]
else:  # older ones of click have no parameters of their own
    _Sized = click.ParamType


class ByteSize(_Sized):
    """A number of bytes with its unit."""

    name = "SIZE"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> int:
        """Bytes from a text such as 800MB."""
        found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*([kmg]b|)\s*", str(value).lower())
        if not found:
            self.fail(f"invalid size {value!r}: use e.g. 800MB or 2GB", param, ctx)
        return int(float(found.group(1)) * _UNITS[found.group(2)])


def _once(_: click.Context, param: click.Parameter, values: tuple[str, ...]) -> str | None:
    """The one value of an option that holds for all versions alike."""
    if len(values) > 1:
        raise click.BadParameter("it holds for every version, and is given once", param=param)
    return values[0] if values else None


F = TypeVar("F", bound=Callable[..., Any])


def output_options(command: F) -> F:
    """Where the results go, and how much is said."""
    for option in reversed(
        (
            click.option(
                "-o",
                "--out",
                "outputs",
                multiple=True,
                type=click.Path(path_type=Path, dir_okay=False),
                help="Write the page (.html), the summary (.md) or the document (.json, .json.gz). "
                "Repeatable.",
            ),
            click.option("--title", help="Title of the page."),
            click.option("--open", "open_page", is_flag=True, help="Show the page in the browser."),
            click.option("-q", "--quiet", is_flag=True, help="Print nothing but errors."),
        )
    ):
        command = option(command)
    return command


def reading_options(command: F) -> F:
    """How files are read, where it shall not be found out."""
    for option in reversed(
        (
            click.option("--delimiter", help="Field delimiter. [default: detected]"),
            click.option("--encoding", help="Encoding of the text, such as utf-8 or cp1252."),
            click.option("--decimal", help="Decimal sign: a point or a comma."),
            click.option(
                "--header/--no-header",
                default=None,
                help="Treat the first line as column names. [default: detected]",
            ),
            click.option(
                "--na-value",
                "na_values",
                multiple=True,
                help="A value that stands for missing, such as -99. Repeatable.",
            ),
            click.option(
                "--memory",
                "memory_bytes",
                type=ByteSize(),
                help="Memory to use, such as 800MB or 2GB (setting memory_bytes); larger data is "
                "read in pieces. [default: a quarter of the machine's]",
            ),
            click.option(
                "--table",
                multiple=True,
                callback=_once,
                help="Table of a database, such as sqlite:///checks.db.",
            ),
            click.option("--query", multiple=True, callback=_once, help="Query of a database."),
            click.option(
                "--description",
                metavar="FILE",
                help="Table Schema, Data Package or CSVW file that describes the columns. "
                "[default: one beside the data]",
            ),
            click.option(
                "--sheet",
                multiple=True,
                callback=_once,
                help="Worksheet to read. [default: first non-empty sheet]",
            ),
        )
    ):
        command = option(command)
    return command


def settings_options(command: F) -> F:
    """Settings of the comparison, as in a file of settings."""
    for option in reversed(
        (
            click.option(
                "--settings",
                "settings_file",
                type=click.Path(path_type=Path, dir_okay=False),
                help="Settings file. [default: nachsicht.toml if it exists]",
            ),
            click.option(
                "--key", multiple=True, help="Key column that identifies a row. Repeatable."
            ),
            click.option(
                "--outcome", help="Outcome column; every other column is shown against it."
            ),
            click.option("--time-column", help="Datetime column to use as time axis."),
            click.option(
                "--duplicates-in",
                multiple=True,
                metavar="COLUMN",
                help="Also count duplicate rows in these columns only. Repeatable.",
            ),
            click.option("--omit", multiple=True, help="Column or pattern to leave out."),
            click.option(
                "--mask", multiple=True, help="Column whose values are replaced by pseudonyms."
            ),
            click.option(
                "--kind",
                "kinds",
                multiple=True,
                metavar="COLUMN=KIND",
                help="Override the inferred kind of a column (setting kinds). Repeatable.",
            ),
            click.option(
                "--language",
                multiple=True,
                help="Language of all texts: en or de. Given again, the page can be switched.",
            ),
            click.option(
                "--accepted",
                type=click.Path(dir_okay=False),
                help="File of accepted findings. [default: nachsicht-accepted.toml]",
            ),
            click.option(
                "--set",
                "assignments",
                multiple=True,
                metavar="NAME=VALUE",
                help="Any other setting, such as alpha=0.01 or findings.zeros.off=true. "
                "Repeatable.",
            ),
        )
    ):
        command = option(command)
    return command


def settings_given(options: dict[str, Any]) -> tuple[Path | None, dict[str, Any]]:
    """The file of settings, if there is one, and the settings that options give."""
    from nachsicht.config.files import assigned, default_file, nested

    file = options.get("settings_file")
    if file is None:
        file = default_file()
    given = nested(map(assigned, options.get("assignments", ())))
    for name in _READING:
        if options.get(name) is not None:
            given.setdefault("reading", {})[name] = options[name]
    for name in _SETTINGS:
        value = options.get(name)
        if value:
            given[name] = list(value) if isinstance(value, tuple) else value
    if options.get("kinds"):
        given["kinds"] = dict(map(_kind, options["kinds"]))
    return file, given


def _kind(text: str) -> tuple[str, str]:
    column, sign, kind = text.rpartition("=")
    if not sign:
        raise click.BadParameter(f"{text!r} is not of the form COLUMN=KIND", param_hint="--kind")
    return column, kind


def verbose_option(command: F) -> F:
    """The traceback of an error, for those who look into it; read where errors are caught."""
    return click.option(
        "--verbose",
        is_flag=True,
        expose_value=False,
        callback=_remember_verbose,
        help="Show the traceback of an error.",
    )(command)


def _remember_verbose(ctx: click.Context, _: click.Parameter, value: bool) -> None:
    ctx.find_root().meta["nachsicht.verbose"] = value
