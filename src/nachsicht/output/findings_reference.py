"""The catalogue of findings as text: one code, or the list of all."""

from __future__ import annotations

import re
import sys
import textwrap
from collections.abc import Iterator
from typing import cast

from nachsicht.findings.registry import CATALOGUE, ENTRIES, Entry
from nachsicht.i18n import catalogue, number, phrase
from nachsicht.model.findings import FindingCode, Severity
from nachsicht.remedies.templates import TEMPLATES

_WIDTH = 80


def list_of_codes() -> Iterator[str]:
    """All codes with their titles, within a version and between two."""
    words = catalogue()
    for between in (False, True):
        yield words["terminal"]["between" if between else "within"].capitalize()
        for entry in ENTRIES:
            if entry.between is between:
                yield f"  {entry.code:24}{_facts_marked(title_of(entry))}"


def entry_lines(code: str) -> Iterator[str]:
    """What a code means, its kinds, its rule of weight, its evidence and the next step."""
    words, entry = catalogue(), CATALOGUE[cast("FindingCode", code)]
    told = words["findings"][code]
    yield f"{code}: {_facts_marked(title_of(entry))}"
    yield from textwrap.wrap(_facts_marked(_one(told["sentence"])), _WIDTH)
    yield ""
    yield from textwrap.wrap(_facts_marked(told["next_step"]), _WIDTH)
    yield ""
    yield from textwrap.wrap(f"{words['terminal']['example']}: {words['examples'][code]}", _WIDTH)
    yield ""
    kinds = ", ".join(words["kinds"][kind] for kind in entry.kinds)
    place = words["terminal"]["between" if entry.between else "within"]
    yield f"{words['terminal']['kinds'] + ':':12}{kinds or words['page']['rows']}; {place}"
    yield f"{words['terminal']['rule'] + ':':12}{rule_of(entry)}"
    yield f"{words['terminal']['evidence'] + ':':12}{', '.join(entry.evidence)}"
    if entry.code in TEMPLATES:
        yield f"{words['terminal']['remedy'] + ':':12}{TEMPLATES[entry.code].pandas}"


def title_of(entry: Entry) -> str:
    """The title of a code, with its facts in braces."""
    told = catalogue()["findings"][entry.code]
    first = next(name for name in told if name.startswith("title"))
    return _one(told[first])


def rule_of(entry: Entry) -> str:
    """From which size on a finding has which weight, in words."""
    limits = [(weight, getattr(entry, weight)) for weight in Severity]
    known = [(weight, limit) for weight, limit in limits if limit is not None]
    if len(known) == 1 and known[0][1] == 0:
        return phrase("terminal.always", weight=known[0][0])
    return ", ".join(
        phrase("terminal.from_size", weight=weight, size=number(limit)) for weight, limit in known
    )


def _one(words: object) -> str:
    """A phrase for several, where the catalogue tells one from several."""
    return str(words["other"] if isinstance(words, dict) else words)


def _facts_marked(text: str) -> str:
    """Facts that are filled in, between angled quotes."""
    return re.sub(r"\{(\w+)\}", r"‹\1›", text)


def catalogue_page() -> str:
    """The whole catalogue as a page in Markdown: `make findings` writes it to the docs."""
    words = catalogue()
    lines = ["# Findings", "", words["catalogue"]["about"], ""]
    for between in (False, True):
        lines += [f"## {words['terminal']['between' if between else 'within'].capitalize()}", ""]
        lines += ["| code | what it says | an example | kinds | weight | evidence | remedy |"]
        lines += ["|---|---|---|---|---|---|---|"]
        for entry in ENTRIES:
            if entry.between is not between:
                continue
            told = words["findings"][entry.code]
            kinds = ", ".join(words["kinds"][kind] for kind in entry.kinds) or words["page"]["rows"]
            said = f"**{_facts_marked(title_of(entry))}.** {_facts_marked(_one(told['sentence']))}"
            next_step = _facts_marked(told["next_step"])
            cells = (
                f"`{entry.code}`",
                f"{said} *{next_step}*",
                words["examples"][entry.code],
                "any" if len(entry.kinds) > 7 else kinds,
                rule_of(entry),
                ", ".join(f"`{name}`" for name in entry.evidence),
                f"`{TEMPLATES[entry.code].pandas}`" if entry.code in TEMPLATES else "",
            )
            lines.append("| " + " | ".join(cells) + " |")
        lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    sys.stdout.write(catalogue_page())
