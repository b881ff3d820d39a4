"""The command ``nachsicht``: a thin layer over the public API."""

from __future__ import annotations

import sys

from nachsicht.cli.language import speak_as_asked

speak_as_asked(sys.argv[1:])

from nachsicht.cli.commands import main  # noqa: E402 (its help is worded when it is made)

__all__ = ["main"]
