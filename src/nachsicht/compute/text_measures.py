"""What is measured of texts, in parts that merge: lengths, words, shapes, looks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import arrow_of, values_of
from nachsicht.compute.looks import looks_of
from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.tallies import Tally, add_up, merge_tallies
from nachsicht.compute.text_bytes import ascii_shapes, edge_spaces, pure_ascii
from nachsicht.compute.words_in import count_words_in

#: Shapes longer than this are cut: it is their beginning that tells them apart.
SHAPE_LENGTH = 40


@dataclass(frozen=True)
class Counts:
    """Whole numbers that are not negative, and how many rows have each."""

    by_value: NDArray[np.int64]

    @staticmethod
    def of(values: NDArray[Any], rows: NDArray[np.int64]) -> Counts:
        """Count numbers, each standing for so many rows."""
        return Counts(np.bincount(values.astype(np.int64), rows).astype(np.int64))

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


@dataclass(frozen=True)
class TextMeasures:
    """Measures of the texts of some rows."""

    characters: Counts
    words: Counts
    frequent_words: Tally
    shapes: Tally
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
            merge_tallies([self.frequent_words, other.frequent_words]),
            merge_tallies([self.shapes, other.shapes]),
            self.blank + other.blank,
            self.space_before + other.space_before,
            self.space_after + other.space_after,
            looks,
        )


def measure_texts(tally: Tally) -> TextMeasures:
    """Measure different texts, each standing for its rows.

    Lengths are in characters (Unicode code points), words are runs without ASCII white space;
    frequent words are told apart as `words_in` says.
    """
    texts, rows = tally.values, tally.counts
    trimmed = values_of(pc.utf8_length(pc.utf8_trim_whitespace(texts)))
    spaces = edge_spaces(texts)
    return TextMeasures(
        characters=Counts.of(values_of(pc.utf8_length(texts)), rows),
        words=Counts.of(tally.word_counts, rows),
        frequent_words=count_words_in(texts, rows),
        shapes=shapes(tally),
        blank=int(rows[trimmed == 0].sum()),
        space_before=int(rows[spaces[0] & (trimmed > 0)].sum()),
        space_after=int(rows[spaces[1] & (trimmed > 0)].sum()),
        looks_like=looks_of(texts, rows),
    )


def shapes(tally: Tally) -> Tally:
    """The tally of shapes: A for an upper-case letter, a for another letter, 9 for a digit."""
    texts = pc.utf8_slice_codeunits(tally.values, 0, SHAPE_LENGTH)
    plain = pure_ascii(texts)
    if plain.all():
        return add_up(ascii_shapes(texts), tally.counts)
    places = arrow_of(np.flatnonzero(plain)), arrow_of(np.flatnonzero(~plain))
    shaped = pa.concat_arrays([ascii_shapes(texts.take(places[0])), _shapes(texts.take(places[1]))])
    return add_up(shaped, np.concatenate((tally.counts[plain], tally.counts[~plain])))


def _shapes(texts: Any) -> Any:
    """Shapes of texts in any script."""
    for pattern, letter in ((r"\p{Lu}", "A"), (r"[\p{Ll}\p{Lo}\p{Lt}]", "a"), (r"\p{Nd}", "9")):
        texts = pc.replace_substring_regex(texts, pattern, letter)
    return texts
