/* Sums in eight lanes, by the vector types of GCC and Clang; `simd.h` includes this. */

#ifndef NACHSICHT_LANES_H
#define NACHSICHT_LANES_H

typedef double Lanes __attribute__((vector_size(WIDTH * sizeof(double))));

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

#endif
