"""Passes over texts that lie one after the other in one run of bytes, UTF-8.

Text i is ``data[starts[i]:stops[i]]``; both arrays are as long as there are texts.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint32_t, uint64_t
from libc.stdlib cimport calloc, free
from libc.string cimport memcmp, memcpy

from nachsicht.compute.compiled.hashes cimport mixed, summed

cdef extern from *:
    """
    #if defined(__GNUC__) || defined(__clang__)
    #define fetch_ahead(place) __builtin_prefetch(place)
    #else
    #define fetch_ahead(place) ((void)0)
    #endif
    // So many texts are looked up in the table after their place in it was asked for.
    #define AHEAD 16
    // The half of a hash that is kept with a code.
    #define HALF 0xFFFFFFFF00000000u
    """
    void fetch_ahead(const void* place) noexcept nogil
    enum: AHEAD
    const uint64_t HALF


def measure(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    const uint8_t[::1] space,
    int32_t[::1] characters,
    int32_t[::1] words,
    uint8_t[::1] plain,
    uint8_t[::1] first,
    uint8_t[::1] last,
    uint8_t[::1] seen,
):
    """Code points of each text, its runs without space, whether it is ASCII, its outer bytes.

    Outer bytes of empty texts are 0. ``space`` tells of each of the 256 bytes whether it is
    white space, ``seen`` will tell whether it occurs at all.
    """
    cdef Py_ssize_t i
    cdef int64_t place
    cdef int32_t letters, runs
    cdef uint8_t byte, all_bits
    cdef bint inside, blank
    with nogil:
        for i in range(starts.shape[0]):
            letters = runs = 0
            all_bits = byte = 0
            inside = False
            first[i] = data[starts[i]] if stops[i] > starts[i] else 0
            for place in range(starts[i], stops[i]):
                byte = data[place]
                seen[byte] = 1
                all_bits |= byte
                letters += (byte & 0xC0) != 0x80
                blank = space[byte]
                runs += not (inside or blank)
                inside = not blank
            characters[i] = letters
            words[i] = runs
            plain[i] = all_bits < 0x80
            last[i] = byte


def mapped(const uint8_t[::1] data, const uint8_t[::1] table, uint8_t[::1] into):
    """``table[data]``; ``into`` is as long as the data, the table holds 256 bytes."""
    cdef Py_ssize_t i
    with nogil:
        for i in range(data.shape[0]):
            into[i] = table[data[i]]


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


def runs_of(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    uint8_t between,
    int64_t[::1] run_starts,
    int64_t[::1] run_stops,
    int32_t[::1] runs,
):
    """Where the runs without a byte lie, all texts' one after the other, and how many each has.

    The first two arrays to fill hold as many as there can be: one for every second byte.
    """
    cdef Py_ssize_t i, found = 0, before
    cdef int64_t place
    cdef bint inside
    with nogil:
        for i in range(starts.shape[0]):
            inside = False
            before = found
            for place in range(starts[i], stops[i]):
                if (data[place] != between) != inside:
                    if inside:
                        run_stops[found] = place
                        found += 1
                    else:
                        run_starts[found] = place
                    inside = not inside
            if inside:
                run_stops[found] = stops[i]
                found += 1
            runs[i] = <int32_t>(found - before)
    return found


cdef struct Table:
    # Of each slot: half of the hash, and the code plus one; zero where it is empty.
    uint64_t* slots
    uint64_t mask


def encode(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    int32_t[::1] codes,
    int64_t[::1] firsts,
):
    """Number the different texts in the order in which they first occur.

    Fills the number of each text, and for each number the text that has it first; returns how
    many there are. There are fewer than 2**31 texts.
    """
    cdef Py_ssize_t n = starts.shape[0], i, ahead, done
    cdef int64_t found = 0
    cdef uint64_t hashes[AHEAD]
    cdef Table table
    cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
    table.mask = 1023
    table.slots = <uint64_t*>calloc(table.mask + 1, 8)
    with nogil:
        done = 0
        for i in range(n):
            if table.slots == NULL:
                break
            while done < n and done < i + AHEAD:
                hashes[done % AHEAD] = mixed(summed(bytes_ + starts[done],
                                                          stops[done] - starts[done]))
                fetch_ahead(table.slots + (hashes[done % AHEAD] & table.mask))
                done += 1
            codes[i] = place_of(&table, hashes[i % AHEAD], i, found, bytes_,
                                &starts[0], &stops[0], &firsts[0])
            if codes[i] == found:
                firsts[found] = i
                found += 1
                if 2 * found > <int64_t>table.mask:
                    grow(&table, found, bytes_, &starts[0], &stops[0], &firsts[0])
    if table.slots == NULL:
        raise MemoryError
    free(table.slots)
    return found


cdef inline int32_t place_of(
    Table* table, uint64_t hash_, Py_ssize_t text, int64_t new, const uint8_t* data,
    const int64_t* starts, const int64_t* stops, const int64_t* firsts,
) noexcept nogil:
    """The code of a text; the next new one where it was not there before."""
    cdef uint64_t half = hash_ & HALF, slot
    cdef uint64_t place = hash_ & table.mask
    cdef int64_t length = stops[text] - starts[text], first
    while True:
        slot = table.slots[place]
        if slot == 0:
            table.slots[place] = half | <uint64_t>(new + 1)
            return <int32_t>new
        if (slot & HALF) == half:
            first = firsts[<uint32_t>slot - 1]
            if (stops[first] - starts[first] == length
                    and memcmp(data + starts[first], data + starts[text], length) == 0):
                return <int32_t>(<uint32_t>slot - 1)
        place = (place + 1) & table.mask


cdef void grow(
    Table* table, int64_t found, const uint8_t* data,
    const int64_t* starts, const int64_t* stops, const int64_t* firsts,
) noexcept nogil:
    """A table of four times the size; without slots where there is no memory."""
    cdef uint64_t mask = 4 * (table.mask + 1) - 1, place, hash_
    cdef int64_t code
    cdef uint64_t* slots = <uint64_t*>calloc(mask + 1, 8)
    if slots != NULL:
        for code in range(found):
            hash_ = mixed(summed(data + starts[firsts[code]],
                                 stops[firsts[code]] - starts[firsts[code]]))
            place = hash_ & mask
            while slots[place]:
                place = (place + 1) & mask
            slots[place] = (hash_ & HALF) | <uint64_t>(code + 1)
    free(table.slots)
    table.slots = slots
    table.mask = mask


def smallest(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    const int64_t[::1] keys,
    int64_t[::1] chosen,
):
    """The texts with the smallest keys, of equal keys those that come first in order, in no order.

    There are at least as many texts as are chosen, and at least one is.
    """
    cdef Py_ssize_t n = starts.shape[0], most = chosen.shape[0], i, place, child
    cdef int64_t moved
    cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
    with nogil:
        # A heap with the last of the chosen ones on top.
        for i in range(n):
            if i < most:
                place = i
                while place and before(bytes_, starts, stops, keys, chosen[(place - 1) // 2], i):
                    chosen[place] = chosen[(place - 1) // 2]
                    place = (place - 1) // 2
                chosen[place] = i
            elif before(bytes_, starts, stops, keys, i, chosen[0]):
                place = 0
                while 2 * place + 1 < most:
                    child = 2 * place + 1
                    if child + 1 < most and before(
                        bytes_, starts, stops, keys, chosen[child], chosen[child + 1]
                    ):
                        child += 1
                    if not before(bytes_, starts, stops, keys, i, chosen[child]):
                        break
                    chosen[place] = chosen[child]
                    place = child
                chosen[place] = i


cdef inline bint before(
    const uint8_t* data, const int64_t[::1] starts, const int64_t[::1] stops,
    const int64_t[::1] keys, int64_t one, int64_t other,
) noexcept nogil:
    cdef int64_t length, lengths
    cdef int found
    if keys[one] != keys[other]:
        return keys[one] < keys[other]
    length, lengths = stops[one] - starts[one], stops[other] - starts[other]
    found = memcmp(data + starts[one], data + starts[other], min(length, lengths))
    return found < 0 if found else length < lengths
