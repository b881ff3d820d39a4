"""Sums over many numbers in one pass.

Numbers are added up in short pieces, in four sums side by side, and the pieces with what
rounding takes from them (Neumaier 1974), so that the length costs no digits.
"""

from libc.math cimport fabs, rint
from libc.stdint cimport int8_t, int32_t, int64_t, uint8_t, uint64_t

ctypedef fused Rank:
    int32_t
    int64_t

ctypedef fused Number:
    int64_t
    uint64_t
    double

ctypedef fused Real:
    float
    double

cdef extern from *:
    """
    #define PIECE 512
    """
    enum: PIECE


cdef struct Total:
    double sum
    double lost


cdef inline void add(Total* total, double piece) noexcept nogil:
    cdef double sum_ = total.sum + piece
    if fabs(total.sum) >= fabs(piece):
        total.lost += (total.sum - sum_) + piece
    else:
        total.lost += (piece - sum_) + total.sum
    total.sum = sum_


cdef inline double of(Total* total) noexcept nogil:
    return total.sum + total.lost


def away_from(const double[::1] values, double middle):
    """The sum of the distances from a number, those below it being negative."""
    cdef Py_ssize_t piece, start, stop, i, n = values.shape[0]
    cdef Total total = Total(0.0, 0.0)
    cdef double a, b, c, d
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            a = b = c = d = 0.0
            i = start
            while i + 4 <= stop:
                a += values[i] - middle
                b += values[i + 1] - middle
                c += values[i + 2] - middle
                d += values[i + 3] - middle
                i += 4
            while i < stop:
                a += values[i] - middle
                i += 1
            add(&total, (a + b) + (c + d))
    return of(&total)


def powers(const double[::1] values, double factor, double middle):
    """Sums of the first four powers of ``values * factor - middle``."""
    cdef Py_ssize_t piece, start, stop, i, k, n = values.shape[0]
    cdef Total[4] totals
    cdef double[4][2] sums
    cdef double z, square
    for k in range(4):
        totals[k] = Total(0.0, 0.0)
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            for k in range(4):
                sums[k][0] = sums[k][1] = 0.0
            for i in range(start, stop):
                z = values[i] * factor - middle
                square = z * z
                sums[0][i & 1] += z
                sums[1][i & 1] += square
                sums[2][i & 1] += square * z
                sums[3][i & 1] += square * square
            for k in range(4):
                add(&totals[k], sums[k][0] + sums[k][1])
    return tuple([of(&totals[k]) for k in range(4)])


def with_scores(const double[::1] values, const double[::1] scores, double factor, double middle):
    """Of ``values * factor - middle`` the sum, that of squares, and of products with the scores.

    There are as many scores as values.
    """
    cdef Py_ssize_t piece, start, stop, i, k, n = values.shape[0]
    cdef Total[3] totals
    cdef double[3][2] sums
    cdef double z
    for k in range(3):
        totals[k] = Total(0.0, 0.0)
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            for k in range(3):
                sums[k][0] = sums[k][1] = 0.0
            for i in range(start, stop):
                z = values[i] * factor - middle
                sums[0][i & 1] += z
                sums[1][i & 1] += z * z
                sums[2][i & 1] += z * scores[i]
            for k in range(3):
                add(&totals[k], sums[k][0] + sums[k][1])
    return tuple([of(&totals[k]) for k in range(3)])


def near_whole(const double[::1] values, double times, double near, uint8_t[::1] into):
    """Whether each value is whole once multiplied, but for a part of it or of 1."""
    cdef Py_ssize_t i
    cdef double scaled
    with nogil:
        for i in range(values.shape[0]):
            scaled = values[i] * times
            into[i] = fabs(scaled - rint(scaled)) <= near * max(fabs(scaled), 1.0)


