"""Options that several commands share."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from nachsicht.cli.language import text
from nachsicht.i18n import phrase

#: Exit status where an open finding stopped a pipeline, and of every error.
STOPPED, FAILED = 1, 2
#: Options with the names of settings.
_READING = ("delimiter", "encoding", "decimal", "header", "sheet", "table", "query", "description")
_SETTINGS = (
    *("na_values", "key", "duplicates_in", "omit", "mask", "language"),
    *("memory_bytes", "spill_folder", "title", "outcome", "time_column", "accepted"),
)
#: How many rows a group has that `--share` tells of; another number is given as the setting.
_USUAL_GROUP = 10
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
            self.fail(phrase("help.bad_size", value=repr(value)), param, ctx)
        return int(float(found.group(1)) * _UNITS[found.group(2)])


def _once(_: click.Context, param: click.Parameter, values: tuple[str, ...]) -> str | None:
    """The one value of an option that holds for all versions alike."""
    if len(values) > 1:
        raise click.BadParameter(text("given_twice"), param=param)
    return values[0] if values else None


def _for_each(
    _: click.Context, __: click.Parameter, values: tuple[str, ...]
) -> str | tuple[str, ...] | None:
    """A value for all versions, or one for each of them."""
    return values if len(values) > 1 else values[0] if values else None


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
                help=text("out"),
            ),
            click.option("--title", help=text("title")),
            click.option("--open", "open_page", is_flag=True, help=text("open")),
            click.option("-q", "--quiet", is_flag=True, help=text("quiet")),
        )
    ):
        command = option(command)
    return command


def reading_options(command: F) -> F:
    """How files are read, where it shall not be found out."""
    return _reading(command, _once)


def reading_options_for_each(command: F) -> F:
    """As `reading_options`; those that may differ are given once, or once for each version."""
    return _reading(command, _for_each)


def _reading(command: F, checked: Callable[..., Any]) -> F:
    for option in reversed(
        (
            *(
                click.option(f"--{name}", multiple=True, callback=checked, help=text(name))
                for name in ("delimiter", "encoding", "decimal")
            ),
            click.option(
                "--header/--no-header",
                default=None,
                help=text("header"),
            ),
            click.option(
                "--na-value",
                "na_values",
                multiple=True,
                help=text("na_value"),
            ),
            click.option(
                "--memory",
                "memory_bytes",
                type=ByteSize(),
                help=text("memory"),
            ),
            click.option(
                "--spill-folder",
                metavar="FOLDER",
                help=text("spill_folder"),
            ),
            *(
                click.option(f"--{name}", multiple=True, callback=checked, help=text(name))
                for name in ("table", "query", "sheet")
            ),
            click.option("--only", multiple=True, metavar="COLUMN", help=text("only")),
            click.option("--where", multiple=True, metavar="CONDITION", help=text("where")),
            click.option(
                "--description",
                metavar="FILE",
                help=text("description"),
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
                help=text("settings"),
            ),
            click.option("--key", multiple=True, help=text("key")),
            click.option("--outcome", help=text("outcome")),
            click.option("--time-column", help=text("time_column")),
            click.option(
                "--duplicates-in",
                multiple=True,
                metavar="COLUMN",
                help=text("duplicates_in"),
            ),
            click.option("--omit", multiple=True, help=text("omit")),
            click.option("--mask", multiple=True, help=text("mask")),
            click.option(
                "--kind",
                "kinds",
                multiple=True,
                metavar="COLUMN=KIND",
                help=text("kind"),
            ),
            click.option(
                "--language",
                multiple=True,
                help=text("language"),
            ),
            click.option(
                "--accepted",
                type=click.Path(dir_okay=False),
                help=text("accepted"),
            ),
            click.option("--share", is_flag=True, help=text("share")),
            click.option(
                "--note",
                "notes",
                multiple=True,
                metavar="ADDRESS=TEXT",
                help=text("note"),
            ),
            click.option(
                "--theme",
                type=click.Path(path_type=Path, dir_okay=False),
                metavar="FILE",
                help=text("theme"),
            ),
            click.option(
                "--set",
                "assignments",
                multiple=True,
                metavar="NAME=VALUE",
                help=text("set"),
            ),
        )
    ):
        command = option(command)
    return command


def settings_given(options: dict[str, Any]) -> tuple[Path | None, dict[str, Any]]:
    """The file of settings, if there is one, and the settings that options give."""
    from nachsicht.config.files import assigned, default_file, nested, read_theme

    file = options.get("settings_file")
    if file is None:
        file = default_file()
    given = nested(map(assigned, options.get("assignments", ())))
    _add_reading(given, options)
    for name in _SETTINGS:
        value = options.get(name)
        if value:
            given[name] = list(value) if isinstance(value, tuple) else value
    if options.get("share"):
        given.setdefault("share", _USUAL_GROUP)
    if options.get("notes"):
        given["notes"] = dict(map(_note, options["notes"]))
    if options.get("theme"):
        given["theme"] = read_theme(options["theme"])
    if options.get("kinds"):
        given["kinds"] = dict(map(_kind, options["kinds"]))
    return file, given


def _add_reading(given: dict[str, Any], options: dict[str, Any]) -> None:
    """Add how data is read: for all versions, or once for each."""
    each: dict[str, tuple[str, ...]] = {}
    for name in _READING:
        if isinstance(options.get(name), tuple):
            each[name] = options[name]
        elif options.get(name) is not None:
            given.setdefault("reading", {})[name] = options[name]
    if each:
        given["reading_by_version"] = _by_version(each)
    for name in ("only", "where"):
        if options.get(name):
            given.setdefault("reading", {})[name] = list(options[name])


def _by_version(each: dict[str, tuple[str, ...]]) -> list[dict[str, str]]:
    """What is said once for each version, version by version."""
    versions = max(map(len, each.values()))
    for name, values in each.items():
        if len(values) != versions:
            raise click.BadParameter(text("uneven_options"), param_hint=f"--{name}")
    return [{name: values[i] for name, values in each.items()} for i in range(versions)]


def _kind(given: str) -> tuple[str, str]:
    column, sign, kind = given.rpartition("=")
    if not sign:
        raise click.BadParameter(phrase("help.kind_form", value=repr(given)), param_hint="--kind")
    return column, kind


def _note(given: str) -> tuple[str, str]:
    address, sign, words = given.partition("=")
    if not sign:
        raise click.BadParameter(phrase("help.note_form", value=repr(given)), param_hint="--note")
    return address.strip(), words


def pipeline_options(command: F) -> F:
    """From which severity on findings are a failure, and how a pipeline is told of them."""
    for option in reversed(
        (
            click.option("--stop-on", type=click.Choice(["act", "check"]), help=text("stop_on")),
            click.option(
                "--annotate", type=click.Choice(["github", "azure"]), help=text("annotate")
            ),
        )
    ):
        command = option(command)
    return command


def verbose_option(command: F) -> F:
    """The traceback of an error, for those who look into it; read where errors are caught."""
    return click.option(
        "--verbose",
        is_flag=True,
        expose_value=False,
        callback=_remember_verbose,
        help=text("verbose"),
    )(command)


def _remember_verbose(ctx: click.Context, _: click.Parameter, value: bool) -> None:
    ctx.find_root().meta["nachsicht.verbose"] = value
