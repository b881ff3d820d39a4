"""Whether a source or an engine gives the figures that the same rows give in memory.

For those who add one, and for our own tests. Documents are compared whole: what is exact to a
relative 1e-12, what is an estimate against the rows themselves, within the bound that it states.

>>> from nachsicht.testing import assert_conforms
>>> assert_conforms(lambda table: table)  # what is given is profiled
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.api import profile
from nachsicht.arrow.buffers import missing_in, values_of
from nachsicht.errors import NachsichtError
from nachsicht.model.column import ColumnSummary, QuantitySummary, TextSummary
from nachsicht.model.profile import Duplicates, ProfileDocument

#: Figures that are the same need not have the same last digits.
CLOSE = 1e-12
#: So much of a document depends on where the rows came from, not on what they hold.
_OF_SOURCES = {"label", "title", "origin", "description", "memory_bytes", "dtype", "example_rows"}
#: What depends on strengths of relations: from drawn rows where not all are at hand.
_OF_RELATIONS = ("relations", "pairs", "components", "over_time", "findings")
#: Of a quantity these are exact however many rows there are.
_ALWAYS_EXACT = (
    "n_finite", "minimum", "maximum", "range", "sum", "mean", "std", "variance", "skewness",
    "kurtosis", "zeros", "negatives", "neg_inf", "pos_inf", "all_integers", "order",
)  # fmt: skip
#: Of every column.
_COUNTED = ("name", "kind", "rows", "missing", "first_value", "last_value")


class NotConforming(NachsichtError, AssertionError):
    """A source or engine gives other figures than memory does."""


def sample_table(rows: int = 9_000, seed: int = 20_251_102) -> Any:
    """Made-up hive checks with columns of most kinds, missing values and an import that ran twice.

    Parameters
    ----------
    rows : int
        At least 100. Up to 9,900 relations are computed of all rows by every engine.
    seed : int
        Of the random numbers.

    Returns
    -------
    Arrow table of ``rows`` rows
    """
    rng = np.random.default_rng(seed)
    own = rows - 30
    weight = rng.normal(35, 8, own)
    start = np.datetime64("2024-03-01T08:00:00", "us")
    temper = np.array(["calm", "lively", "très vif", "Calm"])
    apiary = np.array([f"Apiary {i}" for i in range(12)])
    words = np.array(["queen", "seen", "brood", "low", "strong", "mites"])
    notes = [" ".join(words[picks]) for picks in rng.integers(0, len(words), (own, 5))]
    table = pa.table(
        {
            "check_id": [f"C-{i:06d}" for i in range(own)],
            "checked_at": start + np.sort(rng.integers(0, 15_000_000, own)) * 1_000_000,
            "apiary": apiary[rng.integers(0, 12, own)],
            "temper": pa.array(temper[rng.integers(0, 4, own)], mask=rng.random(own) < 0.05),
            "queen_seen": pa.array(rng.random(own) < 0.6, mask=rng.random(own) < 0.02),
            "mites": rng.poisson(4, own),
            "weight": pa.array(weight, mask=rng.random(own) < 0.1),
            "honey_kg": np.maximum(0, 0.4 * weight + rng.normal(0, 3, own)),
            "spread": rng.lognormal(2, 1.2, own) - 3,
            "note": pa.array(notes, mask=rng.random(own) < 0.3),
        }
    )
    return pa.concat_tables([table, table.slice(own // 3, 30)])


def assert_conforms(
    give: Callable[[Any], object], *, table: Any = None, **settings: Any
) -> ProfileDocument:
    """Profile rows from a source or with an engine, and hold the document against memory's.

    Parameters
    ----------
    give : callable
        Takes an Arrow table and gives what should be profiled: the path of a file that holds it,
        a frame, an address.
    table : Arrow table, optional
        By default `sample_table`.
    settings
        For that profile: ``memory_bytes`` to make it stream, ``engine`` and others.

    Returns
    -------
    ProfileDocument
        Of what was given, for further tests.

    Raises
    ------
    NotConforming
        With the figures that differ.
    """
    table = sample_table() if table is None else table
    expected = profile(table, label="data", memory_bytes=1 << 40).document
    found = profile(give(table), label="data", **settings).document
    differing = [*differences(expected, found, table)]
    if differing:
        raise NotConforming("not_conforming", where="; ".join(differing[:10]), n=len(differing))
    return found


def differences(expected: ProfileDocument, found: ProfileDocument, table: Any) -> Iterator[str]:
    """What one document tells otherwise than another, each as a line.

    Parameters
    ----------
    expected, found : ProfileDocument
        The first one exact in every figure.
    table : Arrow table
        The rows; estimates are compared with them.
    """
    if (
        not any(column.error_bounds for column in found.columns)
        and not found.duplicates.uncertainty
    ):
        one, two = (msgspec.to_builtins(_without_cells(side)) for side in (expected, found))
        if found.relations.sampled_rows < found.rows:  # then some are drawn rows' where rows stream
            yield from _strengths(expected, found)
            for part in _OF_RELATIONS:
                del one[part], two[part]
        yield from _differing(one, two, "")
        return
    yield from _strengths(expected, found)
    for part in ("rows", "fingerprint", "missing_by_level", "missing_patterns"):
        one, two = getattr(expected, part), getattr(found, part)
        yield from _differing(msgspec.to_builtins(one), msgspec.to_builtins(two), part)
    for one, two in zip(expected.columns, found.columns, strict=True):
        yield from _column(one, two, table.column(one.position))


def _strengths(expected: ProfileDocument, found: ProfileDocument) -> Iterator[str]:
    """Relations of all rows that are farther off than they say; others are drawn rows'."""
    known = {(pair.x, pair.y): pair for pair in expected.relations.pairs}
    for pair in found.relations.pairs:
        other = known.get((pair.x, pair.y))
        if other is None or pair.rows != other.rows:
            continue
        if abs(pair.value - other.value) > pair.error_bound + CLOSE:
            yield f"{pair.x} × {pair.y}: {pair.value} for {other.value}, beyond its bound"


