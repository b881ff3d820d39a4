"""Quantiles of the normal distribution."""

from libc.math cimport log, sqrt

# The coefficients of algorithm AS 241 (Wichura, Applied Statistics 37, 1988), from the constant
# on: near the middle, in the tails, and far in the tails.
cdef double* A = [
    3.3871328727963666080e0, 1.3314166789178437745e2, 1.9715909503065514427e3,
    1.3731693765509461125e4, 4.5921953931549871457e4, 6.7265770927008700853e4,
    3.3430575583588128105e4, 2.5090809287301226727e3,
]
cdef double* B = [
    1.0, 4.2313330701600911252e1, 6.8718700749205790830e2, 5.3941960214247511077e3,
    2.1213794301586595867e4, 3.9307895800092710610e4, 2.8729085735721942674e4,
    5.2264952788528545610e3,
]
cdef double* C = [
    1.42343711074968357734e0, 4.63033784615654529590e0, 5.76949722146069140550e0,
    3.64784832476320460504e0, 1.27045825245236838258e0, 2.41780725177450611770e-1,
    2.27238449892691845833e-2, 7.74545014278341407640e-4,
]
cdef double* D = [
    1.0, 2.05319162663775882187e0, 1.67638483018380384940e0, 6.89767334985100004550e-1,
    1.48103976427480074590e-1, 1.51986665636164571966e-2, 5.47593808499534494600e-4,
    1.05075007164441684324e-9,
]
cdef double* E = [
    6.65790464350110377720e0, 5.46378491116411436990e0, 1.78482653991729133580e0,
    2.96560571828504891230e-1, 2.65321895265761230930e-2, 1.24266094738807843860e-3,
    2.71155556874348757815e-5, 2.01033439929228813265e-7,
]
cdef double* F = [
    1.0, 5.99832206555887937690e-1, 1.36929880922735805310e-1, 1.48753612908506148525e-2,
    7.86869131145613259100e-4, 1.84631831751005468180e-5, 1.42151175831644588870e-7,
    2.04426310338993978564e-15,
]


cdef inline double polynomial(const double* of, double x) noexcept nogil:
    cdef double found = of[7]
    cdef int i
    for i in range(6, -1, -1):
        found = found * x + of[i]
    return found


def quantiles(const double[::1] shares, double[::1] into):
    """The quantile of each share between 0 and 1, to about 1 part in 10**16."""
    cdef Py_ssize_t i
    cdef double away, tail
    with nogil:
        for i in range(shares.shape[0]):
            away = shares[i] - 0.5
            if -0.425 <= away <= 0.425:
                tail = 0.180625 - away * away
                into[i] = away * polynomial(A, tail) / polynomial(B, tail)
                continue
            tail = sqrt(-log(shares[i] if away < 0 else 1.0 - shares[i]))
            if tail <= 5.0:
                tail = polynomial(C, tail - 1.6) / polynomial(D, tail - 1.6)
            else:
                tail = polynomial(E, tail - 5.0) / polynomial(F, tail - 5.0)
            into[i] = -tail if away < 0 else tail
