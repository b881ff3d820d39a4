"""What commands have in common once a result is there: files, what is printed, the page opened."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nachsicht.i18n import phrase, printable, size, use_language

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nachsicht.output.history_report import HistoryReport
    from nachsicht.results import Comparison, Profile

#: Lines that a history takes in a terminal, at most.
_MOST_LINES = 32


def one_line(text: str) -> str:
    """A text in one line, without control characters, which a terminal would obey."""
    return printable(" ".join(text.split()))


def targets_of(output: dict[str, Any]) -> list[Path]:
    """The files to write, checked before the work begins."""
    from nachsicht._util.atomic_write import check_folder

    targets = list(output["outputs"])
    if output["open_page"] and not any(path.suffix == ".html" for path in targets):
        targets.append(Path("nachsicht.html"))
    for target in targets:
        check_folder(target)
    return targets


def hand_over(
    result: Profile | Comparison,
    targets: list[Path],
    output: dict[str, Any],
    *,
    summary: bool = True,
    besides: Sequence[Path] = (),
) -> None:
    """Write the files, then print the summary, then open the page."""
    written = [*(result.write(target) for target in targets), *besides]
    if not output["quiet"]:
        if summary:
            print_summary_of(result)
        tell_written(written)
    open_page_of(written, output)


def open_page_of(written: list[Path], output: dict[str, Any]) -> None:
    """Open the page, if that is asked for and one was written."""
    page = next((path for path in written if path.suffix == ".html"), None)
    if page and output["open_page"]:
        click.launch(str(page.resolve()))


def print_summary_of(result: Profile | Comparison) -> None:
    """The verdict, the findings and the columns, in the terminal."""
    from nachsicht.cli.console import console
    from nachsicht.output.terminal import WIDTH, print_summary

    with use_language(result._languages[0]):
        print_summary(result._across, console(WIDTH))


def tell_written(paths: list[Path]) -> None:
    """Say what was written, and how large it is."""
    if paths:
        click.echo()
    for path in paths:
        line = phrase("terminal.wrote", path=path, size=size(path.stat().st_size))
        click.echo(one_line(line))


def print_courses(report: HistoryReport) -> None:
    """What happened along a history, in at most so many lines."""
    if not report.enough:
        return
    found = report.found
    with use_language(report.languages[0]):
        head = phrase("courses.head", n=len(found.labels), columns=len(found.columns))
        click.echo(f"\n{one_line(report.verdict)}\n\n{one_line(head)}\n")
        for strip, sentence in list(zip(report.strips, report.sentences, strict=True))[
            :_MOST_LINES
        ]:
            click.echo(f"  {strip}  {one_line(sentence)}")
        more = len(report) - _MOST_LINES
        if more > 0:
            click.echo(f"  {phrase('courses.more', n=more)}")
        if not len(report):
            click.echo(f"  {phrase('courses.none')}")
