"""Labels of versions: given by the user, or made from the names of their sources."""

from __future__ import annotations

import re
from collections.abc import Sequence

from nachsicht.errors import SettingsError
from nachsicht.i18n import phrase


def labels_for(names: Sequence[str], given: Sequence[str] | None) -> list[str]:
    """One label for each version.

    Parameters
    ----------
    names : sequence of str
        What the sources call themselves; may be empty or repeat.
    given : sequence of str, optional
        The user's own labels, one for each version.

    Raises
    ------
    SettingsError
        If the given labels are of another number, empty, or repeat.
    """
    if given:
        return _checked(given, len(names))
    short = _without_common_start(names)
    if len(set(short)) == len(short) and all(short):
        return short
    if len(names) == 1:
        return [phrase("labels.data")]
    if len(names) == 2:
        return [phrase("labels.old"), phrase("labels.new")]
    return [phrase("labels.nth", n=i) for i in range(1, len(names) + 1)]


def title_for(names: Sequence[str], labels: Sequence[str]) -> str:
    """A title for the page: what the sources share, and the labels."""
    common = re.sub(r"[_\-.\s]+", " ", _common_start(names) if len(names) > 1 else "").strip()
    start = common[:1].upper() + common[1:] + ", " if common else ""
    if len(labels) == 1:
        whole = names[0] if names[0].endswith(labels[0]) else labels[0]
        text = re.sub(r"[_\-]+", " ", whole)
        return text[:1].upper() + text[1:]
    if len(labels) == 2:
        return f"{start}{labels[0]} → {labels[1]}"
    return f"{start}{labels[0]} → … → {labels[-1]}"


def _checked(given: Sequence[str], needed: int) -> list[str]:
    if len(given) != needed:
        raise SettingsError(
            "labels_do_not_match", where=", ".join(given), needed=needed, n=len(given)
        )
    for label in given:
        if not label.strip():
            raise SettingsError("label_empty")
        if list(given).count(label) > 1:
            raise SettingsError("label_repeats", where=label)
    return list(given)


def _common_start(names: Sequence[str]) -> str:
    """The beginning that all names share, up to the last joint in it."""
    low, high = min(names), max(names)
    common = low[
        : next((i for i, (a, b) in enumerate(zip(low, high, strict=False)) if a != b), len(low))
    ]
    joint = max((common.rfind(mark) for mark in "_-. "), default=-1)
    return common[: joint + 1]


def _without_common_start(names: Sequence[str]) -> list[str]:
    start = len(_common_start(names)) if len(names) > 1 else 0
    return [name[start:] for name in names]
