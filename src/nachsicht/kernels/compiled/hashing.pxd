from libc.stdint cimport int64_t, uint8_t, uint64_t
from libc.string cimport memcpy

cdef extern from "swar.h" nogil:
    uint64_t FIRST_IS_LOWEST(uint64_t word)


cdef inline uint64_t mixed(uint64_t bits) noexcept nogil:
    bits ^= bits >> 30
    bits *= <uint64_t>0xBF58476D1CE4E5B9u
    bits ^= bits >> 27
    bits *= <uint64_t>0x94D049BB133111EBu
    return bits ^ (bits >> 31)


cdef inline uint64_t eight(const uint8_t* text) noexcept nogil:
    cdef uint64_t word
    memcpy(&word, text, 8)
    return FIRST_IS_LOWEST(word)


cdef inline uint64_t word_of(
    const uint8_t* text, int64_t length, const uint8_t* end
) noexcept nogil:
    """The number that the first eight bytes make, or all of a shorter text that is not empty.

    Without a branch for each length, which would most often be foretold wrongly: what follows
    a text is looked at too, and masked; but not what lies beyond the end of all texts.
    """
    cdef uint64_t word = 0
    cdef int beyond = 64 - 8 * <int>min(length, 8)
    if end - text >= 8:
        return eight(text) << beyond >> beyond
    memcpy(&word, text, min(length, 8))
    return FIRST_IS_LOWEST(word)


cdef inline uint64_t text_hash(
    const uint8_t* text, int64_t length, const uint8_t* end
) noexcept nogil:
    """The hash of a text: its length and its words, each mixed with a key of its place, added up."""
    cdef uint64_t total = <uint64_t>length, key = <uint64_t>0x9E3779B97F4A7C15u
    while length > 0:
        total += mixed(word_of(text, length, end) + key)
        key += <uint64_t>0x9E3779B97F4A7C15u
        text += 8
        length -= 8
    return total
