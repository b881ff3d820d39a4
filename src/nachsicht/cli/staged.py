"""The command for a hook of git: data files against their last commit."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from nachsicht.cli.language import Command, text
from nachsicht.cli.options import (
    STOPPED,
    reading_options,
    settings_given,
    settings_options,
    verbose_option,
)
from nachsicht.cli.output import one_line
from nachsicht.errors import SourceNotFoundError
from nachsicht.i18n import phrase


@click.command(cls=Command, short_help=text("staged_short"))
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@click.option("--stop-on", type=click.Choice(["act", "check"]), default="act", help=text("stop_on"))
@reading_options
@settings_options
@verbose_option
def staged(files: tuple[Path, ...], stop_on: str, **options: Any) -> None:
    """Compare each of FILES with what the last commit of its git repository holds.

    It is meant for a hook before a commit. Files that the commit does not have are new, and pass.

    Exit status: 0, or 1 where --stop-on stopped it, or 2 for an error.

    \b
    Examples:
      nachsicht staged checks.csv
      nachsicht staged data/*.parquet --stop-on check
    """
    import nachsicht
    from nachsicht.model.findings import Severity
    from nachsicht.sources.versions.git import in_repository

    base, given = settings_given(options)
    graver = [each for each in Severity if each.rank <= Severity(stop_on).rank]
    stopped = False
    for file in files:
        try:
            changes = nachsicht.compare(f"{file}@HEAD", str(file), settings=base, **given)
            verdict = changes.verdict
        except SourceNotFoundError:
            # A repository without a commit knows no file either.
            if not (file.exists() and in_repository(file)):
                raise
            click.echo(one_line(phrase("terminal.new_file", path=str(file))))
            continue
        click.echo(one_line(f"{file}: {verdict}"))
        for finding in changes.document.current_findings:
            if finding.accepted is None and finding.severity in graver:
                stopped = True
                about = ", ".join(finding.columns)
                line = f"{phrase(f'severities.{finding.severity}')}: {finding.title} {about}"
                click.echo(f"  {one_line(line)}")
    if stopped:
        click.get_current_context().exit(STOPPED)
