"""The command: how it is called and ends; profile, compare, demo."""

from __future__ import annotations

import atexit
import errno
import gc
import io
import os
import platform
import signal
import sys
import traceback
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nachsicht._util.progress import ProgressBar
from nachsicht._version import VERSION
from nachsicht.cli.history import history, record
from nachsicht.cli.inspect import accept, explain, remedies, settings
from nachsicht.cli.language import Group, describe, language_option, text, usage_error
from nachsicht.cli.options import (
    FAILED,
    STOPPED,
    output_options,
    pipeline_options,
    reading_options,
    reading_options_for_each,
    settings_given,
    settings_options,
    verbose_option,
)
from nachsicht.cli.output import (
    hand_over,
    one_line,
    print_courses,
    print_summary_of,
    targets_of,
    tell_written,
)
from nachsicht.cli.staged import staged
from nachsicht.errors import NachsichtError
from nachsicht.i18n import current_language, phrase, use_language

if TYPE_CHECKING:
    from nachsicht.output.ci.annotations import Dialect
    from nachsicht.output.history_report import HistoryReport
    from nachsicht.results import Comparison, Profile

#: Added to the number of the signal that ended the command.
_SIGNALLED = 128


class _Ended(BaseException):
    """A signal asks the command to end; copies of data are removed on the way out."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number


class _Commands(Group):
    """Tells every error as one line on stderr and exits with 2, never with 1."""

    def make_context(self, info_name: str | None, *rest: Any, **more: Any) -> click.Context:
        try:
            return super().make_context(info_name, *rest, **more)
        except click.ClickException as error:
            sys.exit(_refuse(error, info_name or "nachsicht"))

    def invoke(self, ctx: click.Context) -> Any:
        _listen()
        try:
            try:
                return super().invoke(ctx)
            finally:
                sys.stdout.flush()
        except (click.exceptions.Exit, click.Abort):
            raise
        except click.ClickException as error:
            ctx.exit(_refuse(error, ctx.command_path))
        except (KeyboardInterrupt, _Ended) as ended:
            click.echo(f"nachsicht: {text('stopped')}", err=True)
            ctx.exit(_SIGNALLED + getattr(ended, "number", signal.SIGINT))
        except BrokenPipeError:
            _leave_output()
            ctx.exit(_SIGNALLED + 13)
        except Exception as error:
            if ctx.find_root().meta.get("nachsicht.verbose"):
                traceback.print_exc()
            else:
                click.echo(f"nachsicht: {one_line(_message(error))}", err=True)
            if isinstance(error, OSError):
                _leave_output()
            ctx.exit(FAILED)


def _refuse(error: click.ClickException, command: str) -> int:
    """Say what is wrong with a call in one line; the exit status."""
    given = getattr(error, "ctx", None)
    see = phrase("help.see_help", command=given.command_path if given else command)
    what = usage_error(error)
    end = "" if what.endswith(("?", ".")) else "."
    click.echo(f"nachsicht: {one_line(f'{what}{end} {see}')}", err=True)
    return FAILED


def _listen() -> None:
    """End in an orderly way where that is asked for; write what the output cannot as a ``?``."""

    def end(number: int, _: object) -> None:
        raise _Ended(number)

    for name in ("SIGTERM", "SIGHUP"):
        number = getattr(signal, name, None)
        if number is not None and signal.getsignal(number) is signal.SIG_DFL:  # not under nohup
            signal.signal(number, end)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def _message(error: Exception) -> str:
    if isinstance(error, NachsichtError):
        return str(error)
    if isinstance(error, MemoryError):
        return text("no_memory")
    if isinstance(error, RecursionError):
        return text("nested_too_deep")
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return text("disk_full")
    # What it says may quote values or addresses that nobody should see.
    return phrase("help.unexpected", error=type(error).__name__)


def _leave_output() -> None:
    """Nothing more goes to an output that takes nothing; Python would try again at its end."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, sys.stdout.fileno())
    os.close(nowhere)


def _show_version(context: click.Context, _: click.Parameter, wanted: bool) -> None:
    """What a report of something wrong should say: which Nachsicht, on what."""
    if not wanted or context.resilient_parsing:
        return
    from nachsicht.kernels import COMPILED

    python = f"Python {platform.python_version()}, {platform.system()} {platform.machine()}"
    kernels = phrase("terminal.kernels_compiled" if COMPILED else "terminal.kernels_plain")
    click.echo(f"nachsicht {VERSION}, {kernels}, {python}")
    context.exit()


@click.group(
    cls=_Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 96},
    epilog=text("epilog"),
)
@language_option
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_show_version,
    help=text("version_option"),
)
def main() -> None:
    """Show what a dataset holds, and what changed between one version of it and the next."""
    # The process ends with the command: what is left then need not be looked through.
    atexit.register(gc.freeze)


