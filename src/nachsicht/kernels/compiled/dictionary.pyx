"""Dictionary encoding of texts: consecutive codes for distinct texts, and their counts.

Text i is ``data[starts[i]:stops[i]]``, in UTF-8; ``starts`` and ``stops`` have shape (n,).

A hash table with open addressing and linear probing. A slot is one 64-bit word, 0 where empty::

    [ upper 32 bits of the hash | code + 1: 32 bits ]

so that most probes compare one word and never read a text. The first bits of the hash are the
slot where probing begins; a table twice as large is filled in the order of the old one. What the
table knows of a distinct text is its entry, at its code in ``entries``.

A look-up mostly waits for memory. So texts are hashed `AHEAD` before they are looked up, and their
slots are fetched into the cache meanwhile; the hashes wait in a ring of that size.

Nothing is copied: ``Entry.text`` points into the buffers that were given. Whoever holds an encoder
must hold these as well (as `nachsicht.arrow.text_buffer` does).
"""

cimport cython
from libc.stdint cimport int32_t, int64_t, uint8_t, uint32_t, uint64_t
from libc.stdlib cimport calloc, free, malloc, realloc
from libc.string cimport memcmp, memcpy

from nachsicht.kernels.compiled.hashing cimport eight, text_hash, word_of

ctypedef fused Place:
    int32_t
    int64_t

cdef extern from "swar.h" nogil:
    const uint64_t HIGH
    uint64_t EVERY(uint64_t byte)
    void fetch_ahead(const void* place) noexcept
    int first_bit(uint64_t bits) noexcept

cdef extern from *:
    """
    // So many texts are hashed before the first of them is looked up.
    #define AHEAD 16
    // The part of a slot that holds a hash.
    #define HASH_BITS UINT64_C(0xFFFFFFFF00000000)
    """
    enum: AHEAD
    const uint64_t HASH_BITS


# A part of a text that waits to be looked up.
cdef struct Run:
    const uint8_t* text
    int64_t length
    int64_t rows
    uint64_t hash


# A distinct text; its first eight bytes are kept as a number, which tells most texts apart.
cdef struct Entry:
    const uint8_t* text
    int64_t length
    uint64_t first_bytes
    int64_t count


