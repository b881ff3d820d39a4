"""The page: a skeleton that is readable without script, the bundle, and the results."""

from __future__ import annotations

import base64
import gzip
import hashlib
import html
import re
from collections.abc import Callable, Sequence
from functools import cache
from importlib.resources import files
from typing import Any

import msgspec

from nachsicht.i18n import DEFAULT, catalogue, use_language
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.theme import Theme
from nachsicht.output.html.payload.page import payload_of

#: Of compression: a page is 1 % smaller at the highest, which takes three times as long.
_LEVEL = 5
#: The pages that there are.
_PAGES = ("page", "history")
#: Where the page's data begins, behind all that is shown without a script.
_DATA = '<script type="application/gzip"'
#: Signs that no reader sees and a terminal would obey, as they stand and as JSON writes them.
_CONTROLS = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f]")
_ESCAPED_CONTROLS = re.compile(rb"((?<!\\)(?:\\\\)*)\\(?:u00(?:0[0-8be-f]|1[0-9a-f]|7f)|b|f)")
#: What they begin with.
_ESCAPES = (rb"\u00", rb"\b", rb"\f")
#: Those that JSON writes as they stand, in UTF-8.
_PLAIN_CONTROLS = re.compile(rb"\x7f|\xc2[\x80-\x9f]")
#: Puts the packed page in the place of what is there.
_UNPACKING = (
    '<script type="module">'
    'const bytes = Uint8Array.from(atob("{packed}"), (sign) => sign.charCodeAt(0));'
    'const plain = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));'
    "const page = await new Response(plain).text();"
    "document.open(); document.write(page); document.close();"
    "</script>"
)
#: Height of the page inside a notebook, in CSS pixels.
NOTEBOOK_HEIGHT = 720


def page_of(document: ComparisonDocument, languages: Sequence[str] = (DEFAULT,)) -> str:
    """The whole page as one HTML text; it loads nothing and sends nothing.

    It is written in the first of the languages; readers can switch to the others.
    """
    return rendered_page("page", lambda: payload_of(document), languages, document.theme)


def rendered_page(
    name: str,
    payload: Callable[[], dict[str, Any]],
    languages: Sequence[str],
    theme: Theme | None = None,
) -> str:
    """A page of ours as one HTML text.

    Parameters
    ----------
    name : str
        Of its template, its script and its style: ``page`` or ``history``.
    payload : callable
        Makes the page's data in the current language.
    languages : sequence of str
        That in which it is written, then the others that readers can switch to.
    theme : Theme, optional
        The house's colours.
    """
    script, style = _bundle(name)
    style += _theme_style(theme)
    first, *others = dict.fromkeys(languages)
    edition = _edition(payload, first)
    differing = _differing(payload, edition, others)
    with use_language(first):
        rendered = str(
            _templates().render_template(
                f"{name}.html",
                language=first,
                page=edition["page"],
                words=catalogue(),
                script=script,
                style=style,
                policy=_policy(script, style),
                data=_packed({"language": first, **edition, "others": differing}),
            )
        )
    shown, packed, script = rendered.partition(_DATA)
    return _CONTROLS.sub("�", shown) + packed + script


def _edition(payload: Callable[[], dict[str, Any]], language: str) -> dict[str, Any]:
    """The page's data and words in one language."""
    with use_language(language):
        return {"page": payload(), "words": _page_words()}


def _differing(
    payload: Callable[[], dict[str, Any]], edition: dict[str, Any], others: Sequence[str]
) -> dict[str, Any]:
    """What differs from an edition in other languages, by these."""
    if not others:
        return {}
    plain = _plain(edition)
    return {other: difference(plain, _plain(_edition(payload, other))) for other in others}


def _plain(value: object) -> Any:
    """As JSON holds it."""
    return msgspec.json.decode(msgspec.json.encode(value))


