from libc.stdint cimport int64_t, uint8_t, uint16_t, uint32_t, uint64_t
from libc.string cimport memcpy


cdef inline uint64_t mixed(uint64_t bits) noexcept nogil:
    bits ^= bits >> 30
    bits *= <uint64_t>0xBF58476D1CE4E5B9u
    bits ^= bits >> 27
    bits *= <uint64_t>0x94D049BB133111EBu
    return bits ^ (bits >> 31)


cdef inline uint64_t eight(const uint8_t* text) noexcept nogil:
    cdef uint64_t word
    memcpy(&word, text, 8)
    return word


cdef inline uint64_t up_to_eight(const uint8_t* text, int64_t length) noexcept nogil:
    """The number that one to seven bytes make, from two looks that may overlap."""
    cdef uint32_t low, high
    cdef uint16_t first, last
    if length >= 4:
        memcpy(&low, text, 4)
        memcpy(&high, text + length - 4, 4)
        return low | <uint64_t>high << 8 * (length - 4)
    if length >= 2:
        memcpy(&first, text, 2)
        memcpy(&last, text + length - 2, 2)
        return first | <uint64_t>last << 8 * (length - 2)
    return text[0]


cdef inline uint64_t summed(const uint8_t* text, int64_t length) noexcept nogil:
    """The sum of the mixed words of a text, each set apart by its place, and of its length."""
    cdef uint64_t total = <uint64_t>length, key = <uint64_t>0x9E3779B97F4A7C15u
    cdef int64_t left = length
    while left >= 8:
        total += mixed(eight(text) + key)
        key += <uint64_t>0x9E3779B97F4A7C15u
        text += 8
        left -= 8
    if left > 0:
        # The last bytes of a word, without a look beyond the text.
        total += mixed((eight(text + left - 8) >> (64 - 8 * left) if length > 8
                        else up_to_eight(text, left)) + key)
    return total
