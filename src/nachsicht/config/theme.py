"""A house theme from settings: colours checked for contrast, a logo put into the page."""

from __future__ import annotations

import base64
import re
from pathlib import Path

from nachsicht.config.settings import ThemeChoice
from nachsicht.errors import SettingsError
from nachsicht.model.notes import Note
from nachsicht.model.theme import Theme

#: The paper that ink and ghost are drawn on, and the contrast that each needs there: text in
#: ink (WCAG 2.2, 1.4.3), outlines in ghost (1.4.11).
PAPER = "#fbfaf7"
NEEDED = {"ink": 4.5, "ghost": 3.0}
_IMAGES = {
    ".png": "image/png",
    ".jpg": "image/jpeg",
    ".jpeg": "image/jpeg",
    ".svg": "image/svg+xml",
}
#: A logo that is larger would make every page heavy.
_LARGEST_LOGO = 200_000


def theme_of(choice: ThemeChoice | None) -> Theme | None:
    """The theme that settings choose; None where they choose none.

    Raises
    ------
    SettingsError
        If a colour is no colour, or the logo cannot be read.
    """
    if choice is None:
        return None
    notes = []
    for name, needed in NEEDED.items():
        colour = getattr(choice, name)
        if colour is None:
            continue
        if not re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
            raise SettingsError("not_a_colour", where=f"theme.{name}", colour=colour)
        found = contrast(colour, PAPER)
        if found < needed:
            facts = {"name": name, "colour": colour, "found": found, "needed": needed}
            notes.append(Note("low_contrast", facts))
    logo = _logo(Path(choice.logo)) if choice.logo else None
    return Theme(ink=choice.ink, ghost=choice.ghost, logo=logo, notes=tuple(notes))


def contrast(one: str, other: str) -> float:
    """Contrast of two colours, 1 to 21, as WCAG 2.2 defines it."""
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def _logo(path: Path) -> str:
    kind = _IMAGES.get(path.suffix.lower())
    if kind is None:
        raise SettingsError("logo_no_image", where=str(path), list=", ".join(_IMAGES))
    try:
        data = path.read_bytes()
    except OSError as error:
        raise SettingsError("logo_not_opened", where=str(path), strerror=error.strerror) from error
    if len(data) > _LARGEST_LOGO:
        raise SettingsError(
            "logo_too_large", where=str(path), n=len(data), largest_logo=_LARGEST_LOGO
        )
    return f"data:{kind};base64,{base64.b64encode(data).decode()}"
