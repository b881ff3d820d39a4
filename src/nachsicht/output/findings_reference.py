"""The catalogue of findings as text: one code, or the list of all."""

from __future__ import annotations

import re
import sys
import textwrap
from collections.abc import Iterator

from nachsicht.config.settings import Settings
from nachsicht.findings.registry import FINDINGS, FindingType
from nachsicht.findings.thresholds import thresholds_of
from nachsicht.i18n import catalogue, number, phrase

_WIDTH = 80


def list_of_codes() -> Iterator[str]:
    """All codes with their titles, within a version and between two."""
    words = catalogue()
    for between in (False, True):
        yield words["terminal"]["between" if between else "within"].capitalize()
        for entry in FINDINGS.values():
            if entry.between is between:
                yield f"  {entry.code:24}{_facts_marked(title_of(entry))}"


def entry_lines(code: str) -> Iterator[str]:
    """What a code means, its kinds, its thresholds, its evidence and the next step."""
    words, entry = catalogue(), FINDINGS[code]
    entry_words = words["findings"][code]
    yield f"{code}: {_facts_marked(title_of(entry))}"
    yield from textwrap.wrap(_facts_marked(_first(entry, "sentence")), _WIDTH)
    yield ""
    yield from textwrap.wrap(_facts_marked(entry_words["next_step"]), _WIDTH)
    yield ""
    yield from textwrap.wrap(f"{words['terminal']['example']}: {words['examples'][code]}", _WIDTH)
    yield ""
    kinds = ", ".join(words["kinds"][kind] for kind in entry.kinds)
    place = words["terminal"]["between" if entry.between else "within"]
    yield f"{words['terminal']['kinds'] + ':':12}{kinds or words['page']['rows']}; {place}"
    yield f"{words['terminal']['rule'] + ':':12}{rule_of(entry)}"
    yield f"{words['terminal']['evidence'] + ':':12}{', '.join(entry.evidence.split())}"
    if entry.remedy:
        yield f"{words['terminal']['remedy'] + ':':12}{entry.remedy.pandas}"


def title_of(entry: FindingType) -> str:
    """The title of a code, with its facts in braces."""
    return _first(entry, "title")


def _first(entry: FindingType, part: str) -> str:
    """The first text of a code for a part: of several forms that of the first."""
    entry_words = catalogue()["findings"][entry.code]
    return _one(next(entry_words[name] for name in entry_words if name.startswith(part)))


def rule_texts(code: str) -> tuple[str, str, str]:
    """Title, sentence and next step of a code, for whatever it is found of."""
    entry, words = FINDINGS[code], catalogue()["findings"][code]
    texts = title_of(entry), _first(entry, "sentence"), words["next_step"]
    title, sentence, next_step = map(_facts_marked, texts)
    return title, sentence, next_step


def rule_of(entry: FindingType) -> str:
    """From which size on a finding has which severity, in words."""
    known = list(thresholds_of(entry.code, Settings()).items())
    if len(known) == 1 and known[0][1] == 0:
        return phrase("terminal.always", severity=known[0][0])
    return ", ".join(
        phrase("terminal.from_size", severity=severity, size=number(limit))
        for severity, limit in known
    )


def _one(words: object) -> str:
    """A phrase for several, where the catalogue has plural forms."""
    return str(words["other"] if isinstance(words, dict) else words)


def _facts_marked(text: str) -> str:
    """Facts that are filled in, between angled quotes; clauses that may be missing left out."""
    return re.sub(r"\{(\w+)[^}]*\}", r"‹\1›", re.sub(r"\{\?\w+\}", "", text))


def catalogue_page() -> str:
    """The whole catalogue as a page in Markdown: `make findings` writes it to the docs."""
    words = catalogue()
    lines = ["# Findings", "", words["catalogue"]["about"], ""]
    for between in (False, True):
        lines += [f"## {words['terminal']['between' if between else 'within'].capitalize()}", ""]
        lines += ["| code | what it says | an example | kinds | severity | evidence | remedy |"]
        lines += ["|---|---|---|---|---|---|---|"]
        for entry in FINDINGS.values():
            if entry.between is not between:
                continue
            entry_words = words["findings"][entry.code]
            kinds = ", ".join(words["kinds"][kind] for kind in entry.kinds) or words["page"]["rows"]
            said = (
                f"**{_facts_marked(title_of(entry))}.** {_facts_marked(_first(entry, 'sentence'))}"
            )
            next_step = _facts_marked(entry_words["next_step"])
            cells = (
                f"`{entry.code}`",
                f"{said} *{next_step}*",
                words["examples"][entry.code],
                "any" if len(entry.kinds) > 7 else kinds,
                rule_of(entry),
                ", ".join(f"`{name}`" for name in entry.evidence.split()),
                f"`{entry.remedy.pandas}`" if entry.remedy else "",
            )
            lines.append("| " + " | ".join(cells) + " |")
        lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    sys.stdout.write(catalogue_page())