def difference(one: Any, other: Any) -> Any:
    """What of a tree of plain values differs in another of the same shape.

    Returns
    -------
    None where nothing does; a dict of what differs, by names or places; else the other value in a
    list of its own.
    """
    if isinstance(one, dict) and isinstance(other, dict) and one.keys() == other.keys():
        pairs = [(name, one[name], other[name]) for name in one]
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        pairs = [(str(i), a, b) for i, (a, b) in enumerate(zip(one, other, strict=True))]
    else:
        return None if one == other else [other]
    found = {name: away for name, a, b in pairs if (away := difference(a, b)) is not None}
    return found or None


def prepare() -> None:
    """Load what every page is made with; `page_of` does so too, where that was not done before."""
    _bundle("page")
    _templates()
    catalogue()


def _theme_style(theme: Theme | None) -> str:
    """The house's colours, on paper; in the dark the usual ones are kept, which fit there."""
    if theme is None or not (theme.ink or theme.ghost):
        return ""
    own = [f"--{name}: {c}; " for name, c in (("ink", theme.ink), ("ghost", theme.ghost)) if c]
    fill = f"--ink-fill: {theme.ink}; " if theme.ink else ""
    return f"@media not (prefers-color-scheme: dark) {{ :root {{ {''.join(own)}{fill}}} }}"


def notebook_frame(page: str, document: ComparisonDocument, language: str = DEFAULT) -> str:
    """The document's page in a frame that may run its script and open nothing else.

    Notebooks keep what they show: the page is packed, and unpacks itself. Where no script may run
    the verdict stands alone.
    """
    with use_language(language):
        verdict = html.escape(f"{document.verdict.headline} {document.verdict.detail}")
    packed = base64.b64encode(gzip.compress(page.encode(), _LEVEL, mtime=0)).decode()
    source = html.escape(f"<p>{verdict}</p>{_UNPACKING.format(packed=packed)}", quote=True)
    title = html.escape(document.title, quote=True)
    return (
        f'<iframe sandbox="allow-scripts allow-downloads" srcdoc="{source}" title="{title}" '
        f'style="width:100%;height:{NOTEBOOK_HEIGHT}px;border:0"></iframe>'
    )


def _page_words() -> dict[str, Any]:
    """The part of the catalogue that the page's script needs."""
    words = catalogue()
    parts = (
        *("page", "kinds", "kind_reasons", "severities", "reasons", "statistics", "definitions"),
        *("measures", "trajectories", "numbers", "language"),
    )
    # What has several forms is worded before the page has it.
    return {
        part: {name: text for name, text in words[part].items() if isinstance(text, str)}
        for part in parts
    }


def _packed(value: object) -> str:
    """JSON, compressed, in letters that cannot end a script element, whatever values it holds."""
    text = msgspec.json.encode(value)
    if any(sign in text for sign in _ESCAPES):  # which few pages have, and is found at once
        text = _ESCAPED_CONTROLS.sub(rb"\1\\ufffd", text)
    text = _PLAIN_CONTROLS.sub("�".encode(), text)
    return base64.b64encode(gzip.compress(text, _LEVEL, mtime=0)).decode()


def _policy(script: str, style: str) -> str:
    """Only our own script and style, recognised by their fingerprints; no requests at all."""
    return (
        "default-src 'none'; base-uri 'none'; form-action 'none'; img-src data: blob:; "
        f"script-src '{_fingerprint(script)}'; style-src '{_fingerprint(style)}'"
    )


def _fingerprint(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode("utf-8")).digest()).decode()


@cache
def _bundle(name: str) -> tuple[str, str]:
    """Script and style of a page, as the build of ``ui/`` left them."""
    folder = files(__package__) / "bundle"
    script = (folder / f"{name}.js").read_text(encoding="utf-8")
    style = (folder / f"{name}.css").read_text(encoding="utf-8")
    if "</script" in script.lower() or "</style" in style.lower():
        raise AssertionError("the bundle would end its own element")
    return script, style


@cache
def _templates() -> Any:
    from minijinja import Environment

    folder = files(__package__) / "templates"
    names = [f"{name}.html" for name in ("base", *_PAGES)]
    return Environment(
        templates={name: (folder / name).read_text(encoding="utf-8") for name in names},
        undefined_behavior="strict",
        auto_escape_callback=lambda _name: "html",
        trim_blocks=True,
        lstrip_blocks=True,
    )
