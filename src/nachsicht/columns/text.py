"""Written text and identifiers: lengths, words, blanks, shapes, sequences."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_of
from nachsicht.arrow.hashing import Hashes, hash_values
from nachsicht.columns.numeric import summarise_quantity
from nachsicht.columns.text_stats import TextMeasures, shapes
from nachsicht.config.settings import Settings
from nachsicht.kernels import text as kernels
from nachsicht.model.column import IdentifierSummary, Level, Order, Sequence, TextSummary
from nachsicht.sketches.distinct import KeySample
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts

#: So many skipped numbers of a sequence are named.
MOST_SKIPPED = 10
#: So many hashes of identifiers are kept.
SAMPLE_SIZE = 256
#: And so many where rows that came and went are estimated: 3 % of the values, for two errors.
KEYS_SIZE = 1 << 10


def summarise_text(measures: TextMeasures, settings: Settings) -> TextSummary:
    """What is kept of written texts."""
    return TextSummary(
        char_count=summarise_quantity(measures.characters.numbers(), settings),
        word_count=summarise_quantity(measures.words.numbers(), settings),
        frequent_words=_levels(measures.frequent_words, settings.top_values),
        blank=measures.blank,
        leading_space=measures.space_before,
        trailing_space=measures.space_after,
        patterns=_levels(measures.shapes, settings.top_values),
        semantic_types=measures.looks_like,
    )


def summarise_identifier(
    tally: ValueCounts,
    settings: Settings,
    order: Order | None = None,
    numbers: NDArray[Any] | None = None,
) -> IdentifierSummary:
    """How many values repeat, their shapes and lengths, and the gaps where they count up.

    ``numbers`` are the values of all rows, if they are numbers and not texts.
    """
    hashes = hash_values(tally.values)
    keys = hashes if numbers is None else hash_values(arrow_of(numbers))
    repeated = tally.counts > 1
    lengths = tally.measured.characters
    return IdentifierSummary(
        duplicate_values=int(repeated.sum()),
        duplicate_rows=int(tally.counts[repeated].sum()),
        patterns=_levels(shapes(tally), settings.top_values),
        min_length=int(lengths.min()),
        max_length=int(lengths.max()),
        order=order,
        sequence=sequence_in(tally),
        min_hashes=smallest_hashes(hashes),
        key_hashes=key_hashes(KeySample(size=KEYS_SIZE).add(keys)),
    )


def key_hashes(sample: KeySample) -> tuple[int, ...]:
    """The smallest hashes of different values that estimates are made from, rising."""
    return tuple(sample.hashes[:KEYS_SIZE].tolist())


def smallest_hashes(hashes: Hashes) -> tuple[int, ...]:
    """The smallest hashes of different values, rising."""
    if len(hashes) > SAMPLE_SIZE:
        hashes = np.partition(hashes, SAMPLE_SIZE)[:SAMPLE_SIZE]
    return tuple(np.sort(hashes).tolist())


def sequence_in(tally: ValueCounts) -> Sequence | None:
    """The run of numbers that identifiers count through; None where they do not.

    All must be the same text and a number behind it, and at least half of the numbers
    between the first and the last must occur.
    """
    if tally.distinct < 2:
        return None
    texts = tally.bytes
    shared = texts.data[texts.starts[0] :][: kernels.common_start(*texts)]
    before = shared.tobytes().decode("utf-8", "ignore").rstrip("0123456789")
    found = np.empty(tally.distinct, np.int64)
    if kernels.numbers_behind(*texts, len(before.encode()), found) < len(found):
        return None
    low, high = int(found.min()), int(found.max())
    if high - low + 1 > 2 * len(found):
        return None
    there = np.zeros(high - low + 1, np.bool_)
    there[found - low] = True
    skipped = np.flatnonzero(~there) + low
    if len(skipped) > len(there) - len(skipped):
        return None
    return Sequence(before, low, high, len(skipped), tuple(skipped[:MOST_SKIPPED].tolist()))


def value_counts_of_numbers(numbers: SortedNumbers) -> ValueCounts:
    """Whole numbers that name things, as texts with their counts."""
    texts = arrow_of(numbers.distinct_values).cast(pa.large_string())
    return ValueCounts(pa.table({"value": texts, "count": arrow_of(numbers.distinct_counts)}))


def _levels(tally: ValueCounts, most: int) -> tuple[Level, ...]:
    return tuple(Level(*pair) for pair in tally.top(most))