@main.command(short_help=text("profile_short"))
@click.argument("source")
@click.option("--label", help=text("label"))
@click.option("--dry-run", is_flag=True, help=text("dry_run"))
@pipeline_options
@output_options
@reading_options
@settings_options
@verbose_option
def profile(
    source: str,
    label: str | None,
    dry_run: bool,
    stop_on: str | None,
    annotate: Dialect | None,
    **output: Any,
) -> None:
    """Describe the dataset in SOURCE.

    SOURCE is a file (CSV and other delimited text, Parquet, Arrow, JSON, Excel, SPSS, Stata,
    SAS …; compressed or not), a folder of part files, a pattern such as "part_*.csv", a file
    at a revision of its git repository (checks.csv@v1.2), or - for standard input.

    Exit status: 0, or 1 where --stop-on stopped it, or 2 for an error.

    \b
    Examples:
      nachsicht profile checks.csv
      nachsicht profile checks.parquet -o checks.html --open
      nachsicht profile checks.csv -o 2024.json       keep it, to compare with later
    """
    import nachsicht

    base, given = settings_given(output)
    if dry_run:
        click.echo(str(nachsicht.plan(source, settings=base, **given)))
        return
    outputs = targets_of(output)
    with ProgressBar(quiet=output["quiet"]) as bar:
        result = nachsicht.profile(source, label=label, settings=base, progress=bar, **given)
        _ = result.document  # all of it, while the bar is there
    hand_over(result, outputs, output)
    _annotate(result, annotate)
    if stop_on:
        _stop(result, stop_on, None)


@main.command(short_help=text("compare_short"))
@click.argument("sources", nargs=-1, required=True)
@click.option("--label", "labels", multiple=True, help=text("label_of_compare"))
@click.option(
    "--by",
    help=text("by"),
)
@click.option(
    "--since",
    metavar="REVISION",
    help=text("since"),
)
@click.option(
    "--split-at",
    "cuts",
    multiple=True,
    metavar="COLUMN=VALUE",
    help=text("split_at"),
)
@click.option("--each-file", is_flag=True, help=text("each_file"))
@click.option("--against", type=click.Path(path_type=Path), metavar="FOLDER", help=text("against"))
@click.option("--group", "groups", multiple=True, help=text("group"))
@click.option(
    "--rows",
    "rows_file",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help=text("rows"),
)
@pipeline_options
@output_options
@reading_options_for_each
@settings_options
@verbose_option
def compare(
    sources: tuple[str, ...],
    labels: tuple[str, ...],
    by: str | None,
    since: str | None,
    cuts: tuple[str, ...],
    each_file: bool,
    against: Path | None,
    groups: tuple[str, ...],
    rows_file: Path | None,
    stop_on: str | None,
    annotate: Dialect | None,
    **output: Any,
) -> None:
    """Tell what changed from one of SOURCES to the next, the oldest first.

    Each is a file, folder or pattern as for `nachsicht profile`, a file at a revision of its git
    repository (checks.csv@v1.2), or the document (.json) of a profile made before. With --by, the
    groups of one source are compared: each with all other rows, or two with each other, if there
    are but two or --group names them.

    Exit status: 0, or 1 where --stop-on stopped it, or 2 for an error.

    \b
    Examples:
      nachsicht compare checks_2024.csv checks_2025.csv
      nachsicht compare checks_2024.csv checks_2025.csv --rows changed.csv
      nachsicht compare train.parquet test.parquet --label train --label test -o split.html
      nachsicht compare 2024.json checks_2025.csv --stop-on act -o summary.md
      nachsicht compare checks.csv --by hive_type
      nachsicht compare checks.xlsx --sheet 2024 --sheet 2025
      nachsicht compare checks.csv@v1.2 checks.csv
      nachsicht compare checks.csv --since v1.0
      nachsicht compare checks.csv --split-at checked_on=2025-03-01
      nachsicht compare deliveries/ --each-file
      nachsicht compare june.csv --against history --stop-on act
    """
    import nachsicht
    from nachsicht.tables.changed_rows import check_file_of_rows

    base, given = settings_given(output)
    sources = _each_of(sources, by, since, each_file=each_file)
    if len(sources) == 1:  # two tables of a database, two sheets of a workbook
        sources *= len(given.get("reading_by_version", ())) or 1
    if cuts:
        by, cuts = _cuts(by, cuts)
    if against is not None and (by is not None or len(sources) != 1):
        raise click.UsageError(text("one_with_against"))
    if by is None and against is None and len(sources) < 2:
        raise click.UsageError(text("two_sources"))
    if by is not None and len(sources) != 1:
        raise click.UsageError(text("one_with_by"))
    outputs = targets_of(output)
    if rows_file is not None:
        check_file_of_rows(rows_file)
    with ProgressBar(quiet=output["quiet"]) as bar:
        if by is not None:
            result = nachsicht.compare_groups(
                sources[0],
                by,
                groups=groups or None,
                split_at=cuts or None,
                settings=base,
                progress=bar,
                **given,
            )
        elif against is not None:
            result = nachsicht.History(against).compare(
                sources[0],
                label=labels[0] if labels else None,
                settings=base,
                progress=bar,
                **given,
            )
        else:
            result = nachsicht.compare(
                *sources, labels=labels or None, settings=base, progress=bar, **given
            )
        _ = result.document  # all of it, while the bar is there
        written = [result.rows.write(rows_file)] if rows_file is not None else []
    hand_over(result, outputs, output, besides=written)
    report = result.courses() if result.document.is_history else None
    if report and not output["quiet"]:
        print_courses(report)
    _annotate(result, annotate)
    if stop_on:
        _stop(result, stop_on, report)


