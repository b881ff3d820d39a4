"""Whether the columns that settings name are there, and can be what they are named for."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.config.settings import Settings, no_column
from nachsicht.errors import SettingsError
from nachsicht.model.kinds import Kind
from nachsicht.model.profile import ProfileDocument
from nachsicht.pipeline.lazy_version import VersionOnDemand

#: What the work can be about.
_OUTCOMES = (Kind.QUANTITY, Kind.CATEGORY, Kind.FLAG, Kind.EMPTY)


def check_columns(
    versions: Sequence[ProfileDocument | VersionOnDemand], settings: Settings
) -> None:
    """Refuse settings that name columns which are not there, or cannot be what they are named for.

    Raises
    ------
    SettingsError
        With the nearest name that there is.
    """
    _check_names([name for version in versions for name in version.names], settings)
    for version in versions:
        _check_key(version, settings)
        _check_kinds(version, settings)


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


def _check_key(version: ProfileDocument | VersionOnDemand, settings: Settings) -> None:
    for name in settings.key:
        if name not in version.names:
            raise SettingsError("no_key_column", where=version.label, name=name)


def _check_kinds(version: ProfileDocument | VersionOnDemand, settings: Settings) -> None:
    """Computes no columns but those that are named."""
    for name in settings.kinds:
        version.column(name)  # which refuses a kind that its values cannot have
    outcome = settings.outcome and version.column(settings.outcome)
    if outcome and outcome.kind not in _OUTCOMES:
        raise SettingsError(
            "outcome_of_wrong_kind", where="outcome", name=outcome.name, kind=outcome.kind
        )
    moment = settings.time_column and version.column(settings.time_column)
    if moment and moment.kind not in (Kind.DATETIME, Kind.EMPTY):
        raise SettingsError(
            "time_column_of_wrong_kind", where="time_column", name=moment.name, kind=moment.kind
        )
