/* Eight bytes as one number, of which the first byte is the lowest on every machine. */

#ifndef NACHSICHT_SWAR_H
#define NACHSICHT_SWAR_H

#include <stdint.h>

/* The highest bit of each, and eight times the same byte. */
#define HIGH UINT64_C(0x8080808080808080)
#define EVERY(byte) (UINT64_C(0x0101010101010101) * (byte))

#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
#define FIRST_IS_LOWEST(word) __builtin_bswap64(word)
#else
#define FIRST_IS_LOWEST(word) (word)
#endif

/* Have a place fetched into the cache, and the lowest bit that is set. */
#if defined(_MSC_VER) && !defined(__clang__)
#include <intrin.h>
#if defined(_M_ARM64)
#define fetch_ahead(place) __prefetch(place)
#else
#define fetch_ahead(place) _mm_prefetch((const char *)(place), _MM_HINT_T0)
#endif
static __inline int first_bit(uint64_t bits)
{
    unsigned long found;
    _BitScanForward64(&found, bits);
    return (int)found;
}
#else
#define fetch_ahead(place) __builtin_prefetch(place)
#define first_bit(bits) __builtin_ctzll(bits)
#endif

#endif
