"""Whether the columns that settings name are there, and can be what they are named for."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.config.settings import Settings, no_column
from nachsicht.errors import SettingsError
from nachsicht.model.kinds import ROLE_KINDS, Role
from nachsicht.model.profile import ProfileDocument
from nachsicht.pipeline.lazy_version import VersionOnDemand


def check_columns(
    versions: Sequence[ProfileDocument | VersionOnDemand], settings: Settings
) -> None:
    """Refuse settings that name columns which no version has as what they are named for.

    What one of several versions has is compared; that another lacks it is a finding.

    Raises
    ------
    SettingsError
        With the nearest name that there is.
    """
    _check_names([name for version in versions for name in version.names], settings)
    for version in versions:
        for name in settings.kinds:
            version.column(name)  # which refuses a kind that its values cannot have
    _check_kind(versions, Role.OUTCOME, settings.outcome)
    _check_kind(versions, Role.TIME, settings.time_column)


def _check_names(names: Sequence[str], settings: Settings) -> None:
    named = [("kinds", name) for name in settings.kinds]
    named += [("na_values_by_column", name) for name in settings.na_values_by_column]
    named += [("outcome", settings.outcome)] if settings.outcome else []
    named += [("duplicates_in", name) for name in settings.duplicates_in]
    named += [("time_column", settings.time_column)] if settings.time_column else []
    named += [("key", name) for name in settings.key]
    for setting, name in named:
        if name not in names:
            raise no_column(name, names, setting)


def _check_kind(
    versions: Sequence[ProfileDocument | VersionOnDemand], role: Role, name: str | None
) -> None:
    """Computes no columns but the one that is named."""
    found = [column for version in versions if name and (column := version.column(name))]
    if found and not any(column.kind in ROLE_KINDS[role] for column in found):
        raise SettingsError(
            f"{role}_of_wrong_kind", where=str(role), name=found[0].name, kind=found[0].kind
        )
