"""Passes over texts that lie one after the other in one run of bytes, UTF-8.

Text i is ``data[starts[i]:stops[i]]``; both arrays are as long as there are texts.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memchr, memcmp, memcpy

from nachsicht.kernels.compiled.hashing cimport word_of


cdef extern from "simd.h" nogil:
    void write_shapes(const uint8_t* bytes_, Py_ssize_t n, uint8_t* into)
    void write_words(const uint8_t* bytes_, Py_ssize_t n, uint8_t* into)

cdef extern from "swar.h" nogil:
    const uint64_t HIGH
    uint64_t EVERY(uint64_t byte)


cdef inline bint is_space(uint8_t byte) noexcept nogil:
    """White space of ASCII."""
    return byte == 32 or 9 <= byte <= 13


def measure(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    int32_t[::1] characters,
    int32_t[::1] words,
    uint8_t[::1] plain,
    uint8_t[::1] first,
    uint8_t[::1] last,
):
    """Code points of each text, its runs without space, whether it is ASCII, its outer bytes.

    Outer bytes of empty texts are 0; space is the white space of ASCII.
    """
    cdef Py_ssize_t i
    cdef int64_t length
    cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
    cdef const uint8_t* end = bytes_ + data.shape[0]
    with nogil:
        for i in range(starts.shape[0]):
            length = stops[i] - starts[i]
            first[i] = bytes_[starts[i]] if length else 0
            last[i] = bytes_[stops[i] - 1] if length else 0
            characters[i] = <int32_t>length
            plain[i] = words_of_ascii(bytes_ + starts[i], length, end, &words[i])
            if not plain[i]:
                measure_bytes(bytes_ + starts[i], length, &characters[i], &words[i])


cdef inline bint words_of_ascii(
    const uint8_t* text, int64_t length, const uint8_t* end, int32_t* words
) noexcept nogil:
    """Count the runs without space, eight bytes at a time; whether all are ASCII, else nothing."""
    cdef uint64_t word, dark, before = 0
    cdef int32_t found = 0
    while length > 0:
        word = word_of(text, length, end)
        if word & HIGH:
            return False
        # With a seventh bit at most, no sum carries into the next byte.
        dark = (word ^ EVERY(32)) + EVERY(127)
        dark &= ~((word + EVERY(128 - 9)) & ~(word + EVERY(128 - 14))) & HIGH
        if length < 8:
            dark &= (<uint64_t>1 << 8 * length) - 1
        # The sum of the eight bits comes to stand in the highest byte.
        found += <int32_t>(((dark & ~(dark << 8 | before)) >> 7) * EVERY(1) >> 56)
        before = dark >> 56
        text += 8
        length -= 8
    words[0] = found
    return True


cdef void measure_bytes(
    const uint8_t* text, int64_t length, int32_t* characters, int32_t* words
) noexcept nogil:
    """Count code points and runs without space, byte by byte."""
    cdef int64_t place
    cdef int32_t letters = 0, runs = 0
    cdef bint inside = False, blank
    for place in range(length):
        letters += (text[place] & 0xC0) != 0x80
        blank = is_space(text[place])
        runs += not (inside or blank)
        inside = not blank
    characters[0], words[0] = letters, runs


def has_byte(const uint8_t[::1] data, uint8_t byte):
    """Whether a byte occurs at all."""
    cdef bint found
    if not data.shape[0]:
        return False
    with nogil:
        found = memchr(&data[0], byte, data.shape[0]) != NULL
    return found


def shaped(const uint8_t[::1] data, uint8_t[::1] into):
    """Every letter as A or a, every digit as 9; of ASCII."""
    with nogil:
        if data.shape[0]:
            write_shapes(&data[0], data.shape[0], &into[0])


def in_words(const uint8_t[::1] data, uint8_t[::1] into):
    """Lower case, and a space for all that belongs to no word; of ASCII."""
    with nogil:
        if data.shape[0]:
            write_words(&data[0], data.shape[0], &into[0])


def numbers_behind(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    int64_t skipped,
    int64_t[::1] into,
):
    """The whole number behind the first bytes of each text; how many texts have one.

    All but the bytes skipped are digits, one to eighteen; it ends where that is not so.
    """
    cdef Py_ssize_t i
    cdef int64_t place, number
    with nogil:
        for i in range(starts.shape[0]):
            if not 0 < stops[i] - starts[i] - skipped <= 18:
                break
            number = 0
            for place in range(starts[i] + skipped, stops[i]):
                if not 48 <= data[place] <= 57:
                    break
                number = 10 * number + (data[place] - 48)
            else:
                into[i] = number
                continue
            break
        else:
            i = starts.shape[0]
    return i


def common_start(
    const uint8_t[::1] data, const int64_t[::1] starts, const int64_t[::1] stops
):
    """How many bytes all texts begin with; there is one text at least."""
    cdef Py_ssize_t i
    cdef int64_t shared = stops[0] - starts[0], k
    with nogil:
        for i in range(1, starts.shape[0]):
            shared = min(shared, stops[i] - starts[i])
            k = 0
            while k < shared and data[starts[i] + k] == data[starts[0] + k]:
                k += 1
            shared = k
    return shared


def gathered(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    uint8_t[::1] into,
):
    """The texts one right after the other; ``into`` holds as many bytes as all of them."""
    cdef Py_ssize_t i, done = 0
    with nogil:
        for i in range(starts.shape[0]):
            if stops[i] > starts[i]:
                memcpy(&into[done], &data[starts[i]], stops[i] - starts[i])
                done += stops[i] - starts[i]


def kept(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    const uint8_t[::1] flags,
    int64_t[::1] offsets,
    uint8_t[::1] into,
):
    """The flagged ones of texts that follow one another without a gap, again without one.

    One offset is filled more than texts are flagged; there is room for all bytes.
    """
    cdef Py_ssize_t i = 0, first, n = flags.shape[0], found = 0
    cdef int64_t done = 0
    with nogil:
        while i < n:
            while i < n and not flags[i]:
                i += 1
            first = i
            while i < n and flags[i]:
                offsets[found] = done + starts[i] - starts[first]
                found += 1
                i += 1
            # Where most are flagged, many are copied at once.
            if i > first and stops[i - 1] > starts[first]:
                memcpy(&into[done], &data[starts[first]], stops[i - 1] - starts[first])
                done += stops[i - 1] - starts[first]
        offsets[found] = done


def first_texts(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    const int64_t[::1] keys,
    bint falling,
    int64_t[::1] chosen,
):
    """The texts with the smallest keys, of equal keys those that come first in order, in no order.

    Where they are falling, those with the largest. There are at least as many texts as are
    chosen, and at least one is.
    """
    cdef Py_ssize_t n = starts.shape[0], most = chosen.shape[0], i, place, child
    cdef int64_t sign = -1 if falling else 1
    cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
    with nogil:
        # A heap with the last of the chosen ones on top.
        for i in range(n):
            if i < most:
                place = i
                while place and before(
                    bytes_, starts, stops, keys, sign, chosen[(place - 1) // 2], i
                ):
                    chosen[place] = chosen[(place - 1) // 2]
                    place = (place - 1) // 2
                chosen[place] = i
            elif before(bytes_, starts, stops, keys, sign, i, chosen[0]):
                place = 0
                while 2 * place + 1 < most:
                    child = 2 * place + 1
                    if child + 1 < most and before(
                        bytes_, starts, stops, keys, sign, chosen[child], chosen[child + 1]
                    ):
                        child += 1
                    if not before(bytes_, starts, stops, keys, sign, i, chosen[child]):
                        break
                    chosen[place] = chosen[child]
                    place = child
                chosen[place] = i


cdef inline bint before(
    const uint8_t* data, const int64_t[::1] starts, const int64_t[::1] stops,
    const int64_t[::1] keys, int64_t sign, int64_t one, int64_t other,
) noexcept nogil:
    cdef int64_t length, lengths
    cdef int found
    if keys[one] != keys[other]:
        return sign * keys[one] < sign * keys[other]
    length, lengths = stops[one] - starts[one], stops[other] - starts[other]
    found = memcmp(data + starts[one], data + starts[other], min(length, lengths))
    return found < 0 if found else length < lengths


def equal_in_runs(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    const int64_t[::1] places,
    const int64_t[::1] runs,
):
    """Whether the texts at some places equal each other from where each run begins to the next."""
    cdef Py_ssize_t run, i, stop
    cdef int64_t first = 0, place, length
    cdef bint equal = True
    cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
    with nogil:
        for run in range(runs.shape[0]):
            stop = runs[run + 1] if run + 1 < runs.shape[0] else places.shape[0]
            first = places[runs[run]]
            length = stops[first] - starts[first]
            for i in range(runs[run] + 1, stop):
                place = places[i]
                equal = stops[place] - starts[place] == length and not memcmp(
                    bytes_ + starts[first], bytes_ + starts[place], length)
                if not equal:
                    break
            if not equal:
                break
    return equal
