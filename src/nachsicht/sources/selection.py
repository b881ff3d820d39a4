"""Some columns and rows of a source: those that are asked for, and no others."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase
from functools import partial
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec

from nachsicht.config.settings import ReadOptions, no_column
from nachsicht.errors import SettingsError
from nachsicht.model.notes import Note
from nachsicht.sources.protocol import Opened, Piece

if TYPE_CHECKING:
    from nachsicht.model.dataset_schema import Description

#: Operators, the longer ones first, with what Arrow calls them.
_OPERATORS = {
    "!=": "not_equal",
    "<=": "less_equal",
    ">=": "greater_equal",
    "=": "equal",
    "<": "less",
    ">": "greater",
}
_CONDITION = re.compile(r"\s*(.+?)\s*(!=|<=|>=|=|<|>)\s*(.*?)\s*$", re.DOTALL)
_PRESENCE = re.compile(r"\s*(.+?)\s+is\s+(missing|not\s+missing)\s*$", re.IGNORECASE)
_QUOTED = re.compile(r"(['\"])(.*)\1$", re.DOTALL)


class Condition(NamedTuple):
    """What a row must fulfil: a column, an operator or its name, and a value as text."""

    column: str
    operator: str
    value: str
    quoted: bool = False


def condition_of(text: str) -> Condition:
    """Read a condition such as ``hive_type = long``, ``mites >= 3`` or ``note is missing``.

    Raises
    ------
    SettingsError
        If it is none.
    """
    if presence := _PRESENCE.match(text):
        return Condition(presence[1], "missing" if len(presence[2].split()) == 1 else "there", "")
    parts = _CONDITION.match(text)
    if not parts:
        raise SettingsError("no_condition", where=text)
    quoted = _QUOTED.match(parts[3])
    return Condition(parts[1], parts[2], quoted[2] if quoted else parts[3], quoted is not None)


def selected(opened: Opened, reading: ReadOptions) -> Opened:
    """A source of which only some columns are read (``only``), and rows (``where``).

    Rows are counted after the selection. Conditions hold for columns that are left out, too.

    Raises
    ------
    SettingsError
        If there is no such column, a condition cannot be read or not be asked of the column, or
        the data is a frame of a cluster or stays in its database.
    """
    if not (reading.only or reading.where):
        return opened
    if opened.engine:
        raise SettingsError("selection_of_frame", where="only" if reading.only else "where")
    opened.facts.notes.append(Note("selection"))
    choose = partial(_chosen, reading.only or (), tuple(map(condition_of, reading.where or ())))

    def batches() -> Iterator[tuple[Any, int]]:
        for batch, done in opened.batches():
            yield choose(batch), done

    pieces = opened.pieces

    def chosen_pieces() -> Sequence[Piece]:
        assert pieces is not None
        return [Piece(partial(_read, choose, piece.read)) for piece in pieces()]

    return msgspec.structs.replace(
        opened,
        table=lambda: choose(opened.table()),
        batches=batches,
        pieces=chosen_pieces if pieces else None,
        database=None,
    )


def _read(choose: Any, read: Any) -> Any:
    return choose(read())


def described_only(
    description: Description | None, only: Sequence[str] | None
) -> Description | None:
    """What is said of the columns that are kept."""
    if description is None or not only:
        return description
    columns = tuple(c for c in description.columns if _fits(c.name, only))
    key = description.key if all(_fits(name, only) for name in description.key) else ()
    return msgspec.structs.replace(description, columns=columns, key=key)


def _fits(name: str, patterns: Sequence[str]) -> bool:
    return any(name == pattern or fnmatchcase(name, pattern) for pattern in patterns)


def _chosen(only: Sequence[str], conditions: Sequence[Condition], batch: Any) -> Any:
    """The rows of a table or batch that fulfil all conditions, and the columns that are kept."""
    names = batch.schema.names
    for condition in conditions:
        if condition.column not in names:
            raise no_column(condition.column, names, "where")
        batch = batch.filter(_holds(batch.column(names.index(condition.column)), condition))
    for pattern in only:
        if not any(_fits(name, (pattern,)) for name in names):
            raise no_column(pattern, names, "only")
    if not only:
        return batch
    return batch.select([i for i, name in enumerate(names) if _fits(name, only)])


def _holds(column: Any, condition: Condition) -> Any:
    """Where a column fulfils a condition; a row without a value fulfils none but `missing`."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if condition.operator in ("missing", "there"):
        gaps = pc.is_null(column, nan_is_null=True)
        return gaps if condition.operator == "missing" else pc.invert(gaps)
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    is_text = pa.types.is_string(column.type) or pa.types.is_large_string(column.type)
    if is_text and condition.operator not in ("=", "!=") and _is_number(condition):
        # As texts, 10 would come before 9.
        raise SettingsError("condition_of_text", where="where", column=condition.column)
    try:
        value = pa.scalar(condition.value, pa.string()).cast(column.type)
        found = pc.call_function(_OPERATORS[condition.operator], [column, value])
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
        raise SettingsError(
            "condition_not_asked",
            where="where",
            column=condition.column,
            value=condition.value,
            stored=str(column.type),
        ) from error
    # What is no number would differ from every value.
    return pc.and_(found, pc.invert(pc.is_null(column, nan_is_null=True)))


def _is_number(condition: Condition) -> bool:
    try:
        float(condition.value)
    except ValueError:
        return False
    return not condition.quoted
