"""Parts of columns whose values no longer fit: bounded in size, with a stated error."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht._util.cached import kept
from nachsicht.arrow.buffers import arrow_of
from nachsicht.arrow.hashing import hash_values
from nachsicht.columns.numeric_state import NumberPart
from nachsicht.columns.text_stats import TextMeasures, measure_texts
from nachsicht.kernels.ranks import added_up
from nachsicht.model.column import ErrorBounds
from nachsicht.sketches.distinct import KeySample
from nachsicht.sketches.heavy_hitters import HeavyNumbers, HeavyTexts
from nachsicht.sketches.quantiles import QuantileSketch
from nachsicht.stats.moments import Moments, moments_of
from nachsicht.stats.row_order import OrderPart
from nachsicht.stats.sorted_array import SortedNumbers
from nachsicht.stats.value_counts import ValueCounts, ValueCountsPart

#: So many of the lowest and highest different values are kept with their exact counts.
ENDS = 16
#: Values, at equal steps of rank, that stand for all where shape is concerned.
STAND_INS = 1 << 16
#: So many values are condensed at once, unless they stand in one chunk.
_BLOCK_ROWS = 1 << 17


class CondensedNumbers(msgspec.Struct, frozen=True):
    """Numbers: exact counts, moments and ends; sketches of ranks, different and frequent values."""

    missing: int
    infinite_below: int
    infinite_above: int
    order: OrderPart
    moments: Moments
    zeros: int
    negatives: int
    whole: bool
    lowest: tuple[NDArray[Any], NDArray[np.int64]]
    highest: tuple[NDArray[Any], NDArray[np.int64]]
    ranks: QuantileSketch
    keys: KeySample
    heavy: HeavyNumbers

    def merge(self, later: CondensedNumbers) -> CondensedNumbers:
        """Put the part of later rows behind this one."""
        return CondensedNumbers(
            self.missing + later.missing,
            self.infinite_below + later.infinite_below,
            self.infinite_above + later.infinite_above,
            self.order.merge(later.order),
            self.moments.merge(later.moments),
            self.zeros + later.zeros,
            self.negatives + later.negatives,
            self.whole and later.whole,
            _ends(self.lowest, later.lowest, slice(None, ENDS)),
            _ends(self.highest, later.highest, slice(-ENDS, None)),
            self.ranks.merge(later.ranks),
            self.keys.merge(later.keys),
            self.heavy.merge(later.heavy),
        )

    @property
    def finite(self) -> int:
        """Finite values."""
        return self.moments.n

    @property
    def accuracy(self) -> ErrorBounds:
        """How far off the figures of this column may be."""
        share = self.ranks.error / max(self.finite, 1) + 1 / STAND_INS
        return ErrorBounds(share, self.keys.relative_error, self.heavy.error)

    def stand_ins(self) -> SortedNumbers:
        """Values at equal steps of rank, with the true ends."""
        values, weights = self.ranks.weighted()
        reached = np.cumsum(weights)
        steps = min(STAND_INS, int(reached[-1]))
        ranks = (np.arange(steps) + 0.5) / steps * reached[-1]
        chosen = values[np.searchsorted(reached, ranks, "left").clip(0, len(values) - 1)]
        chosen[0], chosen[-1] = self.lowest[0][0], self.highest[0][-1]
        if self.whole and self.lowest[0].dtype.kind in "iu":
            chosen = chosen.astype(self.lowest[0].dtype)
        return SortedNumbers(chosen, self.infinite_below, self.infinite_above)


def condense_numbers(part: NumberPart, onto: CondensedNumbers | None = None) -> CondensedNumbers:
    """Turn kept values into sketches, some chunks at a time, behind those of the rows before.

    All at once would take many times the memory of the values.
    """
    for chunk in _in_blocks(part.chunks):
        # Hashes that are too large for the sample so far need not be sorted.
        once = _condense_once(chunk, onto.keys if onto else KeySample())
        onto = msgspec.structs.replace(onto, keys=KeySample()).merge(once) if onto else once
    assert onto
    return msgspec.structs.replace(
        onto,
        missing=onto.missing + part.missing,
        infinite_below=onto.infinite_below + part.infinite_below,
        infinite_above=onto.infinite_above + part.infinite_above,
        order=onto.order.merge(part.order),
    )


def _in_blocks(chunks: Sequence[NDArray[Any]]) -> Iterator[NDArray[Any]]:
    """Short chunks put together: each block costs as much as some thousand values."""
    held: list[NDArray[Any]] = []
    for chunk in chunks:
        rows = sum(len(other) for other in held) + len(chunk)
        if held and (rows > _BLOCK_ROWS or chunk.dtype != held[0].dtype):
            yield np.concatenate(held)
            held = []
        held.append(chunk)
    yield np.concatenate(held or [np.empty(0)])


def _condense_once(chunk: NDArray[Any], keys: KeySample) -> CondensedNumbers:
    """Finite values alone; the sample of different ones is that of the rows before and these."""
    numbers = SortedNumbers(np.sort(chunk))
    values, counts = numbers.distinct_values, numbers.distinct_counts
    zero = np.searchsorted(numbers.values, 0, "left")
    return CondensedNumbers(
        0,
        0,
        0,
        OrderPart(),
        moments_of(numbers.all_floats),
        int(np.searchsorted(numbers.values, 0, "right") - zero),
        int(zero),
        numbers.whole,
        (values[:ENDS], counts[:ENDS]),
        (values[-ENDS:], counts[-ENDS:]),
        QuantileSketch.of_sorted(numbers.all_floats),
        keys.add(hash_values(arrow_of(values)), counts),
        HeavyNumbers(values[:0], counts[:0]).add(values, counts),
    )


def _ends(
    a: tuple[NDArray[Any], NDArray[np.int64]],
    b: tuple[NDArray[Any], NDArray[np.int64]],
    part: slice,
) -> tuple[NDArray[Any], NDArray[np.int64]]:
    if not len(a[0]) or not len(b[0]):  # an empty batch must not change the type of the values
        return a if len(a[0]) else b
    values, counts = added_up(np.concatenate((a[0], b[0])), np.concatenate((a[1], b[1])))
    return values[part], counts[part]


class CondensedTexts(msgspec.Struct, frozen=True, dict=True):
    """Texts: exact lengths, blanks and looks; sketches of different and frequent texts."""

    rows: int
    keys: KeySample
    heavy: HeavyTexts
    measures: TextMeasures
    words: HeavyTexts
    shapes: HeavyTexts

    def merge(self, later: CondensedTexts) -> CondensedTexts:
        """Put two parts together."""
        words, shapes = self.words.merge(later.words), self.shapes.merge(later.shapes)
        return CondensedTexts(
            self.rows + later.rows,
            self.keys.merge(later.keys),
            self.heavy.merge(later.heavy),
            _bounded(self.measures.merge(later.measures), words, shapes),
            words,
            shapes,
        )

    @property
    def accuracy(self) -> ErrorBounds:
        """How far off the figures of this column may be."""
        return ErrorBounds(0.0, self.keys.relative_error, self.heavy.error)

    # Traits that tell the kind, as `kinds.TextTraits` asks for them.

    @property
    def distinct(self) -> int:
        """Different texts."""
        return self.keys.distinct

    @kept
    def mean_words(self) -> float:
        """Mean number of words."""
        return self.measures.words.mean()

    @kept
    def longest(self) -> int:
        """Characters of the longest text."""
        return self.measures.characters.ends()[1]

    @kept
    def top_shape(self) -> tuple[str, int]:
        """The most frequent shape, and its rows."""
        return self.shapes.tally.top(1)[0] if self.shapes.tally.distinct else ("", 0)

    def some(self, most: int) -> set[str]:
        """No texts: there are too many."""
        return set()


def condense_texts(part: ValueCountsPart) -> CondensedTexts:
    """Turn counted texts into sketches."""
    tally = part.counted()
    keys = KeySample().add(hash_values(tally.values), tally.counts)
    return sketched_texts(tally, keys, _no_texts().add(tally))


def sketched_texts(tally: ValueCounts, keys: KeySample, heavy: HeavyTexts) -> CondensedTexts:
    """The bounded form of texts of which different and frequent ones are known."""
    measures = measure_texts(tally)
    words, shapes = _no_texts().add(measures.frequent_words), _no_texts().add(measures.shapes)
    rows = int(tally.counts.sum())
    return CondensedTexts(rows, keys, heavy, _bounded(measures, words, shapes), words, shapes)


def _no_texts() -> HeavyTexts:
    return HeavyTexts(ValueCountsPart((), 0).counted())


def _bounded(measures: TextMeasures, words: HeavyTexts, shapes: HeavyTexts) -> TextMeasures:
    return msgspec.structs.replace(measures, frequent_words=words.tally, shapes=shapes.tally)


Exact = NumberPart | ValueCountsPart
Condensed = CondensedNumbers | CondensedTexts


def condense(body: Exact) -> Condensed:
    """The bounded form of a part."""
    if isinstance(body, NumberPart):
        return condense_numbers(body)
    return condense_texts(body)


def kept_bytes(body: Exact) -> int:
    """Memory that a part's values take."""
    return sum(chunk.nbytes for chunk in body.chunks)


def compact(body: Exact) -> Exact:
    """The same part in one chunk; texts that stand in several chunks are counted once."""
    if isinstance(body, NumberPart) or len(body.chunks) < 2:
        return body
    return ValueCountsPart((body.counted().table,), body.missing)
