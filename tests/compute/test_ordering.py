"""Places in rising order, and hashes of texts, whatever the numbers and texts are."""

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from nachsicht.compute.hashing import hash_values
from nachsicht.compute.ordering import order_of

NUMBERS = st.one_of(
    hnp.arrays(np.float64, st.integers(0, 40), elements=st.floats(allow_nan=False)),
    # Neighbours that differ in their last bits alone, and many that are equal.
    hnp.arrays(np.int64, st.integers(0, 40), elements=st.integers(0, 9)).map(
        lambda steps: 1.0 + steps * np.finfo(float).eps
    ),
    hnp.arrays(np.int64, st.integers(0, 40)),
    hnp.arrays(np.uint64, st.integers(0, 40)),
    hnp.arrays(np.int8, st.integers(0, 40)),
)


@given(NUMBERS)
def test_the_order_is_the_stable_one(values):
    assert np.array_equal(order_of(values), np.argsort(values, kind="stable"))


def test_many_numbers_that_differ_in_their_last_bits():
    rng = np.random.default_rng(3)
    values = np.concatenate((rng.normal(size=3000), 1 + rng.integers(0, 99, 3000) * 2.0**-52))
    assert np.array_equal(order_of(values), np.argsort(values, kind="stable"))


@given(st.lists(st.one_of(st.text(), st.text("ab", min_size=7, max_size=40))))
def test_texts_share_a_hash_where_they_are_equal_and_nowhere_else(texts):
    hashes = hash_values(pa.array(texts, pa.large_string()))
    assert len(np.unique(hashes)) == len(set(texts))
    one_by_one = [hash_values(pa.array([text], pa.string()))[0] for text in texts]
    assert hashes.tolist() == one_by_one
