"""A profile or comparison of which nothing is computed before it is asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from importlib import import_module

import msgspec

from nachsicht._util.background import run_in_background
from nachsicht._util.blas_threads import threads
from nachsicht.comparison.context import Version
from nachsicht.comparison.versions import compare_versions, without_steps
from nachsicht.config.settings import Settings
from nachsicht.model.comparison import ColumnComparison, ComparisonDocument
from nachsicht.model.findings import Accepted
from nachsicht.model.profile import ProfileDocument
from nachsicht.model.theme import Theme
from nachsicht.pipeline.check_columns import check_columns
from nachsicht.pipeline.check_hidden import check_hidden, refuse_share_safe
from nachsicht.pipeline.lazy_version import VersionOnDemand
from nachsicht.sharing.comparison import share_safe
from nachsicht.table.result import RetainedData


class OnDemand:
    """Versions in order: those in memory are computed part by part, others are documents.

    A profile is one of one version. ``elsewhere`` are those whose rows are not in memory, by their
    positions, with what gives these rows.

    Raises
    ------
    SettingsError
        If a setting names a column that no version has.
    """

    def __init__(
        self,
        versions: Sequence[VersionOnDemand | ProfileDocument],
        title: str,
        settings: Settings,
        theme: Theme | None,
        accepted: Sequence[Accepted],
        elsewhere: Mapping[int, Version],
    ) -> None:
        self.versions, self.title, self._settings = tuple(versions), title, settings
        self._theme, self._accepted, self._elsewhere = theme, accepted, elsewhere
        #: That of each version which is in memory, once all was computed.
        self.data: tuple[RetainedData | None, ...] = ()
        check_columns(versions, settings)
        check_hidden(versions, settings)
        if len(versions) > 1 or settings.share:
            refuse_share_safe(versions)

    def one_column(self, name: str) -> ColumnComparison | None:
        """A column that all versions have, but for its findings and steps; no other is computed."""
        summaries = [version.column(name) for version in self.versions]
        there = [summary for summary in summaries if summary]
        return without_steps(there, self._settings) if len(there) == len(summaries) else None

    def whole(self) -> ComparisonDocument:
        """Everything."""
        if len(self.versions) > 1:  # differences are compared with chance, with what loads slowly
            run_in_background(lambda: import_module("scipy.special"))
        versions = [
            version.whole()
            if isinstance(version, VersionOnDemand)
            else msgspec.structs.replace(
                self._elsewhere.get(i) or Version(version), profile=version
            )
            for i, version in enumerate(self.versions)
        ]
        settings = _with_key(self._settings, [version.profile for version in versions])
        with threads(settings.threads) as pool:
            made = compare_versions(versions, self.title, settings, self._accepted, pool.map)
        self.data = tuple(version.data for version in versions)
        return finished(made, self._theme, settings)


def _with_key(settings: Settings, profiles: Sequence[ProfileDocument]) -> Settings:
    """The settings with the key that the newest version's description names, if all have it."""
    described = profiles[-1].description
    key = described.key if described else ()
    if settings.key or not key or not all({*key} <= {*p.names} for p in profiles):
        return settings
    return msgspec.structs.replace(settings, key=key)


def finished(
    document: ComparisonDocument, theme: Theme | None, settings: Settings
) -> ComparisonDocument:
    """The document in the house's colours, and safe to share where that is asked for."""
    if settings.share:
        document = share_safe(document, settings.share)
    return msgspec.structs.replace(document, theme=theme) if theme else document