def _each_of(
    sources: tuple[str, ...], by: str | None, since: str | None, *, each_file: bool
) -> tuple[str, ...]:
    """The sources, or what one of them stands for: its revisions, then the files of a folder."""
    if since is not None:
        from nachsicht.sources.versions.since import versions_since

        if by is not None or len(sources) != 1:
            raise click.UsageError(text("one_with_since"))
        sources = tuple(versions_since(Path(sources[0]), since))
    if each_file:
        from nachsicht.sources.folders import part_files

        if len(sources) != 1:
            raise click.UsageError(text("one_with_each_file"))
        sources = tuple(str(path) for path in part_files(Path(sources[0])))
    return sources


def _cuts(by: str | None, cuts: tuple[str, ...]) -> tuple[str, tuple[str, ...]]:
    """The one column that is cut, and where."""
    pairs = [cut.rpartition("=") for cut in cuts]
    columns = {column for column, _, _ in pairs}
    if "" in columns or len(columns) != 1 or by is not None:
        raise click.UsageError(text("split_form"))
    return columns.pop(), tuple(value for _, _, value in pairs)


def _annotate(result: Profile | Comparison, dialect: Dialect | None) -> None:
    """Print the open findings as commands of a CI server."""
    if dialect is None:
        return
    from nachsicht.output.ci.annotations import annotation_lines

    with use_language(result._languages[0]):
        for line in annotation_lines(result._across, dialect):
            click.echo(line)


def _stop(result: Profile | Comparison, severity: str, report: HistoryReport | None) -> None:
    """Exit with 1 if the newest version has an open finding that weighs so much.

    With a history it is held against all versions before it as well.
    """
    from nachsicht.i18n import phrase
    from nachsicht.model.findings import Severity

    verdict = result._across.verdict
    n = verdict.act + (verdict.check if severity == "check" else 0)
    graver = [each for each in Severity if each.rank <= Severity(severity).rank]
    n += sum(report.found.open(each, newest=True) for each in graver) if report else 0
    if n:
        click.echo(
            phrase("terminal.stopped", n=n, severity=phrase(f"severities.{severity}")), err=True
        )
        click.get_current_context().exit(STOPPED)


@main.command(short_help=text("demo_short"))
@click.argument("folder", default="nachsicht-demo", type=click.Path(path_type=Path))
@click.option("--open", "open_page", is_flag=True, help=text("open"))
@click.option("-q", "--quiet", is_flag=True, help=text("quiet"))
@language_option
@verbose_option
def demo(folder: Path, open_page: bool, quiet: bool) -> None:
    """Write the hive checks and scales of a made-up beekeepers' union, and their pages, to FOLDER.

    \b
    Examples:
      nachsicht demo
      nachsicht demo somewhere/else --open
    """
    import nachsicht
    from nachsicht._util.progress import Progress
    from nachsicht.demo.files import copy_files, write_weeks

    copied = copy_files(folder)
    old, new = (copied[f"hive_checks_{year}.csv"] for year in (2024, 2025))
    with ProgressBar(quiet=quiet) as bar:
        comparison = nachsicht.compare(old, new, progress=bar, language=current_language())
        _ = comparison.document
    pages = [comparison.write(folder / "comparison_2024_2025.html")]
    pages += [page.write(folder / f"profile_{page.label}.html") for page in comparison.versions]
    history = nachsicht.History(folder / "history")
    recorded = {version.label for version in history}  # the demo may have been here before
    weeks = write_weeks(folder / "hive_scales")
    with ProgressBar(quiet=quiet) as bar:
        for done, (label, path) in enumerate(weeks.items(), 1):
            if label not in recorded:
                history.record(path, label=label)
            bar(Progress("versions", done, len(weeks)))
    title = phrase("terminal.demo_history")
    report = history.courses(title=title, language=current_language())
    pages.append(report.write(folder / "history.html"))
    if not quiet:
        print_summary_of(comparison)
        tell_written([*copied.values(), *pages])
    if open_page:
        click.launch(str(pages[0].resolve()))


for command in (record, history, remedies, settings, explain, accept, staged):
    main.add_command(command)
describe(main, "main")
for name, each in main.commands.items():
    describe(each, name)
