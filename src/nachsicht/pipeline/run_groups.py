"""The groups of one dataset, compared with each other."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import ProgressListener
from nachsicht.comparison.context import Version
from nachsicht.comparison.versions import compare_versions, compare_with_rest
from nachsicht.config.baseline_file import read_accepted
from nachsicht.config.settings import Settings, as_described, settings_by_version
from nachsicht.config.theme import theme_of
from nachsicht.errors import SettingsError
from nachsicht.findings.build import REST
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.pipeline.check_columns import check_columns
from nachsicht.pipeline.group_rows import rows_here, rows_in_database, rows_on_cluster
from nachsicht.pipeline.lazy_comparison import finished
from nachsicht.pipeline.lazy_version import version_of
from nachsicht.sources import source_of
from nachsicht.sources.files import plain_name
from nachsicht.table.group_by import Group, LevelRows, groups_in, slices_at, slices_in
from nachsicht.table.prepare import fitting


def run_groups(
    data: object,
    by: str,
    names: Sequence[str],
    settings: Settings,
    listener: ProgressListener | None = None,
    cuts: Sequence[str] = (),
) -> ComparisonDocument:
    """Compare the groups of one dataset: two that are named, or each with all the others.

    Where there are but two, they are compared with each other.

    By a datetime column, its months or years are compared one after the other, as versions are.
    """
    theme = theme_of(settings.theme)
    (settings,) = settings_by_version(settings, 1)
    source = source_of(data, settings.reading)
    opened = source.open()
    settings = as_described(settings, opened.description)
    if cuts and fitting([by], settings.mask):
        raise SettingsError("masked_cannot_be_split", where=f"{by}")
    with ExitStack() as held:
        if settings.engine == "sql" and opened.database:
            rows = rows_in_database(opened, settings, by, held)
        elif opened.frame is not None:
            rows = rows_on_cluster(opened, settings, by)
        else:
            rows = rows_here(opened, settings, by)
        table = rows.table
        slices = slices_at(table, by, cuts) if cuts else None if names else slices_in(table, by)
        groups = slices or _shareable(groups_in(table, by, names), by, settings)

        def version(of: LevelRows, label: str) -> Version:
            return version_of(rows.part(of), label, label, rows.settings, listener)

        versions = [version(group.rows, group.label) for group in groups]
        check_columns([version.profile for version in versions], settings)
        all_of_each_other = slices or len(names) == 2 or _are_all(groups)
        rests = [] if all_of_each_other else [version(group.others, REST) for group in groups]
    title = settings.title or f"{plain_name(opened.facts.name)}: {by}"
    accepted = read_accepted(settings.accepted)
    with threads(settings.threads) as pool:
        if slices:
            found = compare_versions(versions, title, settings, accepted, pool.map, sliced_by=by)
        elif rests:
            found = compare_with_rest(versions, rests, by, title, settings, accepted, pool.map)
        else:
            found = compare_versions(versions, title, settings, accepted, pool.map, by)
        return finished(found, theme, settings)


def _shareable(groups: Sequence[Group], by: str, settings: Settings) -> Sequence[Group]:
    """Groups that may be told of: those of too few rows have labels that only few rows hold."""
    fewest = settings.share or 0
    told = [g for g in groups if g.rows.count >= fewest and g.others.count >= fewest]
    if len(told) < len(groups) and len(told) < 2:
        raise SettingsError("groups_too_small", where=by, n=fewest)
    return told


def _are_all(groups: Sequence[Group]) -> bool:
    """Whether there are two, each of which is all the rest of the other."""
    return len(groups) == 2 and groups[0].others.count == groups[1].rows.count
