"""The commands of a history: record, history."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from nachsicht._util.progress import ProgressBar
from nachsicht.cli.language import Command, text
from nachsicht.cli.options import (
    output_options,
    reading_options,
    settings_given,
    settings_options,
    verbose_option,
)
from nachsicht.cli.output import (
    hand_over,
    one_line,
    open_page_of,
    print_courses,
    targets_of,
    tell_written,
)
from nachsicht.i18n import phrase

#: What a history is written as, where it has versions enough.
_READ = (".html", ".htm", ".md")


@click.command(cls=Command, short_help=text("record_short"))
@click.argument("source")
@click.option("--into", "folder", required=True, type=click.Path(path_type=Path), help=text("into"))
@click.option("--label", help=text("label"))
@click.option("--moment", help=text("moment"))
@click.option("-q", "--quiet", is_flag=True, help=text("quiet"))
@reading_options
@settings_options
@verbose_option
def record(
    source: str, folder: Path, label: str | None, moment: str | None, **given_options: Any
) -> None:
    """Profile SOURCE and add its document to the history in a folder.

    \b
    Examples:
      nachsicht record checks_2025-06.csv --into history
      nachsicht record delivery.csv --into history --label june --moment 2025-06-01
    """
    import nachsicht

    base, given = settings_given(given_options)
    history = nachsicht.History(folder)
    with ProgressBar(quiet=given_options["quiet"]) as bar:
        added = history.record(
            source, label=label, moment=moment, settings=base, progress=bar, **given
        )
    if not given_options["quiet"]:
        line = phrase("terminal.recorded", label=added.label, n=len(history), folder=str(folder))
        click.echo(one_line(line))


@click.command(cls=Command, short_help=text("history_short"))
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--last", type=click.IntRange(min=2), help=text("last"))
@output_options
@settings_options
@verbose_option
def history(folder: Path, last: int | None, **output: Any) -> None:
    """Show the versions of the history in FOLDER, each against the one before.

    \b
    Examples:
      nachsicht history history -o weeks.html
      nachsicht history history --last 8
    """
    import nachsicht

    outputs = targets_of(output)
    base, given = settings_given(output)
    kept = nachsicht.History(folder)
    report = kept.courses(last, settings=base, **given)
    if not output["quiet"]:
        print_courses(report)
    # Few versions are compared step by step; so are those of which the document is asked for.
    steps = [path for path in outputs if not (report.enough and path.suffix in _READ)]
    if not report.enough or steps:
        with ProgressBar(quiet=output["quiet"]) as bar:
            result = kept.compare(last=last, settings=base, progress=bar, **given)
            _ = result.document
        hand_over(result, steps, output, summary=not report.enough)
    written = [report.write(path) for path in outputs if path not in steps]
    if not output["quiet"]:
        tell_written(written)
    open_page_of(written, output)