@cython.final
cdef class DictionaryEncoder:
    """Codes of distinct texts, in the order in which they first occur; fewer than 2**31.

    Attributes
    ----------
    found : int
        How many distinct texts there are.
    """

    cdef uint64_t* slots  # 2**bits of them
    cdef int bits
    cdef Entry* entries
    cdef int64_t capacity
    cdef readonly int64_t found

    def __cinit__(self):
        self.bits, self.capacity, self.found = 10, 1024, 0
        self.slots = <uint64_t*>calloc(1 << self.bits, sizeof(uint64_t))
        self.entries = <Entry*>malloc(self.capacity * sizeof(Entry))
        if self.slots == NULL or self.entries == NULL:
            raise MemoryError

    def __dealloc__(self):
        free(self.slots)
        free(self.entries)

    def add(
        self,
        const uint8_t[::1] data,
        const Place[::1] starts,
        const Place[::1] stops,
        int32_t[::1] codes,
    ):
        """Fill the code of each text; ``codes`` has shape (n,)."""
        cdef Py_ssize_t n = starts.shape[0], i, done = 0
        cdef int64_t length
        cdef uint64_t hashes[AHEAD]
        cdef bint repeats_last[AHEAD]
        cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
        cdef const uint8_t* end = bytes_ + data.shape[0]
        cdef bint has_memory = True
        with nogil:
            for i in range(n):
                while done < n and done < i + AHEAD:
                    length = stops[done] - starts[done]
                    # A text that equals the one before takes its code without a look-up.
                    repeats_last[done % AHEAD] = (
                        done > 0
                        and length == stops[done - 1] - starts[done - 1]
                        and equal(bytes_ + starts[done - 1], bytes_ + starts[done], length, end))
                    if not repeats_last[done % AHEAD]:
                        hashes[done % AHEAD] = text_hash(bytes_ + starts[done], length, end)
                        fetch_ahead(self.slots + (hashes[done % AHEAD] >> (64 - self.bits)))
                    done += 1
                if repeats_last[i % AHEAD]:
                    codes[i] = codes[i - 1]
                    continue
                codes[i] = self.code_of(
                    hashes[i % AHEAD], bytes_ + starts[i], stops[i] - starts[i], end)
                if codes[i] == self.found:
                    self.found += 1
                    has_memory = self.make_room()
                    if not has_memory:
                        break
        if not has_memory:
            raise MemoryError

    def count(self, const int32_t[::1] codes, const int64_t[::1] rows):
        """Add rows to the counts of the texts of these codes; both have shape (n,)."""
        cdef Py_ssize_t i
        with nogil:
            for i in range(codes.shape[0]):
                self.entries[codes[i]].count += rows[i]

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
        """Split texts at a byte and add the rows of each text to the counts of its parts.

        Short parts (up to eight bytes) of texts that stand in one row are not looked up: they are
        written to ``numbers`` as `word_of` makes them, and the caller counts these. ``rows`` has
        shape (n,), ``numbers`` shape (room,). It goes from text ``first`` on, until there is no
        room; returns how many numbers were written, and the text to go on with (n at the end).
        """
        cdef Py_ssize_t i = first, n = starts.shape[0], hashed = 0, done = 0, room = numbers.shape[0]
        cdef Run ahead[AHEAD]
        cdef Run* run
        cdef int64_t length, written = 0
        cdef uint64_t slot
        cdef const uint8_t* text
        cdef const uint8_t* stop
        cdef const uint8_t* bytes_ = &data[0] if data.shape[0] else NULL
        cdef const uint8_t* end = bytes_ + data.shape[0]
        cdef bint has_memory = True, alone
        with nogil:
            while i < n and has_memory:
                text, stop = bytes_ + starts[i], bytes_ + stops[i]
                length = (stop - text + 1) // 2  # it has no more parts than that
                alone = rows[i] == 1 and length <= room
                if alone and length > room - written:
                    break
                while text < stop:
                    length = run_without(between, text, stop - text, end)
                    if alone and 0 < length <= 8 and text[length - 1]:
                        numbers[written] = word_of(text, length, end)
                        written += 1
                    elif length:
                        if hashed - done == AHEAD:
                            has_memory = self.count_run(&ahead[done % AHEAD], end)
                            if not has_memory:
                                break
                            done += 1
                        run = &ahead[hashed % AHEAD]
                        run.text, run.length, run.rows = text, length, rows[i]
                        run.hash = text_hash(text, length, end)
                        fetch_ahead(self.slots + (run.hash >> (64 - self.bits)))
                        hashed += 1
                        if hashed - done > AHEAD // 2:
                            # Its slot is in the cache by now; fetch the entry that it leads to.
                            run = &ahead[(hashed - AHEAD // 2) % AHEAD]
                            slot = self.slots[run.hash >> (64 - self.bits)]
                            fetch_ahead(self.entries + <uint32_t>slot - (slot != 0))
                    text += length + 1
                i += 1
            while has_memory and done < hashed:
                has_memory = self.count_run(&ahead[done % AHEAD], end)
                done += 1
        if not has_memory:
            raise MemoryError
        return written, i

    cdef inline bint count_run(self, const Run* run, const uint8_t* end) noexcept nogil:
        """Look a part up and add its rows; False where there is no memory for it."""
        cdef int32_t code = self.code_of(run.hash, run.text, run.length, end)
        self.entries[code].count += run.rows
        if code < self.found:
            return True
        self.found += 1
        return self.make_room()

    cdef inline int32_t code_of(
        self, uint64_t hash_, const uint8_t* text, int64_t length, const uint8_t* end
    ) noexcept nogil:
        """The code of a text; `found` where it is new (the caller then makes room for it)."""
        cdef uint64_t place = hash_ >> (64 - self.bits), slot
        cdef uint64_t first_bytes = word_of(text, length, end) if length else 0
        cdef Entry* entry
        while True:
            slot = self.slots[place]
            if slot == 0:
                self.slots[place] = (hash_ & HASH_BITS) | <uint64_t>(self.found + 1)
                self.entries[self.found] = Entry(text, length, first_bytes, 0)
                return <int32_t>self.found
            if (slot & HASH_BITS) == (hash_ & HASH_BITS):
                entry = &self.entries[<uint32_t>slot - 1]
                if entry.length == length and entry.first_bytes == first_bytes and (
                    length <= 8 or equal_after_eight(entry.text + 8, text + 8, length - 8)
                ):
                    return <int32_t>(<uint32_t>slot - 1)
            place = (place + 1) & ((<uint64_t>1 << self.bits) - 1)

    cdef inline bint make_room(self) noexcept nogil:
        """Make room for one more text; False where there is no memory for it."""
        cdef Entry* entries
        if self.found == self.capacity:
            self.capacity *= 2
            entries = <Entry*>realloc(self.entries, self.capacity * sizeof(Entry))
            if entries == NULL:
                return False
            self.entries = entries
        return 3 * self.found <= <int64_t>2 << self.bits or self.grow()

    cdef bint grow(self) noexcept nogil:
        """Make the table twice as large; False where there is no memory for it."""
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
        """Fill the count of each distinct text; ``into`` has shape (found,)."""
        cdef int64_t code
        with nogil:
            for code in range(self.found):
                into[code] = self.entries[code].count

    def byte_count(self):
        """The bytes of all distinct texts together."""
        cdef int64_t code, total = 0
        with nogil:
            for code in range(self.found):
                total += self.entries[code].length
        return total

    def texts(self, int64_t[::1] offsets, uint8_t[::1] data):
        """Fill the distinct texts, one after the other, and where each begins and the last ends.

        ``offsets`` has shape (found + 1,), ``data`` shape (byte_count,).
        """
        cdef int64_t code, done = 0
        with nogil:
            for code in range(self.found):
                offsets[code] = done
                if self.entries[code].length:
                    memcpy(&data[done], self.entries[code].text, self.entries[code].length)
                done += self.entries[code].length
            offsets[self.found] = done


cdef inline int64_t run_without(
    uint8_t byte, const uint8_t* text, int64_t length, const uint8_t* end
) noexcept nogil:
    """How many bytes come before the first that is ``byte``; ``length``, at least 1, if none is."""
    cdef int64_t done = 0
    cdef uint64_t other
    while done < length:
        # Sets the highest bit of each byte that differs from it.
        other = word_of(text + done, length - done, end) ^ EVERY(byte)
        other = (((other & ~HIGH) + ~HIGH) | other) & HIGH
        if other != HIGH:
            done += first_bit(other ^ HIGH) // 8
            return min(done, length)
        done += 8
    return length


cdef inline bint equal(
    const uint8_t* one, const uint8_t* other, int64_t length, const uint8_t* end
) noexcept nogil:
    """Whether two texts of the same length are equal."""
    if not length:
        return True
    if word_of(one, length, end) != word_of(other, length, end):
        return False
    return length <= 8 or equal_after_eight(one + 8, other + 8, length - 8)


cdef inline bint equal_after_eight(const uint8_t* one, const uint8_t* other, int64_t length) noexcept nogil:
    """Whether two stretches are equal; eight equal bytes, which may be read, stand before each."""
    cdef int64_t i = 0
    if length > 32:
        return memcmp(one, other, length) == 0
    while i + 8 < length:
        if eight(one + i) != eight(other + i):
            return False
        i += 8
    return eight(one + length - 8) == eight(other + length - 8)
