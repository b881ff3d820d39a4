"""The groups of one dataset, compared with each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from nachsicht._util.blas_threads import threads
from nachsicht._util.progress import ProgressListener
from nachsicht.arrow.buffers import taken
from nachsicht.comparison.context import Version
from nachsicht.comparison.versions import compare_versions, compare_with_rest
from nachsicht.config.baseline_file import read_accepted
from nachsicht.config.settings import Settings, as_described
from nachsicht.config.theme import theme_of
from nachsicht.engines.local import table_on_disk
from nachsicht.engines.memory import check_fits
from nachsicht.errors import SettingsError
from nachsicht.findings.build import REST
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.pipeline.check_columns import check_columns
from nachsicht.pipeline.lazy_comparison import finished
from nachsicht.pipeline.lazy_version import version_of
from nachsicht.sources import source_of
from nachsicht.sources.dataframes import BATCH_ROWS
from nachsicht.sources.files import plain_name
from nachsicht.sources.protocol import Opened, SourceFacts
from nachsicht.table.group_by import Group, LevelRows, groups_in, slices_at, slices_in
from nachsicht.table.prepare import fitting, prepared


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
    source = source_of(data, settings.reading)
    opened = source.open()
    settings = as_described(settings, opened.description)
    fits = check_fits(opened, settings)
    table = prepared(opened.table(), settings) if fits else table_on_disk(opened, settings)
    if cuts and fitting([by], settings.mask):
        raise SettingsError("masked_cannot_be_split", where=f"{by}")
    slices = slices_at(table, by, cuts) if cuts else None if names else slices_in(table, by)
    groups = slices or _shareable(groups_in(table, by, names), by, settings)
    facts = opened.facts
    # The column that made the groups would only say that they are groups; and what was
    # prepared once is not prepared again.
    kept = [i for i, name in enumerate(table.schema.names) if name != by]
    table = table.select(kept)
    settings = msgspec.structs.replace(
        settings, omit=(), mask=(), na_values=(), na_values_by_column={}
    )

    # What is in memory already is not streamed.
    enough = max(4 * table.nbytes, 1 << 30) if fits else settings.memory_bytes
    local = msgspec.structs.replace(settings, memory_bytes=enough, engine="local")

    def version(rows: LevelRows, label: str) -> Version:
        return version_of(_part(facts, table, rows), label, label, local, listener)

    title = settings.title or f"{plain_name(facts.name)}: {by}"
    accepted = read_accepted(settings.accepted)
    versions = [version(group.rows, group.label) for group in groups]
    check_columns([version.profile for version in versions], settings)
    with threads(settings.threads) as pool:
        if slices:
            found = compare_versions(versions, title, settings, accepted, pool.map, sliced_by=by)
            return finished(found, theme, settings)
        if len(names) == 2 or _are_all(groups):
            found = compare_versions(versions, title, settings, accepted, pool.map, by)
            return finished(found, theme, settings)
        rests = [version(group.others, REST) for group in groups]
        found = compare_with_rest(versions, rests, by, title, settings, accepted, pool.map)
        return finished(found, theme, settings)


def _part(facts: SourceFacts, table: Any, rows: LevelRows) -> Opened:
    """Some rows of a table as a source, which are put together when they are read."""
    size = table.nbytes * rows.count // max(table.num_rows, 1)

    def batches() -> Iterator[tuple[Any, int]]:
        for start in range(0, table.num_rows, BATCH_ROWS):
            stop = min(start + BATCH_ROWS, table.num_rows)
            few = taken(table.slice(start, BATCH_ROWS), rows.places(start, stop) - start)
            yield few, (facts.size_bytes or size) * stop // table.num_rows

    return Opened(facts, size, lambda: taken(table, rows.places()), batches)


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
