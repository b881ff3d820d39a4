"""Sorting and ranking numbers through packed words, and passes over sorted numbers.

A packed word is 64 bits: the upper ones sort as the number does, the lower ``width`` bits are the
row it stands in::

    [ (word - low) >> dropped_bits | row: width bits ]

`sortable_words` makes the words, `pack_rows` packs them, NumPy sorts them. Where bits were
dropped, different numbers may share the upper bits; `sort_ties` puts such a run in order by the
numbers themselves. It moves a word `MOST_MOVED` places at most: where that is not enough, the
function that called it gives up and says so, and the caller sorts in another way (see `ranks.py`,
whose functions hold for all of these).
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memcpy

cdef extern from "simd.h" nogil:
    enum: PIECE
    int64_t largest_of(const int64_t* numbers, Py_ssize_t n, int64_t sign)
    void count_reached(
        const int64_t* numbers, Py_ssize_t n, const int64_t* limits, Py_ssize_t limits_in_all,
        int32_t* into)
    Py_ssize_t first_beside_of_floats(const double* numbers, Py_ssize_t n)
    Py_ssize_t first_beside_of_whole(const int64_t* numbers, Py_ssize_t n)

cdef extern from *:
    """
    // By so many places a word is moved at most when ties are sorted.
    #define MOST_MOVED 64
    """
    enum: MOST_MOVED

ctypedef fused Number:
    int64_t
    uint64_t
    double

ctypedef fused Whole:
    int64_t
    uint64_t

ctypedef fused Rank:
    int32_t
    int64_t


def sortable_words(const Number[::1] values, uint64_t[::1] into):
    """Fill unsigned words that sort as the numbers do; return the lowest and the highest.

    Both arrays have shape (n,), n at least 1; floats are not NaN.
    """
    cdef Py_ssize_t i
    cdef uint64_t word, low = <uint64_t>-1, high = 0
    cdef double number
    cdef uint64_t sign = <uint64_t>1 << 63
    with nogil:
        for i in range(values.shape[0]):
            if Number is double:
                number = values[i] + 0.0  # -0.0 becomes 0.0
                memcpy(&word, &number, 8)
                # Of negative floats all bits are turned, of others the sign.
                word ^= (<uint64_t>-(<int64_t>(word >> 63))) | sign
            elif Number is int64_t:
                word = <uint64_t>values[i] ^ sign
            else:
                word = values[i]
            into[i] = word
            low = min(low, word)
            high = max(high, word)
    return low, high


def pack_rows(uint64_t[::1] words, uint64_t low, int dropped_bits, int width):
    """Pack the row of each word into its lower ``width`` bits, in place."""
    cdef Py_ssize_t row
    with nogil:
        for row in range(words.shape[0]):
            words[row] = ((words[row] - low) >> dropped_bits) << width | <uint64_t>row


cdef inline Py_ssize_t sort_ties(
    uint64_t[::1] words, int width, const Number[::1] values, Py_ssize_t start
) noexcept nogil:
    """Sort the run of words from ``start`` on that share their upper bits; return where it ends.

    An insertion sort by the values. Returns 0 where a word would be moved too far.
    """
    cdef Py_ssize_t stop = start + 1, k
    cdef uint64_t row_bits = (<uint64_t>1 << width) - 1, word
    cdef Number largest, value
    if stop == words.shape[0] or words[stop] >> width != words[start] >> width:
        return stop
    largest = values[words[start] & row_bits]
    while stop < words.shape[0] and words[stop] >> width == words[start] >> width:
        word = words[stop]
        value = values[word & row_bits]
        if value >= largest:
            largest = value
        else:
            k = stop
            while k > start and values[words[k - 1] & row_bits] > value:
                words[k] = words[k - 1]
                k -= 1
                if stop - k > MOST_MOVED:
                    return 0
            words[k] = word
        stop += 1
    return stop


def sorted_rows(uint64_t[::1] words, int width, const Number[::1] values, int64_t[::1] into):
    """Fill the rows in the order of their values, from sorted packed words.

    All arrays have shape (n,). Returns False where ties could not be sorted.
    """
    cdef Py_ssize_t start = 0, stop, i
    cdef uint64_t row_bits = (<uint64_t>1 << width) - 1
    with nogil:
        while start < words.shape[0]:
            stop = sort_ties(words, width, values, start)
            if not stop:
                break
            for i in range(start, stop):
                into[i] = <int64_t>(words[i] & row_bits)
            start = stop
    return start == words.shape[0]


def doubled_ranks(uint64_t[::1] words, int width, const Number[::1] values, Rank[::1] into):
    """Fill twice the average rank of each row's value, from sorted packed words.

    All arrays have shape (n,). Returns False where ties could not be sorted.
    """
    cdef Py_ssize_t start = 0, stop, first, last, i
    cdef uint64_t row_bits = (<uint64_t>1 << width) - 1
    cdef Number value
    with nogil:
        while start < words.shape[0]:
            stop = sort_ties(words, width, values, start)
            if not stop:
                break
            first = start
            while first < stop:
                last = first + 1
                if last < stop:
                    value = values[words[first] & row_bits]
                    while last < stop and values[words[last] & row_bits] == value:
                        last += 1
                for i in range(first, last):
                    into[words[i] & row_bits] = <Rank>(first + last + 1)
                first = last
            start = stop
    return start == words.shape[0]


def counted_ranks(
    const Whole[::1] values, Whole low, int64_t[:, ::1] counts, Rank[::1] into
):
    """Fill twice the average rank of each row's value, by counting; for whole numbers close together.

    ``values`` and ``into`` have shape (n,). ``counts`` is room to count in: zeros of shape
    (highest - lowest + 1, 2).
    """
    cdef Py_ssize_t i
    cdef int64_t done = 0, rows
    with nogil:
        for i in range(values.shape[0]):
            # Neighbours are often equal; with two counters the second need not wait for the first.
            counts[<int64_t>(values[i] - low), i & 1] += 1
        for i in range(counts.shape[0]):
            rows = counts[i, 0] + counts[i, 1]
            counts[i, 0] = 2 * done + rows + 1
            done += rows
        for i in range(values.shape[0]):
            into[i] = <Rank>counts[<int64_t>(values[i] - low), 0]


def repeated(
    uint64_t[::1] words, int width, const Number[::1] values, int64_t[::1] into, uint8_t[::1] first
):
    """Fill the rows whose value occurs more than once, in the order of their values.

    ``first`` is filled with 1 where a value differs from the one before it, else 0. All arrays
    have shape (n,). Returns how many rows were filled; -1 where ties could not be sorted.
    """
    cdef Py_ssize_t start = 0, stop, i, last
    cdef int64_t found = 0
    cdef uint64_t row_bits = (<uint64_t>1 << width) - 1
    with nogil:
        while start < words.shape[0]:
            stop = start + 1
            if stop == words.shape[0] or words[stop] >> width != words[start] >> width:
                start = stop
                continue
            stop = sort_ties(words, width, values, start)
            if not stop:
                found = -1
                break
            while start < stop:
                last = start + 1
                while last < stop and values[words[last] & row_bits] == values[words[start] & row_bits]:
                    last += 1
                for i in range(start, last if last - start > 1 else start):
                    into[found] = <int64_t>(words[i] & row_bits)
                    first[found] = i == start
                    found += 1
                start = last
    return found


def runs(const Number[::1] values, Number[::1] distinct, int64_t[::1] counts):
    """Fill the distinct ones of sorted numbers and their counts; return how many there are.

    All arrays have shape (n,).
    """
    cdef Py_ssize_t i, start = 0, n = values.shape[0]
    cdef int64_t found = 0
    with nogil:
        for i in range(1, n + 1):
            if i == n or values[i] != values[i - 1]:
                distinct[found] = values[start]
                counts[found] = i - start
                found += 1
                start = i
    return found


def longer_runs(
    const Number[::1] values, int64_t start, int64_t[::1] starts, int64_t[::1] lengths
):
    """Fill where runs of equal numbers begin, and their lengths; runs of one are left out.

    ``values`` has shape (n,) and is sorted; ``starts`` and ``lengths`` have shape (room,). It
    looks from ``start`` on and stops when there is no room. Returns how many runs were filled,
    and where to go on (n at the end).
    """
    cdef Py_ssize_t stop, n = values.shape[0]
    cdef int64_t found = 0
    with nogil:
        while start < n and found < starts.shape[0]:
            if Number is double:
                start += first_beside_of_floats(&values[start], n - start) - 1
            else:
                start += first_beside_of_whole(<const int64_t*>&values[start], n - start) - 1
            stop = start + 1
            while stop < n and values[stop] == values[start]:
                stop += 1
            if stop - start > 1:
                starts[found] = start
                lengths[found] = stop - start
                found += 1
            start = stop
    return found, start


def reached(const int64_t[::1] numbers, const int64_t[::1] limits, int32_t[::1] into):
    """Fill how many of the limits each number has reached; fast where there are few limits.

    ``numbers`` and ``into`` have shape (n,), ``limits`` has shape (m,).
    """
    cdef Py_ssize_t piece, start, n = numbers.shape[0]
    cdef const int64_t* first = &limits[0] if limits.shape[0] else NULL
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            count_reached(
                &numbers[start], min(PIECE, n - start), first, limits.shape[0], &into[start])


def bin_places(const Number[::1] numbers, const double[::1] upper, int32_t[::1] into):
    """Fill in which of the bins, by their last values in rising order, each number lies.

    ``numbers`` and ``into`` have shape (n,). Behind the last bin, and of what is no number, it is
    the length of ``upper``.
    """
    cdef Py_ssize_t i, at, half, length, bins = upper.shape[0]
    cdef double number
    with nogil:
        for i in range(numbers.shape[0]):
            number = <double>numbers[i]
            at, length = 0, bins
            # Without branches, since which way they go cannot be foretold.
            while length > 1:
                half = length >> 1
                at += half if not (number <= upper[at + half - 1]) else 0
                length -= half
            if length:
                at += not (number <= upper[at])
            into[i] = <int32_t>at


def count_statistics(const int64_t[::1] counts):
    """The sum of counts, how many of them are 1, and the sum of their squares, as a float."""
    cdef Py_ssize_t i
    cdef int64_t total = 0, once = 0, count
    cdef double squares = 0.0
    with nogil:
        for i in range(counts.shape[0]):
            count = counts[i]
            total += count
            if count == 1:
                once += 1
            else:
                squares += <double>count * <double>count
    return total, once, squares + <double>once


def first_of(const int64_t[::1] keys, bint falling, int64_t[::1] chosen):
    """Fill the places of the smallest keys, smallest first; of the largest where ``falling``.

    Of equal keys the first is taken. ``keys`` has shape (n,), ``chosen`` shape (k,), k <= n.
    """
    cdef Py_ssize_t piece, start, i, k, held = 0, most = chosen.shape[0], n = keys.shape[0]
    cdef int64_t sign = -1 if falling else 1, last = 0
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE if most else 0):
            start = piece * PIECE
            if held == most and -largest_of(&keys[start], min(PIECE, n - start), -sign) >= last:
                continue  # as most pieces do, it holds none that comes before those found
            for i in range(start, min(start + PIECE, n)):
                if held == most and sign * keys[i] >= last:
                    continue
                k = min(held, most - 1)
                while k and sign * keys[chosen[k - 1]] > sign * keys[i]:
                    chosen[k] = chosen[k - 1]
                    k -= 1
                chosen[k] = i
                held = min(held + 1, most)
                last = sign * keys[chosen[held - 1]]
