"""What is measured of texts, in parts that merge: lengths, words, shapes, looks."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import arrow_of, values_of
from nachsicht.arrow.codes import rows_by_code
from nachsicht.arrow.text_buffer import (
    SPACE,
    bytes_of,
    coded,
    counted_runs,
    dictionary_of,
    encoded,
    texts_at,
)
from nachsicht.columns.infer.semantic import SHAPE_LENGTH, semantic_types_of
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts, merge_value_counts


class Counts(msgspec.Struct, frozen=True):
    """Whole numbers that are not negative, and how many rows have each."""

    by_value: NDArray[np.int64]

    @staticmethod
    def of(values: NDArray[Any], rows: NDArray[np.int64]) -> Counts:
        """Count numbers, each standing for so many rows."""
        return Counts(rows_by_code(values, int(values.max(initial=-1)) + 1, rows))

    def merge(self, other: Counts) -> Counts:
        """Put two counts together."""
        short, long = sorted((self.by_value, other.by_value), key=len)
        summed = long.copy()
        summed[: len(short)] += short
        return Counts(summed)

    def mean(self) -> float:
        """Mean over the rows; 0 without rows."""
        rows = self.by_value.sum()
        return float(np.arange(len(self.by_value)) @ self.by_value / rows) if rows else 0.0

    def ends(self) -> tuple[int, int]:
        """The smallest and the largest number."""
        present = np.flatnonzero(self.by_value)
        return (int(present[0]), int(present[-1])) if len(present) else (0, 0)

    def numbers(self) -> SortedNumbers:
        """One number for each row."""
        return SortedNumbers(np.repeat(np.arange(len(self.by_value)), self.by_value))


class TextMeasures(msgspec.Struct, frozen=True):
    """Measures of the texts of some rows."""

    characters: Counts
    words: Counts
    frequent_words: ValueCounts
    shapes: ValueCounts
    blank: int
    space_before: int
    space_after: int
    looks_like: dict[str, int]

    def merge(self, other: TextMeasures) -> TextMeasures:
        """Put two parts together."""
        names = sorted({*self.looks_like, *other.looks_like})
        looks = {n: self.looks_like.get(n, 0) + other.looks_like.get(n, 0) for n in names}
        return TextMeasures(
            self.characters.merge(other.characters),
            self.words.merge(other.words),
            merge_value_counts([self.frequent_words, other.frequent_words]),
            merge_value_counts([self.shapes, other.shapes]),
            self.blank + other.blank,
            self.space_before + other.space_before,
            self.space_after + other.space_after,
            looks,
        )


def measure_texts(tally: ValueCounts) -> TextMeasures:
    """Measure different texts, each standing for its rows.

    Lengths are in characters (Unicode code points), words are runs without ASCII white space;
    frequent words are distinguished as `words_in` says.
    """
    rows, found = tally.counts, tally.measured
    before, after = SPACE[found.first], SPACE[found.last]
    blank = _blank(tally)
    shaped = shape_codes(tally)
    return TextMeasures(
        characters=Counts.of(found.characters, rows),
        words=Counts.of(found.words, rows),
        frequent_words=count_words_in(tally),
        shapes=_counted(shaped, rows),
        blank=int(rows[blank].sum()),
        space_before=int(rows[before & ~blank].sum()),
        space_after=int(rows[after & ~blank].sum()),
        looks_like=semantic_types_of(tally, shaped),
    )


def shapes(tally: ValueCounts) -> ValueCounts:
    """The tally of shapes: A for an upper-case letter, a for another letter, 9 for a digit."""
    return _counted(shape_codes(tally), tally.counts)


def shape_codes(tally: ValueCounts) -> Any:
    """The shape of each text, as an Arrow dictionary array."""
    plain = tally.measured.ascii
    of_plain = tally.bytes.shapes()
    if tally.measured.characters.max(initial=0) > SHAPE_LENGTH:
        of_plain = of_plain.beginnings(SHAPE_LENGTH)
    if plain.all():
        return dictionary_of(*coded(of_plain))
    others = np.flatnonzero(~plain)
    cut = pc.utf8_slice_codeunits(tally.values.take(arrow_of(others)), 0, SHAPE_LENGTH)
    shaped = pa.concat_arrays([texts_at(of_plain, np.flatnonzero(plain)), _shapes(cut)])
    # Back to the order of the texts.
    back = np.where(plain, np.cumsum(plain) - 1, len(plain) - len(others) + np.cumsum(~plain) - 1)
    return encoded(shaped.take(arrow_of(back)))


def _counted(shaped: Any, rows: NDArray[np.int64]) -> ValueCounts:
    sums = rows_by_code(values_of(shaped.indices), len(shaped.dictionary), rows)
    return ValueCounts.of(shaped.dictionary, sums)


def _blank(tally: ValueCounts) -> NDArray[np.bool_]:
    """Whether each text holds nothing but white space of any script."""
    first = tally.measured.first
    blank: NDArray[np.bool_] = first == 0
    maybe = np.flatnonzero(SPACE[first] | (first >= 128) | blank)
    trimmed = pc.utf8_trim_whitespace(tally.values.take(arrow_of(maybe)))
    blank[maybe] = values_of(pc.utf8_length(trimmed)) == 0
    return blank


def _shapes(texts: Any) -> Any:
    """Shapes of texts in any script."""
    for pattern, letter in ((r"\p{Lu}", "A"), (r"[\p{Ll}\p{Lo}\p{Lt}]", "a"), (r"\p{Nd}", "9")):
        texts = pc.replace_substring_regex(texts, pattern, letter)
    return texts


#: What stands between words: all but letters, marks, digits, apostrophes and joints inside.
_BETWEEN = r"[^\p{L}\p{M}\p{N}_'’]+"


def count_words_in(tally: ValueCounts) -> ValueCounts:
    """The tally of words in lower case, each occurrence counting for every row of its text.

    Words are runs of Unicode letters, marks, digits, underscores and apostrophes.
    """
    plain, lower = tally.measured.ascii, tally.bytes.in_words()
    if plain.all():
        return ValueCounts.of(*counted_runs(lower, tally.counts))
    parts = [ValueCounts.of(*counted_runs(lower.at(plain), tally.counts[plain]))]
    others = pc.utf8_lower(tally.values.take(arrow_of(np.flatnonzero(~plain))))
    spaced = pc.replace_substring_regex(others, _BETWEEN, " ")
    parts.append(ValueCounts.of(*counted_runs(bytes_of(spaced), tally.counts[~plain])))
    return merge_value_counts(parts)
