/* Passes over short pieces, by as many numbers at once as the processor can. Sums are those of
   eight lanes side by side: every processor adds the same numbers in the same order, however many
   of them it adds at once. For GCC and Clang. */

#ifndef NACHSICHT_SIMD_H
#define NACHSICHT_SIMD_H

#include <math.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#define PIECE 512
#define WIDTH 8
#define TILE 4

typedef double Lanes __attribute__((vector_size(WIDTH * sizeof(double))));

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__gnu_linux__)
#define FOR_EACH_PROCESSOR \
    __attribute__((target_clones("avx512f", "avx2", "default"), unused))
#else
#define FOR_EACH_PROCESSOR __attribute__((unused))
#endif

/* Eight numbers, or those that are left and zeros. */
#define LOAD(lanes, numbers, left) \
    do { \
        (lanes) = (Lanes){0}; \
        if ((left) >= WIDTH) \
            memcpy(&(lanes), (numbers), sizeof(Lanes)); \
        else \
            memcpy(&(lanes), (numbers), (size_t)(left) * sizeof(double)); \
    } while (0)

/* Eight numbers scaled and less the middle; zeros where none is left. */
#define LOAD_AWAY(lanes, numbers, left, factor, middle) \
    do { \
        LOAD(lanes, numbers, left); \
        (lanes) = (lanes) * (factor) - (middle); \
        if ((left) < WIDTH) \
            for (ptrdiff_t k_ = (left); k_ < WIDTH; k_++) \
                (lanes)[k_] = 0.0; \
    } while (0)

#define TOTAL(x) ((((x)[0] + (x)[4]) + ((x)[1] + (x)[5])) + (((x)[2] + (x)[6]) + ((x)[3] + (x)[7])))

FOR_EACH_PROCESSOR
static double sum_away(const double *values, ptrdiff_t n, double middle)
{
    Lanes sums = {0}, z;
    for (ptrdiff_t i = 0; i < n; i += WIDTH) {
        LOAD_AWAY(z, values + i, n - i, 1.0, middle);
        sums += z;
    }
    return TOTAL(sums);
}

FOR_EACH_PROCESSOR
static void sum_powers(const double *values, ptrdiff_t n, double factor, double middle,
                       double *sums)
{
    Lanes first = {0}, second = {0}, third = {0}, fourth = {0}, z, square;
    for (ptrdiff_t i = 0; i < n; i += WIDTH) {
        LOAD_AWAY(z, values + i, n - i, factor, middle);
        square = z * z;
        first += z;
        second += square;
        third += square * z;
        fourth += square * square;
    }
    sums[0] = TOTAL(first);
    sums[1] = TOTAL(second);
    sums[2] = TOTAL(third);
    sums[3] = TOTAL(fourth);
}

FOR_EACH_PROCESSOR
static void sum_with_scores(const double *values, const double *scores, ptrdiff_t n,
                            double factor, double middle, double *sums)
{
    Lanes first = {0}, second = {0}, products = {0}, z, score;
    for (ptrdiff_t i = 0; i < n; i += WIDTH) {
        LOAD_AWAY(z, values + i, n - i, factor, middle);
        LOAD(score, scores + i, n - i);
        first += z;
        second += z * z;
        products += z * score;
    }
    sums[0] = TOTAL(first);
    sums[1] = TOTAL(second);
    sums[2] = TOTAL(products);
}

/* The sums of the products of each of four rows of numbers with each of four others, added up. */
FOR_EACH_PROCESSOR
static void add_products(const double *const *ones, const double *const *others, ptrdiff_t n,
                         double *sums)
{
    Lanes all[TILE][TILE], one[TILE], other[TILE];
    ptrdiff_t k = 0;
    memset(all, 0, sizeof(all));
    for (; k + WIDTH <= n; k += WIDTH) {
        for (int i = 0; i < TILE; i++) {
            memcpy(&one[i], ones[i] + k, sizeof(Lanes));
            memcpy(&other[i], others[i] + k, sizeof(Lanes));
        }
        for (int i = 0; i < TILE; i++)
            for (int j = 0; j < TILE; j++)
                all[i][j] += one[i] * other[j];
    }
    for (int i = 0; i < TILE; i++)
        for (int j = 0; j < TILE; j++) {
            double left = 0.0;
            for (ptrdiff_t l = k; l < n; l++)
                left += ones[i][l] * others[j][l];
            sums[i * TILE + j] += TOTAL(all[i][j]) + left;
        }
}

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

/* Where the first of some numbers stands that equals the one before it; n where none does. The
   first of them is held against nothing. */
#define BESIDE 64
#define FIRST_BESIDE(name, Type) \
    FOR_EACH_PROCESSOR \
    static ptrdiff_t name(const Type *numbers, ptrdiff_t n) \
    { \
        typedef Type Eight __attribute__((vector_size(8 * sizeof(Type)))); \
        typedef int64_t Equal __attribute__((vector_size(8 * sizeof(int64_t)))); \
        ptrdiff_t i = 1; \
        for (; i + BESIDE <= n; i += BESIDE) { \
            Equal equal = {0}; \
            for (int k = 0; k < BESIDE; k += 8) { \
                Eight before, here; \
                memcpy(&before, numbers + i + k - 1, sizeof(Eight)); \
                memcpy(&here, numbers + i + k, sizeof(Eight)); \
                equal |= (Equal)(before == here); \
            } \
            if (equal[0] | equal[1] | equal[2] | equal[3] | equal[4] | equal[5] | equal[6] \
                | equal[7]) \
                break; \
        } \
        while (i < n && numbers[i] != numbers[i - 1]) \
            i++; \
        return i < n ? i : n; \
    }

FIRST_BESIDE(first_beside_of_floats, double)
FIRST_BESIDE(first_beside_of_whole, int64_t)

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
