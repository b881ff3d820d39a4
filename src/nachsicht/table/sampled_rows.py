"""The rows that travel with a page: evenly drawn ones, each cell as a small code."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nachsicht.associations.encode import CodedVector, EncodedColumn, NumericVector
from nachsicht.model.profile import Relation, SampledColumn, SampledRows

#: Columns that are kept of a wide table.
MOST_COLUMNS = 60
#: So many different numbers are kept as they are; of more, this share at either end is, and all
#: between lie on so many even steps.
_EXACT, _ENDS, _STEPS = 254, 0.005, 1000


def sampled_rows_of(
    columns: Sequence[EncodedColumn],
    order: NDArray[np.int64],
    most: int,
    pairs: Sequence[Relation],
    first: Sequence[str | None] = (),
) -> SampledRows | None:
    """Evenly drawn rows in codes; None where none are asked for.

    Parameters
    ----------
    columns : sequence of EncodedColumn
        All columns with numbers or levels, in evenly drawn rows.
    order : array of int
        Places of these rows in the order of their drawing.
    most : int
        Rows that are kept.
    pairs : sequence of Relation
        Of a wide table the columns of the strongest pairs are kept.
    first : sequence of str or None
        Columns that are kept before all others.
    """
    if not most:
        return None
    places = np.sort(order[:most])
    by_name = {column.name: column for column in columns}
    ranked = dict.fromkeys(name for name in _by_rank(pairs, first) if name in by_name)
    ranked |= dict.fromkeys(by_name)
    chosen = set(list(ranked)[:MOST_COLUMNS])
    return SampledRows(
        rows=len(places),
        columns=tuple(
            _coded(column.at(places)) for name, column in by_name.items() if name in chosen
        ),
        left_out=tuple(name for name in by_name if name not in chosen),
    )


def numbers_in(column: SampledColumn) -> NDArray[np.float64]:
    """The numbers that the codes of a column stand for, NaN where there are none."""
    known = len(column.values)
    codes = _unpacked(column)
    steps = column.start + (codes - 1 - known) * column.step
    exact = np.append(np.array(column.values, np.float64), np.nan)[np.minimum(codes - 1, known)]
    return np.where(codes == 0, np.nan, np.where(codes <= known, exact, steps))


def levels_of(column: SampledColumn) -> NDArray[np.object_]:
    """The levels that the codes of a column stand for, None where there are none."""
    return np.array([None, *column.levels], object)[_unpacked(column)]


def _unpacked(column: SampledColumn) -> NDArray[np.int64]:
    held = np.frombuffer(column.codes, np.uint8).astype(np.int64)
    if column.bytes_per_code == 1:
        return held
    low, high = np.split(held, 2)
    codes: NDArray[np.int64] = low + (high << 8)
    return codes


def _by_rank(pairs: Sequence[Relation], first: Sequence[str | None]) -> Iterator[str]:
    yield from filter(None, first)
    for pair in sorted(pairs, key=lambda pair: -abs(pair.value)):
        yield from (pair.x, pair.y)


def _coded(column: EncodedColumn) -> SampledColumn:
    if isinstance(column, CodedVector):
        return SampledColumn(
            name=column.name, levels=column.names, **_packed(column.codes.astype(np.int64) + 1)
        )
    return _numbers(column)


def _numbers(column: NumericVector) -> SampledColumn:
    """Few numbers as they are, of many the outermost ones, and steps between them."""
    held = np.asarray(column.in_milliseconds(), np.float64)[column.present]
    values = different = np.unique(held)
    start = step = 0.0
    if len(different) > _EXACT:
        low, high = np.quantile(held, (_ENDS, 1 - _ENDS))
        outside = (different < low) | (different > high)
        values = different[outside]
        start, step = float(low), float(high - low) / _STEPS
    codes = np.zeros(len(column.present), np.int64)
    places = np.searchsorted(values, held)
    if step:
        near = np.minimum(places, max(len(values) - 1, 0))
        exact = values[near] == held if len(values) else np.zeros(len(held), bool)
        places = np.where(exact, near, len(values) + np.rint((held - start) / step))
    codes[column.present] = places + 1
    return SampledColumn(
        name=column.name,
        values=tuple(values.tolist()),
        start=start,
        step=step,
        is_time=bool(column.ticks),
        **_packed(codes),
    )


def _packed(codes: NDArray[np.int64]) -> dict[str, Any]:
    """Codes as bytes; of larger ones all low bytes, then all high bytes, which pack better."""
    if int(codes.max(initial=0)) < 1 << 8:
        return {"codes": codes.astype(np.uint8).tobytes(), "bytes_per_code": 1}
    parts = (codes & 0xFF).astype(np.uint8), (codes >> 8).astype(np.uint8)
    return {"codes": b"".join(part.tobytes() for part in parts), "bytes_per_code": 2}
