"""Sums over many numbers in one pass.

Numbers are added up in short pieces, in sums side by side, and the pieces with what rounding
takes from them (Neumaier 1974), so that the length costs no digits.
"""

from libc.math cimport fabs
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

cdef extern from "simd.h" nogil:
    enum: PIECE
    enum: TILE
    double sum_away(const double* values, Py_ssize_t n, double middle)
    void sum_powers(
        const double* values, Py_ssize_t n, double factor, double middle, double* sums)
    void sum_with_scores(
        const double* values, const double* scores, Py_ssize_t n, double factor, double middle,
        double* sums)
    void add_products(
        const double* const* ones, const double* const* others, Py_ssize_t n, double* sums)
    void write_away(const double* values, Py_ssize_t n, double from_, double* into)
    int64_t count_set(const uint8_t* flags, Py_ssize_t n)
    int64_t count_near_whole(const double* values, Py_ssize_t n, double times, double near)
    void are_near_whole(
        const double* values, Py_ssize_t n, double times, double near, uint8_t* into)


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
    cdef Py_ssize_t piece, start, n = values.shape[0]
    cdef Total total = Total(0.0, 0.0)
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            add(&total, sum_away(&values[start], min(PIECE, n - start), middle))
    return of(&total)


def powers(const double[::1] values, double factor, double middle):
    """Sums of the first four powers of ``values * factor - middle``."""
    cdef Py_ssize_t piece, start, k, n = values.shape[0]
    cdef Total[4] totals
    cdef double[4] sums
    for k in range(4):
        totals[k] = Total(0.0, 0.0)
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            sum_powers(&values[start], min(PIECE, n - start), factor, middle, sums)
            for k in range(4):
                add(&totals[k], sums[k])
    return tuple([of(&totals[k]) for k in range(4)])


def with_scores(const double[::1] values, const double[::1] scores, double factor, double middle):
    """Of ``values * factor - middle`` the sum, that of squares, and of products with the scores.

    There are as many scores as values.
    """
    cdef Py_ssize_t piece, start, k, n = values.shape[0]
    cdef Total[3] totals
    cdef double[3] sums
    for k in range(3):
        totals[k] = Total(0.0, 0.0)
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            sum_with_scores(
                &values[start], &scores[start], min(PIECE, n - start), factor, middle, sums)
            for k in range(3):
                add(&totals[k], sums[k])
    return tuple([of(&totals[k]) for k in range(3)])


