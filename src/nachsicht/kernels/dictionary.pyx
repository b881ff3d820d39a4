"""A hash table that gives different texts consecutive codes, and counts the rows of each.

Text i is ``data[starts[i]:stops[i]]``, UTF-8; both arrays are as long as there are texts.

How it works: open addressing with linear probing. A slot is one 64-bit word: the upper half of the
text's hash beside its code plus one, so that most probes compare one word and read no text. The
first bits of the hash are the slot where probing begins; a larger table is filled in the order of
the old one. While a text is looked up, the slots of the next `AHEAD` texts are being fetched into
the cache; their hashes wait in a ring of that size.

The table borrows the texts: `Spot.text` points into the buffers that were given. Whoever holds an
encoder must hold these buffers too (see `nachsicht.arrow.text_buffer`).
"""

cimport cython
from libc.stdint cimport int32_t, int64_t, uint8_t, uint32_t, uint64_t
from libc.stdlib cimport calloc, free, malloc, realloc
from libc.string cimport memcmp, memcpy

from nachsicht.kernels.hashing cimport eight, summed, word_of

ctypedef fused Place:
    int32_t
    int64_t

cdef extern from "swar.h" nogil:
    const uint64_t HIGH
    uint64_t EVERY(uint64_t byte)

cdef extern from *:
    """
    #define fetch_ahead(place) __builtin_prefetch(place)
    // How many texts ahead of the one that is looked up a slot is fetched.
    #define AHEAD 16
    // The half of a hash that is kept with a code.
    #define HALF 0xFFFFFFFF00000000u
    #define first_bit(bits) __builtin_ctzll(bits)
    """
    void fetch_ahead(const void* place) noexcept nogil
    enum: AHEAD
    const uint64_t HALF
    int first_bit(uint64_t bits) noexcept nogil


cdef struct Run:
    const uint8_t* text
    int64_t length
    int64_t rows
    uint64_t hash


cdef struct Spot:
    const uint8_t* text
    int64_t length
    uint64_t word
    int64_t count


