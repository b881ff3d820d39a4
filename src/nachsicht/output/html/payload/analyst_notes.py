"""Notes of the analyst as HTML, by what they speak of."""

from __future__ import annotations

from functools import cache
from typing import Any

from nachsicht.config.analyst_notes import COLUMN, FINDING, SECTIONS
from nachsicht.model.comparison import ComparisonDocument


def notes_payload(document: ComparisonDocument) -> dict[str, str]:
    """HTML by address; what speaks of nothing that is there stands with the page's own note."""
    found: dict[str, list[str]] = {}
    for address, text in document.notes.items():
        places = _places(address, document)
        for place in places:
            found.setdefault(place, []).append(_html(text))
        if not places:
            found.setdefault("page", []).append(_html(f"`{address}`: {text}"))
    return {place: "".join(texts) for place, texts in found.items()}


def _places(address: str, document: ComparisonDocument) -> list[str]:
    if address in SECTIONS:
        return [address]
    if address.startswith(COLUMN):
        name = address.removeprefix(COLUMN)
        return [COLUMN + column.name for column in document.columns if name in column.names]
    code, _, name = address.removeprefix(FINDING).partition("/")
    return [
        f"{FINDING}{place}"
        for place, finding in enumerate(document.findings)
        if finding.code == code and (not name or name in finding.columns)
    ]


def _html(markdown: str) -> str:
    rendered: str = _renderer().render(markdown)
    return rendered


@cache
def _renderer() -> Any:
    from markdown_it import MarkdownIt

    # HTML is shown as text, and nothing is loaded from anywhere; links to scripts are none.
    return MarkdownIt("commonmark", {"html": False}).enable("table").disable("image")
