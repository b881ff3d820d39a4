"""Options that several commands share."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

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
                help="Write the page (.html) or the document (.json). Can be given twice.",
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
            click.option("--delimiter", help="What stands between fields; else it is found out."),
            click.option("--encoding", help="Encoding of the text, such as utf-8 or cp1252."),
            click.option("--decimal", help="Decimal sign: a point or a comma."),
            click.option(
                "--header/--no-header", default=None, help="Whether the first line holds names."
            ),
            click.option("--sheet", help="Sheet of a workbook; else the first that is not empty."),
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
        help="Show the traceback of an error.",
    )(command)


def _remember_verbose(ctx: click.Context, _: click.Parameter, value: bool) -> None:
    ctx.find_root().meta["nachsicht.verbose"] = value
