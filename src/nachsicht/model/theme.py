"""The house's own colours and logo, as a page carries them."""

from __future__ import annotations

import msgspec


class Theme(msgspec.Struct, frozen=True, kw_only=True):
    """Colours as #rrggbb, a logo as a data address, and what is wrong with them.

    ``ink`` is the colour of the newest version, ``ghost`` that of older ones; None keeps the
    usual. ``notes`` tell of too little contrast.
    """

    ink: str | None = None
    ghost: str | None = None
    logo: str | None = None
    notes: tuple[str, ...] = ()
