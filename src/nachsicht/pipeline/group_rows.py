"""Where the rows of groups are: here, or where each group is asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack, nullcontext
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.buffers import arrow_of, taken, values_of
from nachsicht.config.settings import Settings, check_name
from nachsicht.engines.local import table_on_disk
from nachsicht.engines.memory import check_fits
from nachsicht.engines.sql import MOST_VALUES
from nachsicht.errors import SettingsError
from nachsicht.sources.database.values import array_of
from nachsicht.sources.dataframes import BATCH_ROWS
from nachsicht.sources.protocol import DividedRows, Opened, SourceFacts
from nachsicht.table.group_by import LevelRows
from nachsicht.table.prepare import fitting, prepared

#: Of texts, or values that do not follow each other, a group has no more than this.
_MOST_NAMED = 10_000


class GroupRows(NamedTuple):
    """Rows that are to be divided.

    ``table`` has the column by which that is done, in all rows; ``part`` gives some of them as a
    source; ``settings`` are those to compute it with.
    """

    table: Any
    part: Callable[[LevelRows], Opened]
    settings: Settings


def rows_here(opened: Opened, settings: Settings, by: str) -> GroupRows:
    """All rows, in memory or else written to disk."""
    fits = check_fits(opened, settings)
    table = prepared(opened.table(), settings) if fits else table_on_disk(opened, settings)
    # The column that made the groups would only say that they are groups; and what was
    # prepared once is not prepared again.
    kept = table.select([i for i, name in enumerate(table.schema.names) if name != by])
    # What is in memory already is not streamed.
    enough = max(4 * table.nbytes, 1 << 30) if fits else settings.memory_bytes
    settings = msgspec.structs.replace(
        settings,
        omit=(),
        mask=(),
        na_values=(),
        na_values_by_column={},
        memory_bytes=enough,
        engine="local",
    )
    return GroupRows(table, lambda rows: _part(opened.facts, kept, rows), settings)


def _part(facts: SourceFacts, table: Any, rows: LevelRows) -> Opened:
    """Some rows of a table as a source, which are put together when they are read."""
    facts = msgspec.structs.replace(facts, missing_reasons={})  # which are those of all rows
    size = table.nbytes * rows.count // max(table.num_rows, 1)

    def batches() -> Iterator[tuple[Any, int]]:
        for start in range(0, table.num_rows, BATCH_ROWS):
            stop = min(start + BATCH_ROWS, table.num_rows)
            few = taken(table.slice(start, BATCH_ROWS), rows.places(start, stop) - start)
            yield few, (facts.size_bytes or size) * stop // table.num_rows

    return Opened(facts, size, lambda: taken(table, rows.places()), batches)


def rows_in_database(opened: Opened, settings: Settings, by: str, held: ExitStack) -> GroupRows:
    """Rows of a database, all groups of one state of the data; ``held`` closes the connection.

    Raises
    ------
    SettingsError
        If there is no such column, or it has too many different values.
    """
    assert opened.database

    def part(rows: DividedRows) -> Opened:
        facts = msgspec.structs.replace(opened.facts, notes=[*opened.facts.notes])
        return msgspec.structs.replace(opened, facts=facts, database=lambda: nullcontext(rows))

    return _rows_elsewhere(held.enter_context(opened.database()), part, settings, by)


def rows_on_cluster(opened: Opened, settings: Settings, by: str) -> GroupRows:
    """Rows of a cluster's dataframe.

    Raises
    ------
    SettingsError
        If there is no such column, or it has too many different values.
    """

    def part(rows: DividedRows) -> Opened:
        return msgspec.structs.replace(opened, frame=rows)

    return _rows_elsewhere(opened.frame, part, settings, by)


def _rows_elsewhere(
    table: DividedRows, opened: Callable[[DividedRows], Opened], settings: Settings, by: str
) -> GroupRows:
    """Rows that stay where they are: of the column alone the different values are read."""
    check_name(by, table.names, "by")
    tally = table.tally(by, MOST_VALUES)
    if tally is None:
        raise SettingsError("too_many_groups", where=by, n=MOST_VALUES)
    values = array_of(tally.values)
    rising = values_of(pc.sort_indices(values)).astype(np.int64)
    values, counts = values.take(arrow_of(rising)), tally.counts[rising]
    column = values.take(arrow_of(np.repeat(np.arange(len(values)), counts)))
    own = msgspec.structs.replace(
        settings, omit=(), mask=tuple(fitting([by], settings.mask) and [by])
    )
    starts = np.cumsum(counts) - counts
    texts = pa.types.is_string(values.type) or pa.types.is_large_string(values.type)

    def part(rows: LevelRows) -> Opened:
        places = np.flatnonzero(rows.codes[starts] == rows.code)
        together = not texts and len(places) == places[-1] - places[0] + 1
        if len(places) > _MOST_NAMED and not together:
            raise SettingsError("too_many_groups", where=by, n=len(places))
        few = [tally.values[place] for place in rising[places].tolist()]
        return opened(table.among(by, few, together=together, others=rows.others))

    settings = msgspec.structs.replace(settings, omit=(*settings.omit, by))
    return GroupRows(prepared(pa.table({by: column}), own), part, settings)
