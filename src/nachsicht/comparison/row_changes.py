"""What became of the rows between two versions: exactly, where they can be read, else estimated."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from nachsicht._util.parallel import ParallelMap
from nachsicht.comparison.context import ColumnChange, Version, VersionPair
from nachsicht.comparison.findings.named_columns import key_place
from nachsicht.comparison.rows.diff import compare_rows
from nachsicht.comparison.rows.estimate import estimated_rows
from nachsicht.comparison.rows.in_database import compare_rows_in_database
from nachsicht.comparison.rows.in_pieces import compare_rows_in_pieces
from nachsicht.model.comparison import RowChanges, RowEstimate
from nachsicht.table.reader import TableAtHand, TableReader


class KnownRows(NamedTuple):
    """What is known of the rows: all of it, or an estimate; neither where nothing names a row."""

    changes: RowChanges | None
    estimate: RowEstimate | None


def row_changes(
    between: VersionPair,
    changes: Sequence[ColumnChange],
    step: tuple[int | None, int],
    pmap: ParallelMap,
) -> KnownRows:
    """What became of the rows, of versions in memory, elsewhere, or there as profiles alone.

    Parameters
    ----------
    between : VersionPair
        The versions.
    changes : sequence of ColumnChange
        The columns that both have.
    step : (int, int)
        Positions of the two versions.
    pmap : callable
        Applies a function to all columns, as `map` does.
    """
    old, new = between.old.data, between.new.data
    key = _given_key(between, changes)
    pairs = [(change.old, change.new) for change in changes]
    profiles = between.old.profile, between.new.profile
    different = (profiles[0].duplicates.distinct_rows, profiles[1].duplicates.distinct_rows)
    moved = [change.new.position for change in changes if change.distance or change.kind_changed]
    if old is not None and new is not None:
        found = compare_rows(old, new, pairs, key, step, different, pmap, moved)
        return KnownRows(found, None)
    databases = between.old.in_database, between.new.in_database
    if databases[0] is not None and databases[1] is not None:
        told = compare_rows_in_database(
            (databases[0], databases[1]), pairs, key, step, different, pmap
        )
        return KnownRows(told, None if told else estimated_rows(pairs, key, step, different))
    readers = _reader(between.old, pmap), _reader(between.new, pmap)
    if readers[0] is None or readers[1] is None:
        return KnownRows(None, estimated_rows(pairs, key, step, different))
    folder = between.settings.spill_folder
    found = compare_rows_in_pieces(
        (readers[0], readers[1]), pairs, key, step, different, folder, pmap, moved
    )
    return KnownRows(found, None)


def _reader(version: Version, pmap: ParallelMap) -> TableReader | None:
    """What reads the rows of a version, in memory or not; None where they are not there."""
    if version.data is None:
        return version.reader
    profile = version.profile
    most = version.data.table.nbytes
    return TableAtHand(profile.label, version.data, profile.fingerprint, pmap, most)


def _given_key(between: VersionPair, changes: Sequence[ColumnChange]) -> list[tuple[int, int]]:
    """Places in both versions of the columns that the settings name as key, if both have all."""
    pairs = [change.pair for change in changes]
    places = [key_place(pairs, name) for name in between.settings.key]
    return [place for place in places if place] if all(places) else []
