"""The part of the rows in which two samples differ, against samples made so."""

import numpy as np
import pytest

from nachsicht.stats.scan import concentrated_in, differences

RNG = np.random.default_rng(8)
PARTS, CLASSES, ROWS = 12, 6, 600


def sample(moved=(), share=1.0):
    """Counts by part and class; in some parts a share of the rows moves to the last class."""
    counts = RNG.multinomial(ROWS, np.full(CLASSES, 1 / CLASSES), size=PARTS)
    for part in moved:
        left = RNG.binomial(counts[part, :-1], 1 - share)
        counts[part, -1] += (counts[part, :-1] - left).sum()
        counts[part, :-1] = left
    return counts


def found(new, **options):
    parts = np.array([sample(), new], float)
    return concentrated_in(parts, parts.sum(axis=1), **options)


@pytest.mark.parametrize(("first", "last"), [(0, 0), (3, 5), (7, 11)])
@pytest.mark.parametrize("share", [0.5, 1.0])
def test_the_range_that_changed_is_found(first, last, share):
    part = found(sample(range(first, last + 1), share), ordered=True)
    assert (part.first, part.last) == (first, last)
    assert part.share == pytest.approx((last - first + 1) / PARTS, abs=0.02)
    assert part.p_value < 1e-6


def test_the_level_that_changed_is_found():
    part = found(sample([4], 0.4), ordered=False)
    assert (part.first, part.last) == (4, 4)


@pytest.mark.parametrize("ordered", [True, False])
def test_what_changed_everywhere_or_nowhere_has_no_part(ordered):
    assert found(sample(range(PARTS), 0.4), ordered=ordered) is None
    parts = [found(sample(), ordered=ordered) for _ in range(50)]
    assert all(part is None or part.p_value > 0.001 for part in parts)


def test_p_values_are_those_of_a_chi_squared_test():
    scipy_stats = pytest.importorskip("scipy.stats")
    counts = np.array([sample(), sample([2], 0.2)], float)
    expected = [scipy_stats.chi2_contingency(counts[:, i]).pvalue for i in range(PARTS)]
    assert differences(counts)[1] == pytest.approx(expected)
