"""The house's own colours and logo, as a page carries them."""

from __future__ import annotations

from typing import Annotated

import msgspec

from nachsicht.model.notes import Note

#: Documents come from anywhere, and these reach the style and the pictures of a page.
Colour = Annotated[str, msgspec.Meta(pattern=r"^#[0-9a-fA-F]{6}$")]
_LOGO = r"^data:image/(png|jpeg|svg\+xml);base64,[A-Za-z0-9+/=]*$"


class Theme(msgspec.Struct, frozen=True, kw_only=True):
    """Colours as #rrggbb, a logo as a data address, and what is wrong with them.

    ``ink`` is the colour of the newest version, ``ghost`` that of older ones; None keeps the
    usual. ``notes`` tell of too little contrast.
    """

    ink: Colour | None = None
    ghost: Colour | None = None
    logo: Annotated[str, msgspec.Meta(pattern=_LOGO, max_length=300_000)] | None = None
    notes: tuple[Note, ...] = ()
