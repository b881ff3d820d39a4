"""Nachsicht: what a dataset holds, and what changed between one version of it and the next.

>>> import nachsicht
>>> page = nachsicht.compare("checks_2024.csv", "checks_2025.csv")  # doctest: +SKIP
>>> page.write("changes.html")  # doctest: +SKIP

`profile` describes one version, `compare` two or more. Both take a path, a pandas frame or
any object with the Arrow PyCapsule interface, and return a result that writes itself as a
page or a document, and shows itself in a notebook or a terminal.

A result's parts stand on their own: ``summary``, ``findings``, ``column(name)``, ``relations``,
``missing``, ``duplicates``, ``outcome``, ``components`` and ``time`` are frames, texts and figures;
``remedies()`` is a cleaning script for the findings. `assert_steady` is for tests of
data, `plan` for what a profile would take, `read` for documents that were kept, `History` for a
folder of them, to which new versions are added, `use_language` for the language in which findings
and errors are worded.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING

from nachsicht._version import VERSION as __version__

if TYPE_CHECKING:
    from nachsicht.api import assert_steady, compare, compare_groups, plan, profile, read
    from nachsicht.config.settings import ReadOptions, Settings, Thresholds
    from nachsicht.errors import (
        DocumentError,
        EmptySourceError,
        NachsichtError,
        OutputError,
        SettingsError,
        SourceError,
        SourceNotFoundError,
        SpillError,
        UnreadableSourceError,
    )
    from nachsicht.history.history import History
    from nachsicht.i18n import use_language
    from nachsicht.model.findings import Finding, Severity
    from nachsicht.model.kinds import Kind
    from nachsicht.model.plan import Plan
    from nachsicht.results import Comparison, Profile

#: Where each public name lives; it is loaded when it is first used.
_HOMES = {
    "profile": "nachsicht.api",
    "compare": "nachsicht.api",
    "compare_groups": "nachsicht.api",
    "assert_steady": "nachsicht.api",
    "plan": "nachsicht.api",
    "Plan": "nachsicht.model.plan",
    "read": "nachsicht.api",
    "Profile": "nachsicht.results",
    "Comparison": "nachsicht.results",
    "Settings": "nachsicht.config.settings",
    "Thresholds": "nachsicht.config.settings",
    "ReadOptions": "nachsicht.config.settings",
    "Finding": "nachsicht.model.findings",
    "Severity": "nachsicht.model.findings",
    "Kind": "nachsicht.model.kinds",
    "NachsichtError": "nachsicht.errors",
    "SourceError": "nachsicht.errors",
    "SourceNotFoundError": "nachsicht.errors",
    "EmptySourceError": "nachsicht.errors",
    "UnreadableSourceError": "nachsicht.errors",
    "OutputError": "nachsicht.errors",
    "SettingsError": "nachsicht.errors",
    "SpillError": "nachsicht.errors",
    "DocumentError": "nachsicht.errors",
    "History": "nachsicht.history.history",
    "use_language": "nachsicht.i18n",
}

__all__ = [
    "Comparison",
    "DocumentError",
    "EmptySourceError",
    "Finding",
    "History",
    "Kind",
    "NachsichtError",
    "OutputError",
    "Plan",
    "Profile",
    "ReadOptions",
    "Settings",
    "SettingsError",
    "Severity",
    "SourceError",
    "SourceNotFoundError",
    "SpillError",
    "Thresholds",
    "UnreadableSourceError",
    "__version__",
    "assert_steady",
    "compare",
    "compare_groups",
    "plan",
    "profile",
    "read",
    "use_language",
]


def __getattr__(name: str) -> object:
    if name not in _HOMES:
        raise AttributeError(f"module 'nachsicht' has no attribute {name!r}")
    found: object = getattr(import_module(_HOMES[name]), name)
    globals()[name] = found
    return found


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
