"""Written text and identifiers: lengths, blanks, shapes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.compute.arrays import arrow_of, values_of
from nachsicht.compute.numbers import SortedNumbers
from nachsicht.compute.quantities import summarise_quantity
from nachsicht.compute.tallies import Tally, add_up
from nachsicht.compute.text_bytes import ascii_shapes, count_words, pure_ascii
from nachsicht.model.column import IdentifierSummary, Level, TextSummary
from nachsicht.settings import Settings

#: Shapes longer than this are cut: it is their beginning that tells them apart.
SHAPE_LENGTH = 40


def summarise_text(tally: Tally, settings: Settings) -> TextSummary:
    """Lengths in characters (Unicode code points) and in words."""
    words = count_words(tally.values)
    return TextSummary(
        characters=summarise_quantity(
            _weighted(values_of(pc.utf8_length(tally.values)), tally), settings
        ),
        words=summarise_quantity(_weighted(words, tally), settings),
        blank=int(tally.counts[_blank(tally.values)].sum()),
    )


def summarise_identifier(tally: Tally, settings: Settings) -> IdentifierSummary:
    """How many values repeat, and the shapes of the values."""
    repeated = tally.counts > 1
    return IdentifierSummary(
        repeated_values=int(repeated.sum()),
        repeated_rows=int(tally.counts[repeated].sum()),
        shapes=tuple(Level(*pair) for pair in shapes(tally).top(settings.frequent_values)),
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


def tally_of_numbers(numbers: SortedNumbers) -> Tally:
    """Whole numbers that name things, as texts with their counts."""
    texts = arrow_of(numbers.distinct_values).cast(pa.large_string())
    return Tally(pa.table({"value": texts, "count": arrow_of(numbers.distinct_counts)}))


def _weighted(values: NDArray[Any], tally: Tally) -> SortedNumbers:
    """One number for each row, from one number for each different text."""
    numbers = np.repeat(values.astype(np.int64), tally.counts)
    numbers.sort()
    return SortedNumbers(numbers)


def _blank(values: Any) -> Any:
    return values_of(pc.utf8_length(pc.utf8_trim_whitespace(values))) == 0
