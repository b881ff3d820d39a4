"""Hashes of numbers and texts; `nachsicht.arrow.hashing` tells what they are."""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memcpy

def mix(
    const uint64_t[::1] numbers, uint64_t times, uint64_t salt, bint adding, uint64_t[::1] into
):
    """The mixed sum of ``times`` each number and the salt; ``into`` is as long.

    As in all functions here, with ``adding`` the result is added to what ``into`` holds.
    """
    cdef Py_ssize_t i
    cdef uint64_t kept = -<uint64_t>adding
    with nogil:
        for i in range(numbers.shape[0]):
            into[i] = (into[i] & kept) + mixed(numbers[i] * times + salt)


def hash_floats(
    const double[::1] numbers, uint64_t missing, uint64_t salt, bint adding, uint64_t[::1] into
):
    """As `mix`, of the bits of floats, both zeros being one, and ``missing`` standing for NaN."""
    cdef Py_ssize_t i
    cdef uint64_t bits, kept = -<uint64_t>adding
    cdef double number
    with nogil:
        for i in range(numbers.shape[0]):
            number = numbers[i] + 0.0
            memcpy(&bits, &number, 8)
            into[i] = (into[i] & kept) + mixed((bits if number == number else missing) + salt)


def hash_texts(
    const uint8_t[::1] data,
    const int64_t[::1] starts,
    const int64_t[::1] stops,
    uint64_t salt,
    bint adding,
    uint64_t[::1] into,
):
    """Hashes of ``data[starts[i]:stops[i]]``; all but the data are equally long."""
    cdef Py_ssize_t i
    cdef uint64_t kept = -<uint64_t>adding
    cdef const uint8_t* first = &data[0] if data.shape[0] else NULL
    cdef const uint8_t* end = first + data.shape[0]
    with nogil:
        for i in range(into.shape[0]):
            into[i] = (into[i] & kept) + mixed(
                text_hash(first + starts[i], stops[i] - starts[i], end) + salt)


def hash_codes(
    const uint64_t[::1] hashes, const int32_t[::1] codes, bint adding, uint64_t[::1] into
):
    """``hashes[codes]``; ``into`` is as long as the codes.

    Codes come from outside with the data, so it is looked whether they are places in it.

    Raises
    ------
    IndexError
        If one is not.
    """
    cdef Py_ssize_t i
    cdef bint within = True
    cdef uint64_t kept = -<uint64_t>adding
    with nogil:
        for i in range(codes.shape[0]):
            within = 0 <= codes[i] < hashes.shape[0]
            if not within:
                break
            into[i] = (into[i] & kept) + hashes[codes[i]]
    if not within:
        raise IndexError(f"row {i} has level {codes[i]} of {hashes.shape[0]}")
