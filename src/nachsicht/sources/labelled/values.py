"""Values with labels as levels, and values that mean missing as missing ones with their reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import pyarrow as pa
import pyarrow.compute as pc

#: Beyond these a double no longer tells every whole number from its neighbours.
_LARGEST_WHOLE = 2.0**53


class Missing(NamedTuple):
    """Values that the users of a file declared missing: ranges, ends included, and single ones."""

    ranges: tuple[tuple[Any, Any], ...]
    values: tuple[Any, ...]

    def holds(self, value: Any) -> bool:
        """Whether a value is one of them."""
        return value in self.values or any(
            isinstance(value, str) == isinstance(low, str) and low <= value <= high
            for low, high in self.ranges
        )


class LabelledColumn(NamedTuple):
    """A column, and in how many rows its value is missing for each reason that was given."""

    array: Any
    missing_reasons: dict[str, int]


def labelled_column(
    values: Sequence[Any], labels: Mapping[Any, str], missing: Missing, *, ordered: bool = True
) -> LabelledColumn:
    """Read the values of a variable by their labels.

    Parameters
    ----------
    values : sequence
        Numbers, texts, dates and times; None, NaN and the empty text for no value.
    labels : mapping
        Labels by value.
    missing : Missing
        Values that mean missing; their labels are the reasons.
    ordered : bool
        Whether the order of the values is one of the labels, too.

    Returns
    -------
    LabelledColumn
        A dictionary of labels where every value has one, in the order of the values.
    """
    if not labels and not missing.ranges and not missing.values:
        plain = [None if _is_none(value) else value for value in values]
        text = next((v for v in plain if isinstance(v, str)), None) is not None
        return LabelledColumn(_narrowed(pa.array(plain, pa.large_string() if text else None)), {})
    counts = Counter(value for value in values if not _is_none(value))
    declared = {value: rows for value, rows in counts.items() if missing.holds(value)}
    named = _different(labels)
    reasons: Counter[str] = Counter()
    for value, rows in declared.items():
        reasons[named.get(value, _written(value))] += rows
    present = [value for value in counts if value not in declared]
    if present and all(value in named for value in present):
        kept = [value for value in _in_order(named) if not missing.holds(value)]
        places = {value: place for place, value in enumerate(kept)}
        codes = pa.array([None if _is_none(v) else places.get(v) for v in values], pa.int32())
        array = pa.DictionaryArray.from_arrays(codes, [named[v] for v in kept], ordered=ordered)
        return LabelledColumn(array, dict(reasons))
    kept_values = [None if _is_none(v) or v in declared else v for v in values]
    return LabelledColumn(_narrowed(pa.array(kept_values, _type_of(present))), dict(reasons))


def _is_none(value: Any) -> bool:
    return value is None or value == "" or value != value  # noqa: PLR0124 - NaN


def _type_of(present: Sequence[Any]) -> Any:
    """The type of texts; None for one that is found out."""
    return pa.large_string() if any(isinstance(value, str) for value in present) else None


def _written(value: Any) -> str:
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


def _different(labels: Mapping[Any, str]) -> dict[Any, str]:
    """Labels by value; those that several values share are told apart by the values."""
    often = Counter(labels.values())
    return {
        value: label if often[label] == 1 else f"{label} ({_written(value)})"
        for value, label in labels.items()
        if label
    }


def _in_order(values: Mapping[Any, str]) -> list[Any]:
    return sorted(values, key=lambda value: (isinstance(value, str), value))


def _narrowed(array: Any) -> Any:
    """Doubles that are all whole numbers as such: these files know no others."""
    if not pa.types.is_floating(array.type) or array.null_count == len(array):
        return array
    whole = pc.all(
        pc.and_(pc.equal(pc.round(array), array), pc.less(pc.abs(array), _LARGEST_WHOLE))
    ).as_py()
    return array.cast(pa.int64()) if whole else array