cdef inline bint less(
    const Number[::1] values, Number first, Py_ssize_t start, Py_ssize_t stop, double[::1] into
) noexcept nogil:
    """Values less one of them as floats; whether whole numbers were near enough to subtract."""
    cdef Py_ssize_t i
    cdef int64_t apart, beyond = 0
    if Number is double:
        for i in range(start, stop):
            into[i] = values[i] - first
    else:
        for i in range(start, stop):
            apart = <int64_t>(<uint64_t>values[i] - <uint64_t>first)
            if Number is int64_t:
                beyond |= (values[i] ^ first) & (values[i] ^ apart)
            else:
                beyond |= <int64_t>(values[i] | first)
            into[i] = <double>apart
    return beyond >= 0


def centred(const Number[::1] values, const uint8_t[::1] present, double[::1] into):
    """Values less their mean as floats, 0 where they are not present; all are equally long.

    Returns
    -------
    (values present, the mean less the first of them, that first one, the sum of what is left,
    the sum of its squares)
        Whole numbers are subtracted as such before they could lose digits as floats.
    """
    cdef Py_ssize_t piece, start, stop, i, n = values.shape[0], first = 0
    cdef int64_t count = 0
    cdef double mean
    cdef double[2] sums, squared
    cdef Total total = Total(0.0, 0.0), rest = Total(0.0, 0.0), squares = Total(0.0, 0.0)
    while first < n and not present[first]:
        first += 1
    if first == n:
        into[:] = 0.0
        return 0, 0.0, 0.0, 0.0, 0.0
    with nogil:
        for i in range(n):
            count += present[i]
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            if not less(values, values[first], start, stop, into):
                for i in range(start, stop):
                    into[i] = <double>values[i] - <double>values[first]
            if count < n:
                for i in range(start, stop):
                    if not present[i]:
                        into[i] = 0.0
            sums[0] = sums[1] = 0.0
            for i in range(start, stop):
                sums[i & 1] += into[i]
            add(&total, sums[0] + sums[1])
        mean = of(&total) / count
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            for i in range(start, stop):
                into[i] -= mean
            if count < n:
                for i in range(start, stop):
                    if not present[i]:
                        into[i] = 0.0
            sums[0] = sums[1] = squared[0] = squared[1] = 0.0
            for i in range(start, stop):
                sums[i & 1] += into[i]
                squared[i & 1] += into[i] * into[i]
            add(&rest, sums[0] + sums[1])
            add(&squares, squared[0] + squared[1])
    return count, mean, <double>values[first], of(&rest), of(&squares)


def by_cell(
    const int32_t[::1] cells, const Rank[::1] values, double factor, double[:, ::1] into
):
    """Add ``values * factor`` and its square to the row of ``into`` that its cell names.

    Cells are places in ``into``, of two columns; there are as many values as cells.
    """
    cdef Py_ssize_t i
    cdef double value
    with nogil:
        for i in range(cells.shape[0]):
            value = values[i] * factor
            into[cells[i], 0] += value
            into[cells[i], 1] += value * value


def pairs(const int32_t[::1] one, const int32_t[::1] other, int64_t[:, ::1] into):
    """Count the rows by two levels, those where either is missing (below 0) left out.

    Levels are places along the axes of ``into``; there are as many of the one as of the other.
    """
    cdef Py_ssize_t i
    with nogil:
        for i in range(one.shape[0]):
            if one[i] >= 0 and other[i] >= 0:
                into[one[i], other[i]] += 1


def mark(const int32_t[::1] codes, Real[:, ::1] into):
    """Set 1 in the row of the level of each column of ``into``; nothing where it is below 0."""
    cdef Py_ssize_t i
    with nogil:
        for i in range(codes.shape[0]):
            if codes[i] >= 0:
                into[codes[i], i] = 1.0


def agreeing(const int8_t[::1] one, const int8_t[::1] other):
    """The sum of products of numbers that are -1, 0 or 1; there are fewer than 2**31."""
    cdef Py_ssize_t i
    cdef int32_t found = 0
    with nogil:
        for i in range(one.shape[0]):
            found += <int8_t>(one[i] * other[i])
    return found
