"""The summary in a terminal: verdict, versions, findings, and the columns in lines."""

from __future__ import annotations

from collections.abc import Callable
from io import StringIO
from typing import TYPE_CHECKING

from nachsicht.i18n import (
    catalogue,
    count,
    count_share,
    hundredths,
    no_group_below,
    percent,
    phrase,
    printable,
)
from nachsicht.model.comparison import ColumnComparison, ComparisonDocument, summaries_of
from nachsicht.model.findings import Finding, Severity
from nachsicht.model.profile import ProfileDocument
from nachsicht.output.html.payload.kinds import distinct_text, kind_payload
from nachsicht.output.markdown import rows_sentences

if TYPE_CHECKING:
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

#: The colours that every terminal has, and that its owner may have chosen.
STYLES = {
    Severity.ACT: "bold white on magenta",
    Severity.CHECK: "bold yellow",
    Severity.NOTE: "dim",
}
BAR_STYLES = {Severity.ACT: "magenta", Severity.CHECK: "yellow", Severity.NOTE: "blue"}
MOST_FINDINGS = 12
WIDTH = 80
BAR = 8


def summary_text(document: ComparisonDocument) -> str:
    """The summary as plain text, for a Python prompt."""
    from rich.console import Console

    console = Console(
        file=StringIO(), width=WIDTH, color_system=None, force_terminal=False, force_jupyter=False
    )
    print_summary(document, console)
    file = console.file
    assert isinstance(file, StringIO)
    return file.getvalue().rstrip("\n")


def print_summary(document: ComparisonDocument, console: Console) -> None:
    """Print verdict, versions, findings and columns."""
    with no_group_below(document.smallest_group):
        _print_summary(document, console.print)


def _print_summary(document: ComparisonDocument, say: Callable[..., None]) -> None:
    from rich.text import Text

    say()
    say(Text(printable(document.title), style="bold"))
    if document.smallest_group:
        say(Text(document.sharing[0], style="dim"))
    for version in document.versions:
        say(_version_line(version))
    say()
    verdict = Text(printable(document.verdict.headline), style="bold")
    verdict.append(f" {printable(document.verdict.detail)}", style="not bold")
    say(verdict)
    if document.findings:
        say()
        say(_findings_table(document))
    sentences = rows_sentences(document)
    if sentences or document.stale_baseline:
        say()
    for sentence in sentences:
        say(Text(printable(sentence), style="dim"))
    for stale in document.stale_baseline:
        say(Text(printable(stale.sentence), style="yellow"))
    say()
    say(_columns_table(document))


def _version_line(version: ProfileDocument) -> Text:
    from rich.text import Text

    facts = [
        phrase("terminal.rows_columns", rows=count(version.rows), n=len(version.columns)),
        phrase(
            "terminal.missing_cells",
            share=percent(version.missing_cells / version.cells if version.cells else 0),
        ),
    ]
    if version.duplicates.duplicate_rows:
        facts.append(_repeated(version.duplicates.duplicate_rows))
    return Text.assemble((f"{printable(version.label)}  ", "bold cyan"), (" · ".join(facts), "dim"))


def _repeated(rows: int) -> str:
    return phrase("terminal.repeated", n=rows, rows=count(rows))


def _findings_table(document: ComparisonDocument) -> Table:
    from rich.table import Table
    from rich.text import Text

    table = Table.grid(padding=(0, 1))
    width = max(map(len, catalogue()["severities"].values()))
    table.add_column(width=width + 2, no_wrap=True)
    table.add_column()
    ordered = sorted(document.findings, key=lambda finding: finding.accepted is not None)
    for finding in ordered[:MOST_FINDINGS]:
        tag = _tag(finding.severity) if finding.accepted is None else Text("  ·  ", style="dim")
        table.add_row(tag, _finding_text(finding, len(document.versions)))
    further = len(document.findings) - MOST_FINDINGS
    if further > 0:
        table.add_row("", Text(phrase("terminal.further", n=further), style="dim"))
    return table


def _tag(severity: Severity) -> Text:
    from rich.text import Text

    return Text(f" {catalogue()['severities'][severity].upper()} ", style=STYLES[severity])


def _finding_text(finding: Finding, versions: int) -> Text:
    from rich.text import Text

    text = Text(printable(finding.title), style="bold")
    if finding.columns:
        text.append("  " + printable(", ".join(finding.columns)), style="not bold cyan")
    if versions > 2:
        text.append(f"  {printable(' → '.join(finding.version_names))}", style="not bold dim")
    if finding.accepted is not None:
        known = phrase("terminal.accepted", reason=finding.accepted)
        text.append(" " + printable(known), style="not bold dim")
        return text
    if finding.sentence:
        text.append("\n" + printable(finding.sentence), style="not bold")
    return text


def _columns_table(document: ComparisonDocument) -> Table:
    from rich.box import SIMPLE_HEAD
    from rich.table import Table
    from rich.text import Text

    words = catalogue()["terminal"]
    table = Table(box=SIMPLE_HEAD, padding=(0, 1), show_edge=False, header_style="dim")
    table.add_column(words["column"], max_width=20, overflow="ellipsis", no_wrap=True)
    table.add_column(words["kind"], style="dim", no_wrap=True)
    table.add_column(
        words["typical"], justify="right", overflow="ellipsis", no_wrap=True, max_width=23
    )
    table.add_column(words["missing"], justify="right", no_wrap=True)
    compared = len(document.versions) > 1
    if compared:
        table.add_column(words["change"], no_wrap=True, min_width=BAR + 5)
    else:
        table.add_column(words["distinct"], justify="right", no_wrap=True)
    for column in document.columns:
        summaries = summaries_of(column, document.versions)
        newest = next(summary for summary in reversed(summaries) if summary)
        bounds = newest.error_bounds
        about = "≈ " if bounds and bounds.distinct_rel else ""
        last = _change_bar(column) if compared else Text(about + distinct_text(newest))
        table.add_row(
            Text(printable(column.name)),
            catalogue()["kinds"][column.kind],
            Text(printable(kind_payload(newest)["typical"])),
            count_share(newest.missing, newest.rows),
            last,
        )
    return table


def _change_bar(column: ColumnComparison) -> Text:
    from rich.text import Text

    distance = column.transitions[-1].distance if column.transitions else None
    if distance is None:
        return Text("–", style="dim")
    filled = round(distance * BAR)
    style = BAR_STYLES[column.severity] if column.severity else "dim"
    return Text.assemble(
        ("■" * filled, style), ("·" * (BAR - filled), "dim"), f" {hundredths(distance)}"
    )
