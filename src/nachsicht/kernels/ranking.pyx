"""Passes over numbers on their way into order, and over numbers in rising order."""

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
    // A word is moved so far at most when those that are the same are put in order.
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


def words(const Number[::1] values, uint64_t[::1] into):
    """Words without a sign that stand in the same order as the numbers; the least and the largest.

    ``into`` is as long as the values, of which there is one at least; floats are not NaN.
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


def with_places(uint64_t[::1] words_, uint64_t low, int given_way, int width):
    """Each word less the lowest, without the bits that give way, and its place in ``width`` bits."""
    cdef Py_ssize_t i
    with nogil:
        for i in range(words_.shape[0]):
            words_[i] = ((words_[i] - low) >> given_way) << width | <uint64_t>i


cdef inline Py_ssize_t settled(
    uint64_t[::1] words_, int width, const Number[::1] values, Py_ssize_t start
) noexcept nogil:
    """Where the run of words ends that differ in their places alone, put in order by the values.

    0 where the run is too long to be put in order so.
    """
    cdef Py_ssize_t stop = start + 1, k
    cdef uint64_t mask = (<uint64_t>1 << width) - 1, word
    cdef Number last, value
    if stop == words_.shape[0] or words_[stop] >> width != words_[start] >> width:
        return stop
    last = values[words_[start] & mask]
    while stop < words_.shape[0] and words_[stop] >> width == words_[start] >> width:
        word = words_[stop]
        value = values[word & mask]
        if value >= last:
            last = value
        else:
            k = stop
            while k > start and values[words_[k - 1] & mask] > value:
                words_[k] = words_[k - 1]
                k -= 1
                if stop - k > MOST_MOVED:
                    return 0
            words_[k] = word
        stop += 1
    return stop


def places(uint64_t[::1] words_, int width, const Number[::1] values, int64_t[::1] into):
    """The places in words in rising order; those of equal words are put in order by the values.

    Returns whether that was done, which it is not for long runs in disorder.
    """
    cdef Py_ssize_t start = 0, stop, i
    cdef uint64_t mask = (<uint64_t>1 << width) - 1
    with nogil:
        while start < words_.shape[0]:
            stop = settled(words_, width, values, start)
            if not stop:
                break
            for i in range(start, stop):
                into[i] = <int64_t>(words_[i] & mask)
            start = stop
    return start == words_.shape[0]


def doubled_ranks(uint64_t[::1] words_, int width, const Number[::1] values, Rank[::1] into):
    """Twice the average ranks of values, from their words in rising order, with places in them.

    Returns whether it was done, as `places` does. All arrays are equally long.
    """
    cdef Py_ssize_t start = 0, stop, first, last, i
    cdef uint64_t mask = (<uint64_t>1 << width) - 1
    cdef Number value
    with nogil:
        while start < words_.shape[0]:
            stop = settled(words_, width, values, start)
            if not stop:
                break
            first = start
            while first < stop:
                last = first + 1
                if last < stop:
                    value = values[words_[first] & mask]
                    while last < stop and values[words_[last] & mask] == value:
                        last += 1
                for i in range(first, last):
                    into[words_[i] & mask] = <Rank>(first + last + 1)
                first = last
            start = stop
    return start == words_.shape[0]


def counted_ranks(
    const Whole[::1] values, Whole low, int64_t[:, ::1] counts, Rank[::1] into
):
    """Twice the average ranks of whole numbers, of which there are few from the lowest on.

    ``counts`` are zeros, two for each number from the lowest to the highest.
    """
    cdef Py_ssize_t i
    cdef int64_t done = 0, rows
    with nogil:
        for i in range(values.shape[0]):
            # Neighbours often are the same: one count does not wait for the other.
            counts[<int64_t>(values[i] - low), i & 1] += 1
        for i in range(counts.shape[0]):
            rows = counts[i, 0] + counts[i, 1]
            counts[i, 0] = 2 * done + rows + 1
            done += rows
        for i in range(values.shape[0]):
            into[i] = <Rank>counts[<int64_t>(values[i] - low), 0]


def repeated(
    uint64_t[::1] words_, int width, const Number[::1] values, int64_t[::1] into, uint8_t[::1] first
):
    """The places of values that are not alone, equal ones beside each other, in rising order.

    ``first`` tells of each whether it is the first of those that equal it. Returns how many there
    are; -1 where it is not done, as in `places`. All arrays are equally long.
    """
    cdef Py_ssize_t start = 0, stop, i, last
    cdef int64_t found = 0
    cdef uint64_t mask = (<uint64_t>1 << width) - 1
    with nogil:
        while start < words_.shape[0]:
            stop = start + 1
            if stop == words_.shape[0] or words_[stop] >> width != words_[start] >> width:
                start = stop
                continue
            stop = settled(words_, width, values, start)
            if not stop:
                found = -1
                break
            while start < stop:
                last = start + 1
                while last < stop and values[words_[last] & mask] == values[words_[start] & mask]:
                    last += 1
                for i in range(start, last if last - start > 1 else start):
                    into[found] = <int64_t>(words_[i] & mask)
                    first[found] = i == start
                    found += 1
                start = last
    return found


def runs(const Number[::1] values, Number[::1] distinct, int64_t[::1] counts):
    """The different ones of rising numbers, and how often each occurs; returns how many.

    The arrays to fill are as long as the values.
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
    """Where rising numbers that occur more than once begin, and how often each occurs.

    Returns how many were found from one place on, and the place where the next may be, since no
    more are than there is room for; the number of values after the last one.
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
    """How many of some limits each number has reached; best they are few."""
    cdef Py_ssize_t piece, start, n = numbers.shape[0]
    cdef const int64_t* first = &limits[0] if limits.shape[0] else NULL
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            count_reached(
                &numbers[start], min(PIECE, n - start), first, limits.shape[0], &into[start])


def count_statistics(const int64_t[::1] counts):
    """The sum of counts, how many of them are 1, and the sum of their squares."""
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
    """The places of the smallest keys in rising order, of equal keys the first ones.

    Where they are falling, those of the largest. There are at least as many keys as are chosen.
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
