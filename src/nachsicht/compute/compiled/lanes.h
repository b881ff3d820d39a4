/* Sums over short pieces, in eight lanes side by side: every processor adds the same numbers in
   the same order, however many of them it adds at once. For GCC and Clang. */

#ifndef NACHSICHT_LANES_H
#define NACHSICHT_LANES_H

#include <stddef.h>
#include <string.h>

#define PIECE 512
#define WIDTH 8

typedef double Lanes __attribute__((vector_size(WIDTH * sizeof(double))));

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__gnu_linux__)
#define FOR_EACH_PROCESSOR __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define FOR_EACH_PROCESSOR
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

#endif
