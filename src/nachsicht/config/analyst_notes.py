"""Notes of the analyst: which part of the page each speaks of."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from nachsicht.model.findings import FindingCode

#: What a note can speak of as a whole: the page, or one of its sections.
SECTIONS = (
    *("page", "columns", "explore", "outcome", "relations", "missing", "duplicates", "rows"),
    *("time", "origin"),
)
#: What stands before the name of a column, and the code of a finding.
COLUMN, FINDING = "column/", "finding/"


def unknown_address(notes: Mapping[str, str]) -> tuple[str, tuple[str, ...]] | None:
    """The first address that leads nowhere, with those that would; None if all lead somewhere.

    ``page``, a section, ``column/NAME``, ``finding/CODE`` or ``finding/CODE/COLUMN``.
    """
    codes = get_args(FindingCode)
    for address in notes:
        if address.startswith(FINDING):
            code = address.removeprefix(FINDING).partition("/")[0]
            if code not in codes:
                return address, tuple(f"{FINDING}{known}" for known in codes)
        elif not (address in SECTIONS or address.removeprefix(COLUMN) != address):
            return address, (*SECTIONS, f"{COLUMN}NAME", f"{FINDING}CODE")
    return None
