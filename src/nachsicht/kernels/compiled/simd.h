/* Passes over short pieces, by as many numbers at once as the processor can. Sums are those of
   eight lanes side by side: every processor adds the same numbers in the same order, however many
   of them it adds at once. */

#ifndef NACHSICHT_SIMD_H
#define NACHSICHT_SIMD_H

#include <math.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#define PIECE 512
#define WIDTH 8
#define TILE 4

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__gnu_linux__)
#define FOR_EACH_PROCESSOR \
    __attribute__((target_clones("avx512f", "avx2", "default"), unused))
#elif defined(__GNUC__)
#define FOR_EACH_PROCESSOR __attribute__((unused))
#else
#define FOR_EACH_PROCESSOR
#pragma warning(disable : 4505) /* a function that no one calls */
#endif

/* Of eight lanes. */
#define TOTAL(x) ((((x)[0] + (x)[4]) + ((x)[1] + (x)[5])) + (((x)[2] + (x)[6]) + ((x)[3] + (x)[7])))

/* GCC and Clang have types of many numbers; others are left to find them in plain loops. Both give
   the same sums, bit by bit. */
#if defined(__GNUC__) && !defined(NACHSICHT_PLAIN_LANES)
#include "lanes_gnu.h"
#else
#include "lanes_plain.h"
#endif

/* Each value less a number; the values may be written over. */
FOR_EACH_PROCESSOR
static void write_away(const double *values, ptrdiff_t n, double from, double *into)
{
    for (ptrdiff_t i = 0; i < n; i++)
        into[i] = values[i] - from;
}

/* How many of some flags are set. */
FOR_EACH_PROCESSOR
static int64_t count_set(const uint8_t *flags, ptrdiff_t n)
{
    int64_t set = 0;
    for (ptrdiff_t i = 0; i < n; i++)
        set += flags[i];
    return set;
}

/* How many values are whole once multiplied, but for a part of them or of 1; and whether each is. */
#define IS_NEAR_WHOLE(scaled, near) \
    (fabs((scaled) - rint(scaled)) <= (near) * (fabs(scaled) > 1.0 ? fabs(scaled) : 1.0))

FOR_EACH_PROCESSOR
static int64_t count_near_whole(const double *values, ptrdiff_t n, double times, double near)
{
    int64_t found = 0;
    for (ptrdiff_t i = 0; i < n; i++) {
        double scaled = values[i] * times;
        found += IS_NEAR_WHOLE(scaled, near);
    }
    return found;
}

FOR_EACH_PROCESSOR
static void are_near_whole(const double *values, ptrdiff_t n, double times, double near,
                           uint8_t *into)
{
    for (ptrdiff_t i = 0; i < n; i++) {
        double scaled = values[i] * times;
        into[i] = IS_NEAR_WHOLE(scaled, near);
    }
}

/* How many of some limits each number has reached. */
FOR_EACH_PROCESSOR
static void count_reached(const int64_t *numbers, ptrdiff_t n, const int64_t *limits,
                          ptrdiff_t limits_in_all, int32_t *into)
{
    for (ptrdiff_t i = 0; i < n; i++)
        into[i] = 0;
    for (ptrdiff_t k = 0; k < limits_in_all; k++)
        for (ptrdiff_t i = 0; i < n; i++)
            into[i] += numbers[i] >= limits[k];
}

/* The largest of some numbers, or of their opposites. */
FOR_EACH_PROCESSOR
static int64_t largest_of(const int64_t *numbers, ptrdiff_t n, int64_t sign)
{
    int64_t turned = sign >> 1, most = INT64_MIN;
    for (ptrdiff_t i = 0; i < n; i++) {
        int64_t number = (numbers[i] ^ turned) - turned;
        most = number > most ? number : most;
    }
    return most;
}

/* Every letter of ASCII as A or a, every digit as 9. */
#define WITHIN(byte, first, last) ((uint8_t)((byte) - (first)) <= (last) - (first))

FOR_EACH_PROCESSOR
static void write_shapes(const uint8_t *bytes, ptrdiff_t n, uint8_t *into)
{
    for (ptrdiff_t i = 0; i < n; i++) {
        uint8_t byte = bytes[i];
        byte = WITHIN(byte, 'A', 'Z') ? 'A' : byte;
        byte = WITHIN(byte, 'a', 'z') ? 'a' : byte;
        into[i] = WITHIN(byte, '0', '9') ? '9' : byte;
    }
}

/* Lower case of ASCII, and a space for all that belongs to no word. */
FOR_EACH_PROCESSOR
static void write_words(const uint8_t *bytes, ptrdiff_t n, uint8_t *into)
{
    for (ptrdiff_t i = 0; i < n; i++) {
        uint8_t byte = bytes[i];
        byte += WITHIN(byte, 'A', 'Z') ? 'a' - 'A' : 0;
        into[i] = WITHIN(byte, 'a', 'z') || WITHIN(byte, '0', '9') || byte == '_' || byte == '\''
            ? byte : ' ';
    }
}

#endif
