/* Sums in eight lanes, by loops that every compiler takes; `simd.h` includes this. The numbers are
   added in the order of `lanes_gnu.h`, whose functions these are. */

#ifndef NACHSICHT_LANES_H
#define NACHSICHT_LANES_H

static double sum_away(const double *values, ptrdiff_t n, double middle)
{
    double sums[WIDTH] = {0};
    for (ptrdiff_t i = 0; i < n; i++)
        sums[i % WIDTH] += values[i] - middle;
    return TOTAL(sums);
}

static void sum_powers(const double *values, ptrdiff_t n, double factor, double middle,
                       double *sums)
{
    double powers[4][WIDTH] = {{0}};
    for (ptrdiff_t i = 0; i < n; i++) {
        double z = values[i] * factor - middle, square = z * z;
        powers[0][i % WIDTH] += z;
        powers[1][i % WIDTH] += square;
        powers[2][i % WIDTH] += square * z;
        powers[3][i % WIDTH] += square * square;
    }
    for (int k = 0; k < 4; k++)
        sums[k] = TOTAL(powers[k]);
}

static void sum_with_scores(const double *values, const double *scores, ptrdiff_t n,
                            double factor, double middle, double *sums)
{
    double all[3][WIDTH] = {{0}};
    for (ptrdiff_t i = 0; i < n; i++) {
        double z = values[i] * factor - middle;
        all[0][i % WIDTH] += z;
        all[1][i % WIDTH] += z * z;
        all[2][i % WIDTH] += z * scores[i];
    }
    for (int k = 0; k < 3; k++)
        sums[k] = TOTAL(all[k]);
}

/* The sums of the products of each of four rows of numbers with each of four others, added up. */
static void add_products(const double *const *ones, const double *const *others, ptrdiff_t n,
                         double *sums)
{
    for (int i = 0; i < TILE; i++)
        for (int j = 0; j < TILE; j++) {
            double all[WIDTH] = {0}, left = 0.0;
            ptrdiff_t k = 0;
            for (; k + WIDTH <= n; k += WIDTH)
                for (int l = 0; l < WIDTH; l++)
                    all[l] += ones[i][k + l] * others[j][k + l];
            for (; k < n; k++)
                left += ones[i][k] * others[j][k];
            sums[i * TILE + j] += TOTAL(all) + left;
        }
}

/* Where the first of some numbers stands that equals the one before it; n where none does. The
   first of them is held against nothing. */
#define FIRST_BESIDE(name, Type) \
    static ptrdiff_t name(const Type *numbers, ptrdiff_t n) \
    { \
        ptrdiff_t i = 1; \
        while (i < n && numbers[i] != numbers[i - 1]) \
            i++; \
        return i < n ? i : n; \
    }

FIRST_BESIDE(first_beside_of_floats, double)
FIRST_BESIDE(first_beside_of_whole, int64_t)

#endif
