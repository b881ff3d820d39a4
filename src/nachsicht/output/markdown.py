"""The summary in Markdown, fit for a merge request: verdict, versions, findings, rows."""

from __future__ import annotations

import re
from collections.abc import Sequence

from nachsicht.comparison.courses.course import reason_of, severity_of
from nachsicht.comparison.courses.happenings import Happening
from nachsicht.i18n import catalogue, count, no_group_below, percent, phrase, whole
from nachsicht.model.comparison import ComparisonDocument, RowChanges, RowEstimate
from nachsicht.model.findings import Finding
from nachsicht.tables.courses import CoursesPart

#: Notes beyond so many are counted, not listed.
MOST_NOTES = 10
#: So much of what happened along a history is listed.
MOST_HAPPENINGS = 30
#: Signs that Markdown, or the HTML inside of it, would take for more than themselves.
_SIGNS = re.compile(r"([\\`*_\[\]<>#|~&$])")


def summary_markdown(document: ComparisonDocument) -> str:
    """The summary as Markdown; values and names of the data stand as plain text."""
    with no_group_below(document.smallest_group):
        return "\n".join(_summary(document)) + "\n"


def _summary(document: ComparisonDocument) -> list[str]:
    words = catalogue()["page"]
    lines = [f"## {plain(document.title)}", ""]
    if document.smallest_group:
        lines += [plain(" ".join(document.sharing)), ""]
    lines += [f"**{plain(document.verdict.headline)}** {plain(document.verdict.detail)}", ""]
    lines += [
        f"| {words['version']} | {words['rows']} | {words['columns_n']} "
        f"| {words['missing_cells']} | {words['duplicate_rows']} |",
        "|---|--:|--:|--:|--:|",
    ]
    for version in document.versions:
        share = percent(version.missing_cells / version.cells) if version.cells else "0 %"
        lines.append(
            f"| {plain(version.label)} | {count(version.rows)} | {whole(len(version.columns))} "
            f"| {share} | {count(version.duplicates.duplicate_rows)} |"
        )
    lines += _findings(document)
    for sentence in rows_sentences(document):
        lines += ["", plain(sentence)]
    for stale in document.stale_baseline:
        lines += ["", plain(stale.sentence)]
    return lines


def history_markdown(part: CoursesPart, title: str) -> str:
    """What happened along a history, as Markdown, in at most 40 lines."""
    found = part.found
    head = phrase("courses.head", n=len(found.labels), columns=len(found.columns))
    lines = [f"## {plain(title)}", "", f"**{plain(part.headline)}** {plain(part.detail)}", ""]
    lines += [plain(head), ""]
    pairs = list(zip(found.together, part.sentences, strict=True))
    words = catalogue()["severities"]
    lines += [_happening(words[severity_of(g)], g, text) for g, text in pairs[:MOST_HAPPENINGS]]
    more = len(pairs) - MOST_HAPPENINGS
    lines += [f"- {plain(phrase('courses.more', n=more))}"] if more > 0 else []
    return "\n".join(lines) + "\n"


def _happening(severity: str, group: Sequence[Happening], text: str) -> str:
    return f"- **{severity}** {plain(text)}" if reason_of(group) is None else f"- {plain(text)}"


def _findings(document: ComparisonDocument) -> list[str]:
    still_open = [finding for finding in document.findings if finding.accepted is None]
    known = [finding for finding in document.findings if finding.accepted is not None]
    urgent = [finding for finding in still_open if finding.severity != "note"]
    notes = [finding for finding in still_open if finding.severity == "note"]
    many = len(document.versions) > 2
    lines = [""] if document.findings else []
    lines += [_line(finding, many) for finding in urgent + notes[:MOST_NOTES]]
    if len(notes) > MOST_NOTES:
        lines.append(f"- {phrase('terminal.further', n=len(notes) - MOST_NOTES)}")
    lines += [
        f"- ~~{plain(finding.title)}~~ {_where(finding, many)} "
        f"{plain(phrase('terminal.accepted', reason=finding.accepted))}"
        for finding in known
    ]
    return lines


def _line(finding: Finding, many: bool) -> str:
    tag = catalogue()["severities"][finding.severity]
    said = [f"{plain(finding.sentence)} "] if finding.sentence else []
    step = f"*{plain(finding.next_step)}*" if finding.next_step else ""
    text = "".join([*said, step])
    return f"- **{tag}** {plain(finding.title)}{_where(finding, many)}  \n  {text}"


def _where(finding: Finding, many: bool) -> str:
    columns = f" — **{plain(', '.join(finding.columns))}**" if finding.columns else ""
    return columns + (f" ({plain(' → '.join(finding.version_names))})" if many else "")


def rows_sentences(document: ComparisonDocument) -> list[str]:
    """What became of the rows at each step, where that says something."""
    steps = len(document.versions) - 1
    parts = document.grouped_by or document.sliced_by
    if steps and not document.rows and parts is None:
        estimates = [_estimate_sentence(found, document) for found in document.row_estimates]
        return estimates or [phrase("rows.not_compared")]
    return [
        rows_sentence(rows, document)
        for rows in document.rows
        if rows.key or rows.unchanged or rows.changed
    ]


def _estimate_sentence(found: RowEstimate, document: ComparisonDocument) -> str:
    facts = {
        "old": "" if found.before is None else document.versions[found.before].label,
        "new": document.versions[found.after].label,
        "added": count(found.added),
        "removed": count(found.removed),
        "off": count(found.uncertainty),
    }
    return phrase(
        "rows.estimated" if found.uncertainty else "rows.by_profiles", key=found.key, **facts
    )


def rows_sentence(rows: RowChanges, document: ComparisonDocument) -> str:
    """What became of the rows, in one sentence."""
    facts = {
        "old": "" if rows.before is None else document.versions[rows.before].label,
        "new": document.versions[rows.after].label,
        "key": ", ".join(rows.key),
        "same": count(rows.unchanged),
        "changed": count(rows.changed),
        "added": count(rows.added),
        "removed": count(rows.removed),
    }
    text = phrase(f"rows.{_matched_by(rows)}", **facts)
    left_out, now = rows.duplicate_keys
    if rows.key and (left_out or now):
        text += phrase("rows.keys_repeat", n=count(left_out), m=count(now), **facts)
    return text


def _matched_by(rows: RowChanges) -> str:
    if rows.key:
        return "by_key"
    return "but_a_cell" if rows.changed else "whole"


def plain(text: str) -> str:
    """A text from the data in one line, every sign that Markdown reads made harmless."""
    joined = " ".join("".join(c if c.isprintable() else " " for c in text).split())
    harmless = _SIGNS.sub(r"\\\1", joined).replace("://", ":\\//")
    return harmless.replace("@", "@\u2060")  # calls nobody by name
