"""What each kernel means, in NumPy and Arrow: the reference that the compiled ones are held to.

Text i is ``data[starts[i]:stops[i]]``, in UTF-8; ``data`` has shape (bytes,), ``starts`` and
``stops`` have shape (texts,). Arrays are contiguous, and ``into`` and other arrays to fill have the
shape of the values, where nothing else is said. Hashes, codes, counts, places and flags are those
of the compiled kernels bit by bit; sums are, but for rounding.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

Array = NDArray[Any]

# ---------------------------------------------------------------------------------- hashing

_GOLDEN = 0x9E3779B97F4A7C15


def _mixed(numbers: Array) -> Array:
    """The finaliser of SplitMix64 (Steele, Lea and Flood 2014), of uint64."""
    numbers = (numbers ^ (numbers >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    numbers = (numbers ^ (numbers >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    spread: Array = numbers ^ (numbers >> np.uint64(31))
    return spread


def _put(hashes: Array, adding: bool, into: Array) -> None:
    if adding:
        into += hashes
    else:
        into[:] = hashes


def mix(numbers: Array, times: int, salt: int, adding: bool, into: Array) -> None:
    """The mixed sum of ``times`` each number and the salt, modulo 2**64; all are uint64.

    As in all hashes here, with ``adding`` the result is added to what ``into`` holds.
    """
    _put(_mixed(numbers * np.uint64(times) + np.uint64(salt)), adding, into)


def hash_floats(numbers: Array, missing: int, salt: int, adding: bool, into: Array) -> None:
    """As `mix`, of the bits of floats, both zeros being one, and ``missing`` standing for NaN."""
    bits = np.where(np.isnan(numbers), np.uint64(missing), (numbers + 0.0).view(np.uint64))
    _put(_mixed(bits + np.uint64(salt)), adding, into)


def hash_texts(
    data: Array, starts: Array, stops: Array, salt: int, adding: bool, into: Array
) -> None:
    """Hashes of texts: the length and the words, each mixed with a key of its place, added up.

    A word is the number that eight bytes make, the first byte being the lowest; the last word
    may have fewer.
    """
    lengths = stops - starts
    found = lengths.astype(np.uint64)
    by_length = np.argsort(-lengths, kind="stable")  # so that those with a word k stand first
    word_counts = (lengths[by_length] + 7) // 8
    for k in range(int(word_counts[0]) if len(word_counts) else 0):
        some = by_length[: np.searchsorted(-word_counts, -k)]
        words = _words(data, starts[some] + 8 * k, lengths[some] - 8 * k)
        found[some] += _mixed(words + np.uint64((k + 1) * _GOLDEN % 2**64))
    _put(_mixed(found + np.uint64(salt)), adding, into)


def _words(data: Array, starts: Array, lengths: Array) -> Array:
    """The numbers that the first eight bytes make, or all of shorter texts, from 1 byte on."""
    last = max(len(data) - 8, 0)
    padded = data if len(data) >= 8 else np.concatenate((data, np.zeros(8, np.uint8)))
    every = np.ndarray(len(padded) - 7, "<u8", np.ascontiguousarray(padded), 0, (1,))
    # Near the end of all texts the eight bytes are read that end there.
    words = every[np.minimum(starts, last)].astype(np.uint64)
    words >>= (8 * np.maximum(starts - last, 0)).astype(np.uint64)
    beyond = (64 - 8 * np.minimum(lengths, 8)).astype(np.uint64)
    return words << beyond >> beyond


def hash_codes(hashes: Array, codes: Array, adding: bool, into: Array) -> None:
    """``hashes[codes]``; ``hashes`` has shape (levels,), the others shape (rows,).

    Codes come from outside with the data, so it is looked whether they are places in it.

    Raises
    ------
    IndexError
        If one is not.
    """
    wrong = np.flatnonzero((codes < 0) | (codes >= len(hashes)))
    if len(wrong):
        raise IndexError(f"row {wrong[0]} has level {codes[wrong[0]]} of {len(hashes)}")
    _put(hashes[codes], adding, into)


# ----------------------------------------------------------------------------------- normal


def quantiles(shares: Array, into: Array) -> None:
    """The quantile of the normal distribution for each share between 0 and 1."""
    from scipy.special import ndtri  # loads slowly

    ndtri(shares, out=into)


# ---------------------------------------------------------------------------------- ranking


def sortable_words(values: Array, into: Array) -> tuple[int, int]:
    """Fill unsigned words that sort as the numbers do; return the lowest and the highest.

    Numbers are int64, uint64 or float64 without NaN, one at least.
    """
    sign = np.uint64(1 << 63)
    if values.dtype.kind == "f":
        bits = (values + 0.0).view(np.uint64)  # -0.0 becomes 0.0
        into[:] = np.where(bits >= sign, ~bits, bits | sign)
    else:
        into[:] = values.view(np.uint64) ^ (sign if values.dtype.kind == "i" else np.uint64(0))
    return int(into.min()), int(into.max())


def pack_rows(words: Array, low: int, dropped_bits: int, width: int) -> None:
    """Pack the row of each word into its lower ``width`` bits, in place."""
    words -= np.uint64(low)
    words >>= np.uint64(dropped_bits)
    words <<= np.uint64(width)
    words |= np.arange(len(words), dtype=np.uint64)


def _rows_of(words: Array, width: int, values: Array) -> tuple[Array, Array]:
    """The rows of sorted packed words, and their values."""
    rows = (words & np.uint64((1 << width) - 1)).view(np.int64)
    return rows, values[rows]


def sorted_rows(words: Array, width: int, values: Array, into: Array) -> bool:
    """Fill the rows in the order of their values, from sorted packed words.

    Returns False where bits were dropped that tell values apart; a kernel may put these in
    order, and fills all then.
    """
    into[:], ranked = _rows_of(words, width, values)
    return bool((ranked[1:] >= ranked[:-1]).all())


def doubled_ranks(words: Array, width: int, values: Array, into: Array) -> bool:
    """Fill twice the average rank of each row's value, from sorted packed words.

    Returns False as `sorted_rows` does.
    """
    rows, ranked = _rows_of(words, width, values)
    if not (ranked[1:] >= ranked[:-1]).all():
        return False
    edges = np.append(np.flatnonzero(_begins(ranked)), len(ranked))
    into[rows] = np.repeat(edges[1:] + edges[:-1] + 1, np.diff(edges))
    return True


def counted_ranks(values: Array, low: int, counts: Array, into: Array) -> None:
    """As `doubled_ranks`, by counting; for whole numbers close together.

    ``counts`` is room to count in: zeros of shape (highest - lowest + 1, 2).
    """
    places = (values - values.dtype.type(low)).astype(np.int64)
    rows = np.bincount(places, minlength=len(counts))
    into[:] = (2 * np.cumsum(rows) - rows + 1)[places]


def repeated(words: Array, width: int, values: Array, into: Array, first: Array) -> int:
    """Fill the rows whose value occurs more than once, in the order of their values.

    ``first`` is filled with 1 where a value differs from the one before it, else 0. Returns how
    many rows were filled; -1 as `sorted_rows` returns False.
    """
    rows, ranked = _rows_of(words, width, values)
    if not (ranked[1:] >= ranked[:-1]).all():
        return -1
    begins = _begins(ranked)
    kept = np.flatnonzero(~(begins & np.append(begins[1:], True)))
    into[: len(kept)], first[: len(kept)] = rows[kept], begins[kept]
    return len(kept)


def _begins(ranked: Array) -> Array:
    """Where sorted numbers differ from the one before."""
    return np.concatenate((np.ones(min(len(ranked), 1), bool), ranked[1:] != ranked[:-1]))


def runs(values: Array, distinct: Array, counts: Array) -> int:
    """Fill the distinct ones of sorted numbers and their counts; return how many there are."""
    starts = np.flatnonzero(_begins(values))
    distinct[: len(starts)] = values[starts]
    counts[: len(starts)] = np.diff(starts, append=len(values))
    return len(starts)


def longer_runs(values: Array, start: int, starts: Array, lengths: Array) -> tuple[int, int]:
    """Fill where runs of equal numbers begin, and their lengths; runs of one are left out.

    ``values`` are sorted; ``starts`` and ``lengths`` have shape (room,). It looks from ``start``
    on, where a run begins, and stops when there is no room. Returns how many runs were filled,
    and where to go on (the length of the values at the end).
    """
    edges = np.append(np.flatnonzero(_begins(values[start:])), len(values) - start)
    longer = np.flatnonzero(np.diff(edges) > 1)[: len(starts)]
    starts[: len(longer)] = start + edges[longer]
    lengths[: len(longer)] = edges[longer + 1] - edges[longer]
    full = len(longer) and len(longer) == len(starts)
    return len(longer), start + int(edges[longer[-1] + 1] if full else edges[-1])


def reached(numbers: Array, limits: Array, into: Array) -> None:
    """Fill how many of the limits, shape (limits,), each number has reached."""
    into[:] = np.searchsorted(np.sort(limits), numbers, "right")


def bin_places(numbers: Array, upper: Array, into: Array) -> None:
    """Fill in which of the bins, by their last values in rising order, each number lies.

    Behind the last bin, and of what is no number, it is the length of ``upper``.
    """
    into[:] = np.searchsorted(upper, numbers.astype(np.float64))


def count_statistics(counts: Array) -> tuple[int, int, float]:
    """The sum of counts, how many of them are 1, and the sum of their squares, as a float."""
    floats = counts.astype(np.float64)
    return int(counts.sum()), int(np.count_nonzero(counts == 1)), float((floats * floats).sum())


def first_of(keys: Array, falling: bool, chosen: Array) -> None:
    """Fill the places of the smallest keys, smallest first; of the largest where ``falling``.

    Of equal keys the first is taken. ``chosen`` has shape (k,), k at most the number of keys.
    """
    if not len(chosen):
        return
    keys = -keys if falling else keys
    some = np.flatnonzero(keys <= np.partition(keys, len(chosen) - 1)[len(chosen) - 1])
    chosen[:] = some[np.argsort(keys[some], kind="stable")[: len(chosen)]]


# ------------------------------------------------------------------------------------- sums


def away_from(values: Array, middle: float) -> float:
    """The sum of the distances from a number, those below it being negative."""
    return float((values - middle).sum())


def powers(values: Array, factor: float, middle: float) -> tuple[float, float, float, float]:
    """Sums of the first four powers of ``values * factor - middle``."""
    z = values * factor - middle
    square = z * z
    sums = (z.sum(), square.sum(), (square * z).sum(), (square * square).sum())
    return float(sums[0]), float(sums[1]), float(sums[2]), float(sums[3])


def with_scores(
    values: Array, scores: Array, factor: float, middle: float
) -> tuple[float, float, float]:
    """Of ``values * factor - middle`` the sum, that of squares, and of products with the scores."""
    z = values * factor - middle
    return float(z.sum()), float((z * z).sum()), float((z * scores).sum())


def near_whole(values: Array, times: float, near: float, into: Array) -> int:
    """Mark the values that are whole once multiplied, but for a part of them or of 1; how many.

    None of the marks is set before.
    """
    scaled = values * times
    into[:] = np.abs(scaled - np.rint(scaled)) <= near * np.maximum(np.abs(scaled), 1.0)
    return int(np.count_nonzero(into))


def products(rows: Array, into: Array) -> None:
    """The sums of the products of every two rows; ``into`` has shape (rows, rows)."""
    np.dot(rows, rows.T, out=into)


def centred(values: Array, present: Array, into: Array) -> tuple[int, float, float, float, float]:
    """Values less their mean as floats, 0 where they are not present.

    Returns
    -------
    (values present, the mean less the first of them, that first one, the sum of what is left,
    the sum of its squares)
        Whole numbers are subtracted as such before they could lose digits as floats.
    """
    there = present.view(bool)
    count = int(np.count_nonzero(there))
    if not count:
        into[:] = 0.0
        return 0, 0.0, 0.0, 0.0, 0.0
    first = values[np.argmax(there)]
    into[:] = values.astype(np.float64) - float(first)
    if values.dtype.kind != "f":
        apart = (values.view(np.uint64) - first.view(np.uint64)).view(np.int64)
        signed = values.dtype.kind == "i"
        beyond = (
            ((values ^ first) & (values ^ apart)) if signed else (values | first).view(np.int64)
        )
        np.copyto(into, apart, where=beyond >= 0)
    into[~there] = 0.0
    mean = float(into.sum()) / count
    into -= mean
    into[~there] = 0.0
    return count, mean, float(first), float(into.sum()), float((into * into).sum())


def by_cell(cells: Array, values: Array, factor: float, into: Array) -> None:
    """Add ``values * factor`` and its square to the row of ``into`` that its cell names.

    ``into`` has shape (cells in all, 2).
    """
    scaled = values * factor
    into[:, 0] += np.bincount(cells, scaled, len(into))
    into[:, 1] += np.bincount(cells, scaled * scaled, len(into))


def into_cells(codes: Array, size: int, cells: Array) -> None:
    """Make of each cell as many as there are codes, and take that of its code.

    Codes below 0, for what is missing, count as the last one.
    """
    cells *= np.int32(size)
    cells += np.where(codes >= 0, codes, np.int32(size - 1))


def by_code(codes: Array, into: Array, beside: Array) -> int:  # noqa: ARG001
    """Add to how many rows have each code, those below 0 left out.

    ``into`` and ``beside`` have shape (levels,); a kernel may count in either, so that their sum is
    what is looked for. Returns the place of the first code that is none; -1 without such.
    """
    wrong = np.flatnonzero(codes >= len(into))
    if not len(wrong):
        into += np.bincount(
            codes if codes.min(initial=0) >= 0 else codes[codes >= 0], minlength=len(into)
        )
    return int(wrong[0]) if len(wrong) else -1


def recoded(codes: Array, new: Array, into: Array) -> int:
    """``new[codes]``; ``new`` has shape (levels,).

    Returns the place of the first code that is none; -1 without such.
    """
    wrong = np.flatnonzero((codes < 0) | (codes >= len(new)))
    if not len(wrong):
        np.take(new, codes, out=into)
    return int(wrong[0]) if len(wrong) else -1


def in_runs(figures: Array, starts: Array, into: Array) -> None:
    """The sums of the figures of each row within runs, which begin at ``starts``, the first at 0.

    ``into`` has as many rows as figures, and a column for each run.
    """
    np.add.reduceat(figures, starts, axis=1, out=into)


def brier_errors(
    counts: Array, total: Array, overall: Array, column_of: Array, starts: Array, into: Array
) -> None:
    """Add the squared errors of shares of levels that come from the rows of other folds.

    ``counts`` and ``total`` hold the rows of a fold and of all by bin (first axis) and level
    (second axis); the levels of a column are a run, which begins at ``starts``. ``into`` has a row
    a bin and a column a run. Of a row with level y the error is the sum of all p² - 2 p(y): that
    of the shares p in the rows of the bin that are not in the fold, and where there are none, of
    the shares in the row of ``overall`` that ``column_of`` names for the bin. Counts are whole
    numbers below 2**53, and so are the sums of their products.
    """

    def summed(figures: Array) -> Array:
        return np.add.reduceat(figures, starts, axis=1)

    held, own, common = summed(counts), summed(counts**2), summed(counts * total)
    left = summed(total) - held
    squares = summed(total**2) - 2 * common + own
    with np.errstate(all="ignore"):
        wrong = (squares * held / left - 2 * (common - own)) / left
    shares = overall[column_of]
    np.copyto(wrong, summed(shares**2) * held - 2 * summed(counts * shares), where=left == 0)
    into += np.where(held == 0, 0.0, wrong)


def pairs(one: Array, other: Array, into: Array) -> None:
    """Count the rows by two levels, those where either is missing (below 0) left out.

    ``into`` has shape (levels of the one, levels of the other).
    """
    both = (one >= 0) & (other >= 0)
    cells = one[both].astype(np.int64) * into.shape[1] + other[both]
    into += np.bincount(cells, minlength=into.size).reshape(into.shape)


def mark(codes: Array, into: Array) -> None:
    """Set 1 in the row of the level of each column of ``into``; nothing where it is below 0.

    ``into`` has shape (levels, rows).
    """
    there = np.flatnonzero(codes >= 0)
    into[codes[there], there] = 1


def agreeing(one: Array, other: Array) -> int:
    """The sum of products of numbers that are -1, 0 or 1, as int8; there are fewer than 2**31."""
    return int((one * other).sum(dtype=np.int64))


# ------------------------------------------------------------------------------------- text

_BYTES = np.arange(256, dtype=np.uint8)
_SPACE = np.isin(_BYTES, (9, 10, 11, 12, 13, 32))
_CAPITAL = (ord("A") <= _BYTES) & (ord("Z") >= _BYTES)
_SMALL = (ord("a") <= _BYTES) & (ord("z") >= _BYTES)
_DIGIT = (ord("0") <= _BYTES) & (ord("9") >= _BYTES)
_SHAPES = _BYTES.copy()
_SHAPES[_CAPITAL], _SHAPES[_SMALL], _SHAPES[_DIGIT] = b"Aa9"
_LOWER = np.where(_CAPITAL, _BYTES + np.uint8(32), _BYTES)
_IN_WORDS = np.where(
    _CAPITAL | _SMALL | _DIGIT | np.isin(_BYTES, (ord("_"), ord("'"))), _LOWER, np.uint8(32)
)


def measure(
    data: Array,
    starts: Array,
    stops: Array,
    characters: Array,
    words: Array,
    plain: Array,
    first: Array,
    last: Array,
) -> None:
    """Code points of each text, its runs without space, whether it is ASCII, its outer bytes.

    Outer bytes of empty texts are 0; space is the white space of ASCII.
    """
    lengths = stops - starts
    filled = np.flatnonzero(lengths)
    dark = ~_SPACE[data]
    words[:] = _flagged(dark & ~np.concatenate((dark[:1], dark[:-1])), starts, stops)
    at_first = starts[filled]
    # A first word that is no beginning among all bytes, where the text before ends with one.
    words[filled] += dark[at_first] & ((at_first == 0) | dark[at_first - 1])
    characters[:], plain[:] = lengths, 1
    if len(data) and data.max() >= 128:
        plain[:] = _flagged(data >= 128, starts, stops) == 0
        characters[:] -= _flagged(data & 0xC0 == 0x80, starts, stops)
    first[:], last[:] = 0, 0
    first[filled], last[filled] = data[starts[filled]], data[stops[filled] - 1]


def _flagged(flags: Array, starts: Array, stops: Array) -> Array:
    """How many bytes of each text are flagged."""
    found: Array = np.zeros(len(flags) + 1, np.int32 if len(flags) < 2**31 else np.int64)
    np.cumsum(flags, out=found[1:])
    within: Array = found[stops] - found[starts]
    return within


def has_byte(data: Array, byte: int) -> bool:
    """Whether a byte occurs at all."""
    return bool((data == byte).any())


def shaped(data: Array, into: Array) -> None:
    """Every letter as A or a, every digit as 9; of ASCII."""
    np.take(_SHAPES, data, out=into)


def in_words(data: Array, into: Array) -> None:
    """Lower case, and a space for all that belongs to no word; of ASCII."""
    np.take(_IN_WORDS, data, out=into)


def numbers_behind(data: Array, starts: Array, stops: Array, skipped: int, into: Array) -> int:
    """The whole number behind the first bytes of each text; how many texts have one.

    All but the bytes skipped are digits, one to eighteen; it ends where that is not so.
    """
    digits = stops - starts - skipped
    sound = (digits > 0) & (digits <= 18)
    numbers = np.zeros(len(starts), np.int64)
    for k in range(18):
        some = np.flatnonzero(sound & (digits > k))
        digit = data[starts[some] + skipped + k]
        sound[some] = _DIGIT[digit]
        numbers[some] = 10 * numbers[some] + digit - 48
    sound_ones = len(starts) if sound.all() else int(np.argmin(sound))
    into[:sound_ones] = numbers[:sound_ones]
    return sound_ones


def common_start(data: Array, starts: Array, stops: Array) -> int:
    """How many bytes all texts begin with; there is one text at least."""
    shared = int((stops - starts).min())
    for k in range(shared):
        if (data[starts + k] != data[starts[0] + k]).any():
            return k
    return shared


def gathered(data: Array, starts: Array, stops: Array, into: Array) -> None:
    """The texts one right after the other; ``into`` has shape (bytes of all of them,)."""
    into[:] = data[_places(starts, stops)]


def _places(starts: Array, stops: Array) -> Array:
    """Where in the data the bytes of texts are, one text after the other."""
    lengths = stops - starts
    before = np.cumsum(lengths) - lengths
    places: Array = np.arange(int(lengths.sum())) + np.repeat(starts - before, lengths)
    return places


def kept(
    data: Array, starts: Array, stops: Array, flags: Array, offsets: Array, into: Array
) -> None:
    """The flagged ones of texts that follow one another without a gap, again without one.

    ``offsets`` has shape (flagged + 1,), and there is room in ``into`` for all bytes.
    """
    flagged = flags.view(bool)
    offsets[0] = 0
    np.cumsum((stops - starts)[flagged], out=offsets[1:])
    into[: offsets[-1]] = data[: len(into)][np.repeat(flagged, stops - starts)]


def first_texts(
    data: Array, starts: Array, stops: Array, keys: Array, falling: bool, chosen: Array
) -> None:
    """The texts with the smallest keys, of equal keys those that come first in order, in no order.

    Where they are falling, those with the largest. There are at least as many texts as are
    chosen, and at least one is.
    """
    keys = -keys if falling else keys
    some = np.flatnonzero(keys <= np.partition(keys, len(chosen) - 1)[len(chosen) - 1])
    texts = _texts(data, starts[some], stops[some])
    # Not by way of `pa.array` and `to_numpy`, which load pandas.
    few_keys = pa.Array.from_buffers(pa.int64(), len(some), [None, pa.py_buffer(keys[some])])
    table = pa.table({"key": few_keys, "text": texts})
    order = [("key", "ascending"), ("text", "ascending")]
    found = pc.select_k_unstable(table, len(chosen), order)
    chosen[:] = some[np.frombuffer(found.buffers()[1], np.uint64)[: len(chosen)]]


def equal_in_runs(data: Array, starts: Array, stops: Array, places: Array, runs: Array) -> bool:
    """Whether the texts at some places equal each other from where each run begins to the next.

    ``places`` has shape (n,), ``runs`` shape (runs,).
    """
    firsts = np.repeat(places[runs], np.diff(runs, append=len(places)))
    lengths = stops - starts
    return np.array_equal(lengths[places], lengths[firsts]) and np.array_equal(
        data[_places(starts[places], stops[places])], data[_places(starts[firsts], stops[firsts])]
    )


def _texts(data: Array, starts: Array, stops: Array) -> Any:
    """Texts as an Arrow array; without a copy where they follow one another without a gap."""
    offsets = np.empty(len(starts) + 1, np.int64)
    if np.array_equal(starts[1:], stops[:-1]):
        offsets[:-1], offsets[-1:] = starts, stops[-1:] if len(stops) else 0
    else:
        offsets[0] = 0
        np.cumsum(stops - starts, out=offsets[1:])
        data = data[_places(starts.astype(np.int64), stops.astype(np.int64))]
    buffers = [None, pa.py_buffer(offsets), pa.py_buffer(np.ascontiguousarray(data))]
    return pa.Array.from_buffers(pa.large_binary(), len(starts), buffers)


# ------------------------------------------------------------------------------- dictionary

#: So many bytes are split into runs together.
_SPLIT_AT_ONCE = 1 << 22


class DictionaryEncoder:
    """Codes of distinct texts, in the order in which they first occur; fewer than 2**31.

    Attributes
    ----------
    found : int
        How many distinct texts there are.
    """

    def __init__(self) -> None:
        self._distinct = pa.nulls(0, pa.large_binary())
        self._counts = np.zeros(0, np.int64)

    @property
    def found(self) -> int:
        """How many distinct texts there are."""
        return len(self._distinct)

    def add(self, data: Array, starts: Array, stops: Array, codes: Array) -> None:
        """Fill the code of each text, in int32."""
        both = pa.concat_arrays([self._distinct, _texts(data, starts, stops)])
        coded = both.dictionary_encode()
        all_codes = np.frombuffer(coded.indices.buffers()[1] or b"", np.int32)[coded.offset :]
        codes[:] = all_codes[self.found :][: len(codes)]
        self._distinct = coded.dictionary
        self._counts = np.append(self._counts, np.zeros(self.found - len(self._counts), np.int64))

    def count(self, codes: Array, rows: Array) -> None:
        """Add rows to the counts of the texts of these codes."""
        np.add.at(self._counts, codes, rows)

    def count_runs(
        self,
        data: Array,
        starts: Array,
        stops: Array,
        between: int,
        rows: Array,
        first: int,
        numbers: Array,
    ) -> tuple[int, int]:
        """Split texts at a byte and add the rows of each text to the counts of its parts.

        A kernel may leave short parts (up to eight bytes, the last not 0) of texts that stand in
        one row to its caller: it writes them to ``numbers``, shape (room,), as the number that
        their bytes make, the first byte being the lowest. It goes from text ``first`` on.
        Returns how many numbers were written, and the text to go on with.
        """
        lengths = (stops - starts)[first:]
        lengths = lengths[: max(int(np.searchsorted(np.cumsum(lengths), _SPLIT_AT_ONCE)), 1)]
        stop = first + len(lengths)
        own = data[_places(starts[first:stop], stops[first:stop])]
        text = np.repeat(np.arange(first, stop), lengths)
        inside = own != between
        goes_on = inside[1:] & inside[:-1] & (text[1:] == text[:-1])
        begins, ends = inside.copy(), inside.copy()
        begins[1:] &= ~goes_on
        ends[:-1] &= ~goes_on
        part_starts, part_stops = np.flatnonzero(begins), np.flatnonzero(ends) + 1
        codes = np.empty(len(part_starts), np.int32)
        self.add(own, part_starts, part_stops, codes)
        self.count(codes, rows[text[part_starts]])
        return 0, stop

    def counts(self, into: Array) -> None:
        """Fill the count of each distinct text; ``into`` has shape (found,)."""
        into[:] = self._counts

    def byte_count(self) -> int:
        """The bytes of all distinct texts together."""
        return int(pc.sum(pc.binary_length(self._distinct)).as_py() or 0)

    def texts(self, offsets: Array, data: Array) -> None:
        """Fill the distinct texts, one after the other, and where each begins and the last ends.

        ``offsets`` has shape (found + 1,), ``data`` shape (byte_count,).
        """
        _, own, held = self._distinct.buffers()
        own = (
            np.frombuffer(own, np.int64)[: self.found + 1] if self.found else np.zeros(1, np.int64)
        )
        offsets[:] = own - own[0]
        data[:] = np.frombuffer(held or b"", np.uint8)[own[0] : own[-1]]
