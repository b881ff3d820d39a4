"""The commands that look up and note down: settings, explain, accept."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nachsicht.cli.language import Command, language_option, text
from nachsicht.cli.options import (
    reading_options,
    settings_given,
    settings_options,
    verbose_option,
)
from nachsicht.i18n import phrase, printable

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import datetime

    from rich.table import Table

    from nachsicht.comparison.courses.happenings import Happening


@click.command(cls=Command, short_help=text("settings_short"))
@settings_options
@click.option("--schema", is_flag=True, help=text("schema"))
@verbose_option
def settings(schema: bool, **options: Any) -> None:
    """Print every setting with its value, and the file and line, option or default it is from.

    \b
    Examples:
      nachsicht settings
      nachsicht settings --settings team.toml --key hive_id
    """
    from rich.markup import escape

    from nachsicht.config.files import effective_settings
    from nachsicht.i18n import catalogue

    if schema:
        import msgspec

        from nachsicht.config.settings import schema as schema_of_settings

        click.echo(msgspec.json.format(msgspec.json.encode(schema_of_settings()), indent=2))
        return
    words = catalogue()["terminal"]
    table = _table(words["setting"], words["value"], words["origin"])
    file, given = settings_given(options)
    for entry in effective_settings(file, given):
        table.add_row(entry.name, _shown(entry.value), escape(printable(entry.origin)))
    _print(table)


@click.command(cls=Command, short_help=text("remedies_short"))
@click.argument("sources", nargs=-1, required=True)
@click.option(
    "-o",
    "--out",
    "target",
    type=click.Path(path_type=Path),
    help=text("out_of_remedies"),
)
@click.option("--polars", "library", flag_value="polars", help=text("polars"))
@click.option("--pandas", "library", flag_value="pandas", default=True, help=text("pandas"))
@reading_options
@settings_options
@verbose_option
def remedies(sources: tuple[str, ...], target: Path | None, library: str, **options: Any) -> None:
    """Write a script that mends SOURCES: what is odd in one, or what changed up to the last.

    Every step has a comment and a switch. The script is run as: python mend.py SOURCE TARGET

    \b
    Examples:
      nachsicht remedies checks.csv -o mend.py
      nachsicht remedies checks_2024.csv checks_2025.csv -o mend.py
      python mend.py checks_2025.csv checks_2025_mended.csv
    """
    import nachsicht
    from nachsicht._util.atomic_write import check_folder, write_atomically
    from nachsicht.i18n import phrase, size

    if target is not None:
        check_folder(target)
    base, given = settings_given(options)
    if len(sources) == 1:
        script = nachsicht.profile(sources[0], settings=base, **given).remedies(library)
    else:
        script = nachsicht.compare(*sources, settings=base, **given).remedies(library)
    if target is None:
        click.echo(script, nl=False)
        return
    write_atomically(target, script.encode("utf-8"))
    line = phrase("terminal.wrote", path=target, size=size(len(script.encode("utf-8"))))
    click.echo(printable(line))


@click.command(cls=Command, short_help=text("explain_short"))
@click.argument("code", required=False)
@language_option
@verbose_option
def explain(code: str | None) -> None:
    """Tell what the finding CODE means, when it is made, and what to do; or list all codes.

    \b
    Examples:
      nachsicht explain
      nachsicht explain rescaled
    """
    from nachsicht.config.settings import check_name
    from nachsicht.findings.registry import FINDINGS
    from nachsicht.output.findings_reference import entry_lines, list_of_codes

    if code is None:
        for line in list_of_codes():
            click.echo(line)
        return
    check_name(code, tuple(FINDINGS), "explain", "finding")
    for line in entry_lines(code):
        click.echo(line)


@click.command(cls=Command, short_help=text("accept_short"))
@click.argument("comparison", type=click.Path(path_type=Path))
@click.argument("code")
@click.argument("column", required=False, default="")
@click.option("--reason", required=True, help=text("reason"))
@click.option("--from", "since", default="", help=text("accept_from"))
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), metavar="DATE", help=text("until"))
@click.option(
    "-o",
    "--out",
    type=click.Path(path_type=Path, dir_okay=False),
    help=text("out_of_accept"),
)
@language_option
@verbose_option
def accept(
    comparison: Path,
    code: str,
    column: str,
    reason: str,
    since: str,
    until: datetime | None,
    out: Path | None,
) -> None:
    """Accept the finding CODE about COLUMN that the document COMPARISON (.json) holds.

    Leave COLUMN out for findings about the rows. Later comparisons show it as accepted and do
    not count it, until it grows graver than it is now.

    Instead of a document it may be the folder of a history; CODE is then jump, spike, drift or
    season. What began with a version stays accepted in all later ones.

    \b
    Examples:
      nachsicht accept changes.json rescaled hive_weight --reason "scales in lb since May"
      nachsicht accept scales/ jump weight --reason "new scales"
    """
    import nachsicht
    from nachsicht.config.baseline_file import DEFAULT, add_accepted
    from nachsicht.i18n import phrase
    from nachsicht.model.findings import Accepted

    path = out or Path(DEFAULT)
    if comparison.is_dir():
        found = nachsicht.History(comparison).courses().found
        in_order = sorted(found.happened, key=lambda each: found.labels.index(each.first))
        event = _happening_in(in_order, code, column, since, comparison)
        severity, since = event.severity, event.first
    else:
        severity = _finding_in(
            nachsicht.read(comparison).findings, code, column, comparison
        ).severity
    entry = Accepted(
        code=code,
        column=column,
        since=since,
        reason=reason,
        severity=severity,
        until=until.date().isoformat() if until else "",
    )
    new = add_accepted(path, entry)
    message = "terminal.accepted_new" if new else "terminal.accepted_again"
    click.echo(printable(phrase(message, code=code, column=column, path=path)))


def _happening_in(
    happened: Sequence[Happening], form: str, column: str, since: str, where: Path
) -> Happening:
    """What happened to a column in that form, with that version; the latest where none is named."""
    from nachsicht.errors import SettingsError

    own = [e for e in happened if (e.form, e.column) == (form, column) and since in ("", e.first)]
    if own:
        return own[-1]
    there = ", ".join(f"{e.form} {e.column} --from {e.first}" for e in happened)
    raise SettingsError(
        "no_finding",
        where=str(where),
        todo=phrase("hints.holds", findings=there) if there else phrase("hints.holds_none"),
        code_=form,
        column=column,
    )


def _finding_in(findings: Any, code: str, column: str, where: Path) -> Any:
    from nachsicht.errors import SettingsError

    for finding in findings:
        named = column in finding.columns if column else not finding.columns
        if finding.code == code and named:
            return finding
    there = ", ".join(f"{f.code} {f.columns[0] if f.columns else ''}".strip() for f in findings)
    raise SettingsError(
        "no_finding",
        where=str(where),
        todo=phrase("hints.holds", findings=there) if there else phrase("hints.holds_none"),
        code_=code,
        column=column,
    )


def _table(*heads: str) -> Table:
    from rich.box import SIMPLE_HEAD
    from rich.table import Table

    table = Table(box=SIMPLE_HEAD, show_edge=False, header_style="dim")
    for head in heads:
        table.add_column(head)
    return table


def _shown(value: Any) -> str:
    from rich.markup import escape

    if isinstance(value, dict):
        inner = {escape(printable(name)): _shown(entry) for name, entry in value.items()}
        return ", ".join(f"{name} = {v}" for name, v in inner.items() if v != "–") or "–"
    if isinstance(value, list | tuple):
        return escape(printable(", ".join(map(str, value)))) or "–"
    return "–" if value is None else escape(printable(str(value)))


def _print(table: Table) -> None:
    from nachsicht.cli.console import console

    console().print(table)
