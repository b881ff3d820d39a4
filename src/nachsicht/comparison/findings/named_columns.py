"""Findings about columns that settings name: the key, the outcome, the datetime column."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nachsicht.comparison.align_columns import Pair
from nachsicht.comparison.context import VersionPair
from nachsicht.config.settings import Settings
from nachsicht.model.findings import Finding
from nachsicht.model.kinds import ROLE_KINDS, Role


def named_columns(settings: Settings) -> Iterator[tuple[Role, str]]:
    """The columns that settings name, with what each is named as."""
    yield from ((Role.KEY, name) for name in settings.key)
    if settings.outcome:
        yield Role.OUTCOME, settings.outcome
    if settings.time_column:
        yield Role.TIME, settings.time_column


def named_column_findings(between: VersionPair, pairs: Sequence[Pair]) -> Iterator[Finding | None]:
    """Columns that are named as something that they cannot be in one of the versions."""
    for role, name in named_columns(between.settings):
        if role is Role.KEY and key_place(pairs, name):
            continue  # it may have another name
        profiles = between.old.profile, between.new.profile
        kinds = [next((c.kind for c in p.columns if c.name == name), None) for p in profiles]
        fits = [kind is not None and kind in ROLE_KINDS[role] for kind in kinds]
        if fits[0] == fits[1]:
            continue
        side = fits.index(False)
        yield between.finding(
            "named_column_lost",
            (name,),
            1.0,
            {
                "role": str(role),
                "without": between.labels[side],
                "kind": str(kinds[1 - side]),
                "kind_without": str(kinds[side] or ""),
            },
            form=f"{role}_{'kind' if kinds[side] else 'gone'}",
        )


def key_place(pairs: Sequence[Pair], name: str) -> tuple[int, int] | None:
    """Where both versions have a column of the key, under its name in either."""
    for pair in pairs:
        if pair.old and pair.new and name in (pair.old.name, pair.new.name):
            return pair.old.position, pair.new.position
    return None