@cython.final
cdef class DictionaryEncoder:
    """Codes of different texts, in the order in which they first occur.

    It borrows the bytes of the texts; they must stay where they are while it is used. There are
    fewer than 2**31 different texts.
    """

    # Of each slot of the table: half of the hash, and the code plus one; zero where it is empty.
    # The first bits of the hash are the place, so that a larger table is filled in its order.
    cdef uint64_t* slots
    cdef int bits
    cdef Spot* spots
    cdef int64_t room
    cdef readonly int64_t found

    def __cinit__(self):
        self.bits, self.room, self.found = 10, 1024, 0
        self.slots = <uint64_t*>calloc(1 << self.bits, sizeof(uint64_t))
        self.spots = <Spot*>malloc(self.room * sizeof(Spot))
        if self.slots == NULL or self.spots == NULL:
            raise MemoryError

    def __dealloc__(self):
        free(self.slots)
        free(self.spots)

    def add(
        self,
        const uint8_t[::1] data,
        const Place[::1] starts,
        const Place[::1] stops,
        int32_t[::1] codes,
    ):
        """Fill the number of each text; there are as many of these."""
        cdef Py_ssize_t n = starts.shape[0], i, done = 0
        cdef int64_t length
        cdef uint64_t hashes[AHEAD]
        cdef bint again[AHEAD]
        cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
        cdef const uint8_t* end = bytes_ + data.shape[0]
        cdef bint room = True
        with nogil:
            for i in range(n):
                while done < n and done < i + AHEAD:
                    length = stops[done] - starts[done]
                    # A text that equals the one before takes its code without a look-up.
                    again[done % AHEAD] = (
                        done > 0
                        and length == stops[done - 1] - starts[done - 1]
                        and alike(bytes_ + starts[done - 1], bytes_ + starts[done], length, end))
                    if not again[done % AHEAD]:
                        hashes[done % AHEAD] = summed(bytes_ + starts[done], length, end)
                        fetch_ahead(self.slots + (hashes[done % AHEAD] >> (64 - self.bits)))
                    done += 1
                if again[i % AHEAD]:
                    codes[i] = codes[i - 1]
                    continue
                codes[i] = self.code_of(
                    hashes[i % AHEAD], bytes_ + starts[i], stops[i] - starts[i], end)
                if codes[i] == self.found:
                    self.found += 1
                    room = self.make_room()
                    if not room:
                        break
        if not room:
            raise MemoryError

    def count(self, const int32_t[::1] codes, const int64_t[::1] rows):
        """Add so many rows to the texts of these numbers; there are as many rows as numbers."""
        cdef Py_ssize_t i
        with nogil:
            for i in range(codes.shape[0]):
                self.spots[codes[i]].count += rows[i]

    def count_runs(
        self,
        const uint8_t[::1] data,
        const int64_t[::1] starts,
        const int64_t[::1] stops,
        uint8_t between,
        const int64_t[::1] rows,
        int64_t first,
        uint64_t[::1] numbers,
    ):
        """Add so many rows of each text to the runs of it that do not hold one byte.

        But runs of up to eight bytes of texts of one row are put down as numbers, as `word_of`
        makes them, while there is room. It begins with the first text; returns how many numbers
        were put down, and the text that is the next.
        """
        cdef Py_ssize_t i = first, n = starts.shape[0], made = 0, done = 0, most = numbers.shape[0]
        cdef Run ahead[AHEAD]
        cdef Run* run
        cdef int64_t length, down = 0
        cdef uint64_t slot
        cdef const uint8_t* text
        cdef const uint8_t* stop
        cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
        cdef const uint8_t* end = bytes_ + data.shape[0]
        cdef bint room = True, alone
        with nogil:
            while i < n and room:
                text, stop = bytes_ + starts[i], bytes_ + stops[i]
                length = (stop - text + 1) // 2  # there are no more runs
                alone = rows[i] == 1 and length <= most
                if alone and length > most - down:
                    break
                while text < stop:
                    length = run_without(between, text, stop - text, end)
                    if alone and 0 < length <= 8 and text[length - 1]:
                        numbers[down] = word_of(text, length, end)
                        down += 1
                    elif length:
                        if made - done == AHEAD:
                            room = self.counted(&ahead[done % AHEAD], end)
                            if not room:
                                break
                            done += 1
                        run = &ahead[made % AHEAD]
                        run.text, run.length, run.rows = text, length, rows[i]
                        run.hash = summed(text, length, end)
                        fetch_ahead(self.slots + (run.hash >> (64 - self.bits)))
                        made += 1
                        if made - done > AHEAD // 2:
                            # Its place in the table is there by now: what that leads to.
                            run = &ahead[(made - AHEAD // 2) % AHEAD]
                            slot = self.slots[run.hash >> (64 - self.bits)]
                            fetch_ahead(self.spots + <uint32_t>slot - (slot != 0))
                    text += length + 1
                i += 1
            while room and done < made:
                room = self.counted(&ahead[done % AHEAD], end)
                done += 1
        if not room:
            raise MemoryError
        return down, i

    cdef inline bint counted(self, const Run* run, const uint8_t* end) noexcept nogil:
        """Whether there was memory to count a text."""
        cdef int32_t code = self.code_of(run.hash, run.text, run.length, end)
        self.spots[code].count += run.rows
        if code < self.found:
            return True
        self.found += 1
        return self.make_room()

    cdef inline int32_t code_of(
        self, uint64_t hash_, const uint8_t* text, int64_t length, const uint8_t* end
    ) noexcept nogil:
        """The code of a text; the next new one where it was not there before."""
        cdef uint64_t place = hash_ >> (64 - self.bits), slot
        cdef uint64_t word = word_of(text, length, end) if length else 0
        cdef Spot* spot
        while True:
            slot = self.slots[place]
            if slot == 0:
                self.slots[place] = (hash_ & HALF) | <uint64_t>(self.found + 1)
                self.spots[self.found] = Spot(text, length, word, 0)
                return <int32_t>self.found
            if (slot & HALF) == (hash_ & HALF):
                spot = &self.spots[<uint32_t>slot - 1]
                if spot.length == length and spot.word == word and (
                    length <= 8 or same(spot.text + 8, text + 8, length - 8)
                ):
                    return <int32_t>(<uint32_t>slot - 1)
            place = (place + 1) & ((<uint64_t>1 << self.bits) - 1)

    cdef inline bint make_room(self) noexcept nogil:
        """For one more text; whether there is memory for it."""
        cdef Spot* spots
        if self.found == self.room:
            self.room *= 2
            spots = <Spot*>realloc(self.spots, self.room * sizeof(Spot))
            if spots == NULL:
                return False
            self.spots = spots
        return 3 * self.found <= <int64_t>2 << self.bits or self.grow()

    cdef bint grow(self) noexcept nogil:
        """A table of twice the size; whether there is memory for it."""
        cdef int bits = self.bits + 1
        cdef uint64_t size = <uint64_t>1 << bits, place, i, slot
        cdef uint64_t* slots = <uint64_t*>calloc(size, sizeof(uint64_t))
        if slots == NULL:
            return False
        for i in range(size // 2):
            slot = self.slots[i]
            if slot:
                place = slot >> (64 - bits)
                while slots[place]:
                    place = (place + 1) & (size - 1)
                slots[place] = slot
        free(self.slots)
        self.slots, self.bits = slots, bits
        return True

    def counts(self, int64_t[::1] into):
        """In how many of the rows that were counted each of the different texts stands."""
        cdef int64_t code
        with nogil:
            for code in range(self.found):
                into[code] = self.spots[code].count

    def bytes_in_all(self):
        """Of the different texts together."""
        cdef int64_t code, total = 0
        with nogil:
            for code in range(self.found):
                total += self.spots[code].length
        return total

    def texts(self, int64_t[::1] offsets, uint8_t[::1] data):
        """The different texts one right after the other, and where each begins and the last ends.

        There is one offset more than texts, and as much data as `bytes_in_all`.
        """
        cdef int64_t code, done = 0
        with nogil:
            for code in range(self.found):
                offsets[code] = done
                if self.spots[code].length:
                    memcpy(&data[done], self.spots[code].text, self.spots[code].length)
                done += self.spots[code].length
            offsets[self.found] = done


cdef inline int64_t run_without(
    uint8_t byte, const uint8_t* text, int64_t length, const uint8_t* end
) noexcept nogil:
    """How many bytes come before the first one that is this, or all; there is one at least."""
    cdef int64_t done = 0
    cdef uint64_t other
    while done < length:
        # Of each byte that is not this the highest bit.
        other = word_of(text + done, length - done, end) ^ EVERY(byte)
        other = (((other & ~HIGH) + ~HIGH) | other) & HIGH
        if other != HIGH:
            done += first_bit(other ^ HIGH) // 8
            return min(done, length)
        done += 8
    return length


cdef inline bint alike(
    const uint8_t* one, const uint8_t* other, int64_t length, const uint8_t* end
) noexcept nogil:
    """Whether two texts of a length are equal."""
    if not length:
        return True
    if word_of(one, length, end) != word_of(other, length, end):
        return False
    return length <= 8 or same(one + 8, other + 8, length - 8)


cdef inline bint same(const uint8_t* one, const uint8_t* other, int64_t length) noexcept nogil:
    """Whether two texts of a length are equal, eight bytes of the same texts standing before."""
    cdef int64_t i = 0
    if length > 32:
        return memcmp(one, other, length) == 0
    while i + 8 < length:
        if eight(one + i) != eight(other + i):
            return False
        i += 8
    return eight(one + length - 8) == eight(other + length - 8)