def near_whole(const double[::1] values, double times, double near, uint8_t[::1] into):
    """Mark the values that are whole once multiplied, but for a part of them or of 1; how many.

    There are as many marks as values, none of them set before.
    """
    cdef Py_ssize_t piece, start, size, n = values.shape[0]
    cdef int64_t found = 0, here
    with nogil:
        for piece in range((n + PIECE - 1) // PIECE):
            start = piece * PIECE
            size = min(PIECE, n - start)
            here = count_near_whole(&values[start], size, times, near)
            if here:
                are_near_whole(&values[start], size, times, near, &into[start])
            found += here
    return found


cdef inline bint less(
    const Number[::1] values, Number first, Py_ssize_t start, Py_ssize_t stop, double[::1] into
) noexcept nogil:
    """Values less one of them as floats; whether whole numbers were near enough to subtract."""
    cdef Py_ssize_t i
    cdef int64_t apart, beyond = 0
    if Number is double:
        write_away(&values[start], stop - start, first, &into[start])
    else:
        for i in range(start, stop):
            apart = <int64_t>(<uint64_t>values[i] - <uint64_t>first)
            if Number is int64_t:
                beyond |= (values[i] ^ first) & (values[i] ^ apart)
            else:
                beyond |= <int64_t>(values[i] | first)
            into[i] = <double>apart
    return beyond >= 0


cdef extern from *:
    """
    // So many numbers of some dozens of rows stay in the cache while these are multiplied.
    #define AT_ONCE 2048
    """
    enum: AT_ONCE


def products(const double[:, ::1] rows, double[:, ::1] into):
    """The sums of the products of every two rows; there is one row at least."""
    cdef Py_ssize_t k = rows.shape[0], n = rows.shape[1], tiles = (k + TILE - 1) // TILE
    cdef Py_ssize_t start = 0, one, other, i, j
    cdef const double* ones[TILE]
    cdef const double* others[TILE]
    cdef double sums[TILE * TILE]
    into[:] = 0.0
    with nogil:
        while start < n:
            for one in range(tiles):
                for other in range(one, tiles):
                    for i in range(TILE):  # the last row stands for those that are not there
                        ones[i] = &rows[min(TILE * one + i, k - 1), start]
                        others[i] = &rows[min(TILE * other + i, k - 1), start]
                    for i in range(TILE * TILE):
                        sums[i] = 0.0
                    add_products(ones, others, min(AT_ONCE, n - start), sums)
                    for i in range(min(TILE, k - TILE * one)):
                        for j in range(min(TILE, k - TILE * other)):
                            into[TILE * one + i, TILE * other + j] += sums[TILE * i + j]
            start += AT_ONCE
        for i in range(k):
            for j in range(i):
                into[i, j] = into[j, i]


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
    cdef double[4] sums
    cdef Total total = Total(0.0, 0.0), rest = Total(0.0, 0.0), squares = Total(0.0, 0.0)
    while first < n and not present[first]:
        first += 1
    if first == n:
        into[:] = 0.0
        return 0, 0.0, 0.0, 0.0, 0.0
    with nogil:
        count = count_set(&present[0], n)
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            if not less(values, values[first], start, stop, into):
                for i in range(start, stop):
                    into[i] = <double>values[i] - <double>values[first]
            if count < n:
                for i in range(start, stop):
                    if not present[i]:
                        into[i] = 0.0
            add(&total, sum_away(&into[start], stop - start, 0.0))
        mean = of(&total) / count
        for piece in range((n + PIECE - 1) // PIECE):
            start, stop = piece * PIECE, min((piece + 1) * PIECE, n)
            write_away(&into[start], stop - start, mean, &into[start])
            if count < n:
                for i in range(start, stop):
                    if not present[i]:
                        into[i] = 0.0
            sum_powers(&into[start], stop - start, 1.0, 0.0, sums)
            add(&rest, sums[0])
            add(&squares, sums[1])
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


def into_cells(const int32_t[::1] codes, int32_t size, int32_t[::1] cells):
    """Make of each cell as many as there are codes, and take that of its code.

    Codes below 0, for what is missing, count as the last one; there are as many as cells.
    """
    cdef Py_ssize_t i
    with nogil:
        for i in range(cells.shape[0]):
            cells[i] = cells[i] * size + (codes[i] if codes[i] >= 0 else size - 1)


def by_code(const int32_t[::1] codes, int64_t[::1] into, int64_t[::1] beside):
    """Add to how many rows have each code, those below 0 left out; both arrays are equally long.

    Neighbours are counted in two arrays, whose sum is what is looked for: a count need not wait
    for the one before it. Returns the place of the first code that is none; -1 without such.
    """
    cdef Py_ssize_t i = 0, n = codes.shape[0], wrong = -1
    cdef int64_t most = into.shape[0]
    with nogil:
        for i in range(n):
            if codes[i] < 0:
                continue
            if codes[i] >= most:
                wrong = i
                break
            if i & 1:
                beside[codes[i]] += 1
            else:
                into[codes[i]] += 1
    return wrong


def recoded(const int32_t[::1] codes, const int32_t[::1] new, int32_t[::1] into):
    """``new[codes]``; ``into`` is as long as the codes.

    Returns the place of the first code that is none; -1 without such.
    """
    cdef Py_ssize_t i, wrong = -1
    cdef int64_t most = new.shape[0]
    with nogil:
        for i in range(codes.shape[0]):
            if not 0 <= codes[i] < most:
                wrong = i
                break
            into[i] = new[codes[i]]
    return wrong


def in_runs(const double[:, ::1] figures, const int64_t[::1] starts, double[:, ::1] into):
    """The sums of the figures of each row within runs, which begin at ``starts``, the first at 0.

    ``into`` has as many rows as figures, and a column for each run.
    """
    cdef Py_ssize_t i, run, k, stop, runs = starts.shape[0]
    cdef double sum_
    with nogil:
        for i in range(figures.shape[0]):
            for run in range(runs):
                stop = starts[run + 1] if run + 1 < runs else figures.shape[1]
                sum_ = 0.0
                for k in range(starts[run], stop):
                    sum_ += figures[i, k]
                into[i, run] = sum_


def brier_errors(
    const double[:, ::1] counts, const double[:, ::1] total, const double[:, ::1] overall,
    const int64_t[::1] column_of, const int64_t[::1] starts, double[:, ::1] into
):
    """Add the squared errors of shares of levels that come from the rows of other folds.

    See the plain twin.
    """
    cdef Py_ssize_t i, run, k, start, stop, runs = starts.shape[0]
    cdef const double* shares
    cdef double all_, held, own, common, squares, left
    with nogil:
        for i in range(counts.shape[0]):
            shares = &overall[column_of[i], 0]
            for run in range(runs):
                start = starts[run]
                stop = starts[run + 1] if run + 1 < runs else counts.shape[1]
                all_ = held = own = common = squares = 0.0
                for k in range(start, stop):
                    all_ += total[i, k]
                    held += counts[i, k]
                    own += counts[i, k] * counts[i, k]
                    common += counts[i, k] * total[i, k]
                    squares += total[i, k] * total[i, k]
                left = all_ - held
                if left != 0:
                    squares = squares - 2 * common + own
                    into[i, run] += (squares * held / left - 2 * (common - own)) / left
                elif held != 0:
                    common = squares = 0.0
                    for k in range(start, stop):
                        common += counts[i, k] * shares[k]
                        squares += shares[k] * shares[k]
                    into[i, run] += squares * held - 2 * common


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
