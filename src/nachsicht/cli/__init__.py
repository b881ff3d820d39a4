"""The command ``nachsicht``: thin, laid over the public face."""

from __future__ import annotations

from nachsicht.cli.commands import main

__all__ = ["main"]
