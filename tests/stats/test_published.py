"""Against published values: the univariate sets of the Statistical Reference Datasets (NIST)."""

import math

import numpy as np
import pyarrow as pa
import pytest

import nachsicht


def alternating(middle, low, high):
    return [middle] + [low, high] * 500


#: Values, certified mean, certified standard deviation, digits of the sd that float64 allows.
SETS = {
    "NumAcc1": ([10000001, 10000003, 10000002], 10000002, 1.0, 13),
    "NumAcc2": (alternating(1.2, 1.1, 1.3), 1.2, 0.1, 13),
    "NumAcc3": (alternating(1000000.2, 1000000.1, 1000000.3), 1000000.2, 0.1, 9),
    "NumAcc4": (alternating(10000000.2, 10000000.1, 10000000.3), 10000000.2, 0.1, 8),
}


def digits(found, certified):
    """Correct digits: the negative logarithm of the relative error."""
    error = abs(found - certified) / abs(certified)
    return math.inf if error == 0 else -math.log10(error)


@pytest.mark.parametrize("name", SETS)
@pytest.mark.parametrize("memory", [0, 1])
def test_mean_and_sd_have_the_certified_digits(name, memory):
    values, mean, sd, enough = SETS[name]
    table = pa.table({"value": np.array(values, float)})
    detail = nachsicht.profile(table, memory_bytes=memory).document.columns[0].stats
    assert digits(detail.mean, mean) >= 13
    assert digits(detail.std, sd) >= enough
