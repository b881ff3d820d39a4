"""The language of the command: chosen before anything is worded, so also for its help."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from inspect import cleandoc
from typing import Any, TypeVar

import click

from nachsicht.i18n import languages, phrase, set_language

#: Names the language of a user who does not want to say it each time.
VARIABLE = "NACHSICHT_LANGUAGE"
_OPTION = "--language"


def speak_as_asked(arguments: Sequence[str]) -> None:
    """Set the language of this process by its arguments, or else by the environment."""
    chosen = os.environ.get(VARIABLE, "")
    for place in range(len(arguments) - 1, -1, -1):  # the first that is given counts
        name, sign, value = arguments[place].partition("=")
        if name == _OPTION:
            chosen = value if sign else "".join(arguments[place + 1 : place + 2])
    if chosen in languages():
        set_language(chosen)


def text(name: str) -> str:
    """A text of the help."""
    return phrase(f"help.{name}")


F = TypeVar("F", bound=Callable[..., Any])


def language_option(command: F) -> F:
    """The language of commands that have no settings; it was set before they are called."""
    return click.option(
        _OPTION, type=click.Choice(languages()), expose_value=False, help=text("language")
    )(command)


class _Worded:
    """Heads of the help, which click words itself, and what a command is about."""

    def format_usage(self: Any, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The line that shows how it is called."""
        pieces = self.collect_usage_pieces(ctx)
        formatter.write_usage(ctx.command_path, " ".join(pieces), prefix=f"{text('usage')} ")

    def format_options(self: Any, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """All options; of a group its commands too."""
        options = [one for one in self.get_params(ctx) if isinstance(one, click.Option)]
        records = [option.get_help_record(ctx) for option in options]
        with formatter.section(text("options")):
            formatter.write_dl([record for record in records if record])
        if isinstance(self, click.Group):
            self.format_commands(ctx, formatter)

    def format_commands(self: Any, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The commands of a group, each in a line."""
        named = [(name, self.get_command(ctx, name)) for name in self.list_commands(ctx)]
        with formatter.section(text("commands")):
            formatter.write_dl([(name, command.get_short_help_str(80)) for name, command in named])

    def get_help_option(self: Any, ctx: click.Context) -> click.Option | None:
        """The option that shows the help."""
        option: click.Option | None = super().get_help_option(ctx)  # type: ignore[misc]
        if option is not None:
            option.help = text("help_option")
        return option


class Command(_Worded, click.Command):
    """A command whose help is in the catalogues."""


class Group(_Worded, click.Group):
    """A group whose help is in the catalogues."""

    command_class = Command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that the arguments begin with."""
        if self.get_command(ctx, args[0]) is None:
            raise click.UsageError(phrase("help.no_such_command", name=args[0]), ctx)
        return super().resolve_command(ctx, args)


def usage_error(error: click.ClickException) -> str:
    """What is wrong with a call, in the current language; click has no words but English ones."""
    if isinstance(error, click.NoSuchOption):
        near = phrase("hints.did_you_mean", name=" / ".join(error.possibilities or ()))
        what = phrase("help.no_such_option", name=error.option_name)
        return f"{what}. {near}" if error.possibilities else what
    if isinstance(error, click.BadOptionUsage):
        return phrase("help.option_needs_value", name=error.option_name)
    if isinstance(error, click.MissingParameter) and error.param is not None:
        return phrase("help.not_given", name=error.param.get_error_hint(error.ctx))
    if isinstance(error, click.BadParameter) and error.param is not None:
        name, kind = error.param.get_error_hint(error.ctx), error.param.type
        if isinstance(kind, click.Choice):
            return phrase("help.not_a_choice", name=name, choices=", ".join(map(str, kind.choices)))
        return f"{name}: {error.message}"
    return error.format_message()


def describe(command: click.Command, name: str) -> None:
    """Give a command the description of the catalogue, before the examples that it has."""
    _, mark, examples = cleandoc(command.help or "").partition("\b\n")
    _, _, lines = examples.partition("\n")
    shown = f"\n\n\b\n{text('examples')}\n{lines}" if mark else ""
    command.help = text(f"{name}_command") + shown