def _without_cells(document: ProfileDocument) -> ProfileDocument:
    """Rows that equal others are shown only where the rows are at hand in the end."""

    def without(duplicates: Duplicates) -> Duplicates:
        groups = tuple(msgspec.structs.replace(group, cells=()) for group in duplicates.groups)
        return msgspec.structs.replace(duplicates, groups=groups)

    return msgspec.structs.replace(
        document,
        duplicates=without(document.duplicates),
        duplicates_by_subset=tuple(map(without, document.duplicates_by_subset)),
    )


def _differing(one: Any, two: Any, path: str) -> Iterator[str]:
    """Places at which two trees of plain values differ."""
    if isinstance(one, dict) and isinstance(two, dict):
        for name in sorted({*one, *two} - _OF_SOURCES):
            yield from _differing(one.get(name), two.get(name), f"{path}.{name}".lstrip("."))
    elif isinstance(one, list | tuple) and isinstance(two, list | tuple) and len(one) == len(two):
        for i, (a, b) in enumerate(zip(one, two, strict=True)):
            yield from _differing(a, b, f"{path}[{i}]")
    elif not _same(one, two):
        yield f"{path}: {one!r} became {two!r}"[:200]


def _same(one: Any, two: Any) -> bool:
    numbers = isinstance(one, int | float) and isinstance(two, int | float)
    if numbers and not isinstance(one, bool):
        return one == two or math.isclose(one, two, rel_tol=CLOSE, abs_tol=CLOSE)
    return bool(one == two)


def _column(one: ColumnSummary, two: ColumnSummary, values: Any) -> Iterator[str]:
    for name in _COUNTED:
        if getattr(one, name) != getattr(two, name):
            yield f"{one.name}.{name}: {getattr(one, name)!r} became {getattr(two, name)!r}"
    if two.error_bounds is None:
        if isinstance(two.stats, QuantitySummary):
            detail = msgspec.to_builtins(one.stats), msgspec.to_builtins(two.stats)
            yield from _differing(*detail, one.name)
        return
    if abs(two.distinct - one.distinct) > max(two.error_bounds.distinct_rel * one.distinct, 0.5):
        yield f"{one.name}.distinct: {two.distinct} for {one.distinct}, beyond its bound"
    if isinstance(one.stats, TextSummary):
        yield from _differing(one.stats.blank, two.stats.blank, f"{one.name}.blank")  # type: ignore[union-attr]
    if isinstance(one.stats, QuantitySummary) and isinstance(two.stats, QuantitySummary):
        for name in _ALWAYS_EXACT:
            a, b = (msgspec.to_builtins(getattr(side.stats, name)) for side in (one, two))
            yield from _differing(a, b, f"{one.name}.{name}")
        yield from _ranks(two, two.stats, values)


def _ranks(column: ColumnSummary, detail: QuantitySummary, values: Any) -> Iterator[str]:
    """Quantiles whose rank among the rows is farther off than they say."""
    assert column.error_bounds
    numbers = values_of(values)[~missing_in(values)]
    ranked = np.sort(numbers[np.isfinite(numbers)])
    for point in detail.quantiles:
        low, high = (np.searchsorted(ranked, point.value, side) for side in ("left", "right"))
        off = max(low / len(ranked) - point.share, point.share - high / len(ranked))
        if off > column.error_bounds.rank + 1 / len(ranked):
            yield f"{column.name}: quantile {point.share} is off by {off:.4f} of the rows"
    counted = {float(n): c for n, c in _counts(values)}
    for level in column.top_values:
        lacking = counted.get(float(level.value), 0) - level.count
        if not 0 <= lacking <= column.error_bounds.count:
            yield f"{column.name}: {level.value} occurs {lacking} rows more often than described"


def _counts(values: Any) -> Iterator[tuple[Any, int]]:
    for pair in pc.value_counts(values.drop_null()):
        yield pair["values"].as_py(), pair["counts"].as_py()
